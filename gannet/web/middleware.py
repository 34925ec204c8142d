"""Headers that Django and django-csp do not set by themselves."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse


class SecurityHeaders:
    """Permissions-Policy, and no caching of anything that belongs to a person."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response.headers.setdefault(
            "Permissions-Policy", "camera=(), geolocation=(), microphone=(), payment=()"
        )
        response.headers.setdefault("Cross-Origin-Resource-Policy", "same-origin")
        if request.path.startswith("/api/"):
            response.headers.setdefault("Cache-Control", "no-store")
        return response
