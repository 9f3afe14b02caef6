"""Who may come in, what a page of ours may load and run, and who may keep an answer."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from urllib.parse import urlsplit

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.http.request import validate_host

SIGN_IN = "Sign in first: use the link that ./start prints, or ask a member of the band for one."
POLICY = (
    "default-src 'self'; connect-src 'self'; img-src 'self' data: blob:; media-src 'self' blob:; style-src 'self' 'unsafe-inline'; "
    "worker-src 'self' blob:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'; object-src 'none'"
)


class SafeAnswers:
    """Adds the content security policy to every answer; what the API answers is not kept by anybody."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]):
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        stage = f"connect-src 'self' ws://{urlsplit('//' + request.get_host()).hostname}:{settings.STAGE_PORT}"
        host = urlsplit("//" + request.get_host()).hostname
        if not request.is_secure() and host not in ("127.0.0.1", "localhost", "::1"):
            # Browsers heed it on trusted origins alone, and complain on others.
            del response["Cross-Origin-Opener-Policy"]
        response["Content-Security-Policy"] = POLICY.replace("connect-src 'self'", stage)
        if request.path.startswith(("/api/", "/sign-in/")):
            response.setdefault("Cache-Control", "no-store")
        return response


class SameOrigin:
    """ASGI: refuses a WebSocket that a page of another scheme, host or port opens.

    ``page_port``: the port of our pages, where this process serves another one.
    """

    def __init__(self, application: Any, page_port: int | None = None):
        self.application, self.page_port = application, page_port

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> Any:
        headers = dict(scope.get("headers", []))
        origin = urlsplit(headers.get(b"origin", b"").decode("latin-1"))
        host = headers.get(b"host", b"").decode("latin-1")
        name = host.rsplit(":", 1)[0] if not host.endswith("]") else host
        scheme = "https" if scope.get("scheme") == "wss" else "http"
        pages = {host} if self.page_port is None else {host, f"{name}:{self.page_port}"}
        own = origin.netloc in pages and origin.scheme == scheme
        if own and validate_host(name, settings.ALLOWED_HOSTS):
            return await self.application(scope, receive, send)
        return await send({"type": "websocket.close", "code": 4403})
