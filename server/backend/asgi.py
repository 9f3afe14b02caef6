"""ASGI: Django for HTTP, Channels for WebSockets."""

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "backend.settings")
django_application = get_asgi_application()

from channels.auth import AuthMiddlewareStack
from channels.routing import ProtocolTypeRouter, URLRouter
from django.urls import get_resolver, path

from api.security import SameOrigin
from api.size import NotTooLarge
from preview.consumer import ListenConsumer

sockets = URLRouter([path("ws/listen/", ListenConsumer.as_asgi())])
application = ProtocolTypeRouter(
    {"http": NotTooLarge(django_application), "websocket": SameOrigin(AuthMiddlewareStack(sockets))}
)
# Every view is imported with the application, and not with the first request.
_ = get_resolver().url_patterns
