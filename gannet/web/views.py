"""The page that starts the interface, and errors outside the API."""

import json
import sys
from functools import lru_cache
from typing import Any

from django.conf import settings
from django.core.exceptions import RequestDataTooBig
from django.db import OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import ensure_csrf_cookie
from drf_spectacular.settings import spectacular_settings
from drf_spectacular.utils import extend_schema
from drf_spectacular.views import SpectacularAPIView
from rest_framework.permissions import IsAuthenticated
from rest_framework.response import Response

from gannet.web.errors import Locked, Problem, TooLarge, Unreadable
from gannet.web.problems import of_database, problem_body

ENTRY = "index.html"


@lru_cache(maxsize=1)
def _built() -> dict[str, Any]:
    """What Vite built: the entry's script, its styles and the chunks it loads at once."""
    manifest = json.loads((settings.FRONTEND / ".vite" / "manifest.json").read_text())
    entry = manifest[ENTRY]
    chunks = [manifest[name] for name in entry.get("imports", [])]
    styles = [css for part in (entry, *chunks) for css in part.get("css", [])]
    return {
        "script": entry["file"],
        "styles": styles,
        "preloads": [chunk["file"] for chunk in chunks],
    }


@never_cache
@ensure_csrf_cookie
def index(request: HttpRequest) -> HttpResponse:
    try:
        built = _built()
    except FileNotFoundError:
        return HttpResponse(
            "The interface has not been built yet: run `make build`.",
            status=503,
            content_type="text/plain",
        )
    return render(request, "index.html", built)


class SchemaView(SpectacularAPIView):
    """The description of this API; drawn up once, for whoever is signed in."""

    permission_classes = [IsAuthenticated]
    serve_public = True

    @extend_schema(exclude=True)
    def get(self, request: Any, *args: Any, **kwargs: Any) -> Response:
        return Response(
            _description(), headers={"Content-Disposition": 'inline; filename="gannet.yaml"'}
        )


@lru_cache(maxsize=1)
def _description() -> dict[str, Any]:
    generator = spectacular_settings.DEFAULT_GENERATOR_CLASS()
    return dict(generator.get_schema(request=None, public=True))


def server_error(request: HttpRequest) -> HttpResponse:
    """What no view has answered: a database that is busy or full, or a fault of ours."""
    error = sys.exc_info()[1]
    problem = of_database(error) if isinstance(error, OperationalError) else None
    if problem is None:
        problem = Problem("This is a fault of Gannet's. What you typed is kept; try again.")
        problem.status, problem.code, problem.title = 500, "fault", "That did not work"
    return as_answer(problem)


def bad_request(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    if isinstance(exception, RequestDataTooBig):
        return as_answer(TooLarge("That is more than is read at once."))
    return as_answer(Unreadable("That could not be read."))


def as_answer(problem: Problem) -> JsonResponse:
    """A problem outside the API's own views."""
    body = problem_body(problem.status, problem.code, problem.title, problem.detail)
    answer = JsonResponse(body, status=problem.status, content_type="application/problem+json")
    if problem.again_in is not None:
        answer["Retry-After"] = str(problem.again_in)
    return answer


def locked_out(request: HttpRequest, *given: Any, **more: Any) -> JsonResponse:
    """What the lock-out answers when a view has not (django-axes asks for it)."""
    seconds = int(settings.AXES_COOLOFF_TIME.total_seconds())
    return as_answer(Locked("Too many tries. Wait a quarter of an hour.", again_in=seconds))


def csrf_failure(request: HttpRequest, reason: str = "") -> JsonResponse:
    body = problem_body(
        403, "csrf", "The page is too old", "Load the page again: what you have typed is kept."
    )
    return JsonResponse(body, status=403, content_type="application/problem+json")


def api_not_found(request: HttpRequest, rest: str = "") -> JsonResponse:
    body = problem_body(404, "not-found", "There is nothing here", "There is no such address.")
    return JsonResponse(body, status=404, content_type="application/problem+json")
