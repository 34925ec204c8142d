"""Headers that Django and django-csp do not set by themselves."""

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware

from gannet.web.given import whole_number
from gannet.web.problems import problem_body

_ROOM_FOR_FORM = 1024 * 1024


def _length(request: HttpRequest) -> int:
    return whole_number(request.META.get("CONTENT_LENGTH")) or 0


def _too_large() -> HttpResponse:
    limit = settings.MAX_UPLOAD_BYTES // 1_048_576
    body = problem_body(413, "too-large", "That is too large", f"At most {limit} MB fit.")
    return JsonResponse(body, status=413, content_type="application/problem+json")


class SecurityHeaders:
    """Permissions-Policy, no caching of what belongs to a person, no endless bodies."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if _length(request) > settings.MAX_UPLOAD_BYTES + _ROOM_FOR_FORM:
            return _too_large()
        response = self.get_response(request)
        response.headers.setdefault(
            "Permissions-Policy", "camera=(), geolocation=(), microphone=(), payment=()"
        )
        response.headers.setdefault("Cross-Origin-Resource-Policy", "same-origin")
        if request.path.startswith("/api/"):
            response.headers.setdefault("Cache-Control", "no-store")
        return response


class PackedAnswers(GZipMiddleware):
    """The API's answers to reading, packed for who takes them so.

    An answer that holds a secret – the token against forged requests, a new access token –
    is sent as it is: its length, packed beside words that somebody else chose, would tell
    of it. Django adds a little of random length to the others.
    """

    _NEVER = ("/api/session",)

    def process_response(
        self, request: HttpRequest, response: HttpResponseBase
    ) -> HttpResponseBase:
        is_reading = request.method == "GET" and request.path.startswith("/api/")
        if not is_reading or request.path.startswith(self._NEVER) or response.streaming:
            return response
        packed: HttpResponseBase = super().process_response(request, response)
        return packed
