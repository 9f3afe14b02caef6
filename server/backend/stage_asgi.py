"""ASGI of the stage's own process: its socket, and nothing that needs the database to answer."""

import os
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "backend.settings")

import django

django.setup()

from channels.routing import ProtocolTypeRouter, URLRouter
from django.conf import settings
from django.urls import path

from api.security import SameOrigin
from stage.band_socket import BandSocket
from stage.consumer import StageConsumer
from stage.hands_consumer import HandsConsumer

band: Any = BandSocket.application
sockets = URLRouter(
    [
        path("ws/stage/", StageConsumer.as_asgi()),
        path("ws/hands/", HandsConsumer.as_asgi()),
        path("ws/band/", band),
    ]
)
application = ProtocolTypeRouter({"websocket": SameOrigin(sockets, settings.WEB_PORT)})
