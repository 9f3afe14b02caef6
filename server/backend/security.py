"""Who may come in, and what a page of ours may load and run: its own files, nothing else."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

SIGN_IN = "Sign in first: use the link that ./start prints, or ask a member of the band for one."
POLICY = (
    "default-src 'self'; connect-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
    "worker-src 'self' blob:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'; object-src 'none'"
)


class ContentPolicy:
    """Adds the content security policy to every answer."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]):
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response["Content-Security-Policy"] = POLICY
        return response
