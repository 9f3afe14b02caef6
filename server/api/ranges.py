"""Ranges of the core as validators of a model; its serializers and the API's document follow them."""

from __future__ import annotations

from django.core.validators import BaseValidator, MaxValueValidator, MinValueValidator

from upbeat.limits import Range


def within(allowed: Range) -> list[BaseValidator]:
    """Validators for a field that lies in a range."""
    ends = allowed.json_schema
    return [MinValueValidator(ends["minimum"]), MaxValueValidator(ends["maximum"])]
