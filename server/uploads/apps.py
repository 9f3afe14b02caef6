"""The app keeps the label that its tables were made under."""

from django.apps import AppConfig


class UploadsConfig(AppConfig):
    name = "uploads"
    label = "exchange"
