"""The page that starts the interface, and errors outside the API."""

import json
from functools import lru_cache
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import ensure_csrf_cookie

from gannet.web.problems import problem_body

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


def csrf_failure(request: HttpRequest, reason: str = "") -> JsonResponse:
    body = problem_body(
        403, "csrf", "The page is too old", "Load the page again: what you have typed is kept."
    )
    return JsonResponse(body, status=403, content_type="application/problem+json")


def api_not_found(request: HttpRequest, rest: str = "") -> JsonResponse:
    body = problem_body(404, "not-found", "There is nothing here", "There is no such address.")
    return JsonResponse(body, status=404, content_type="application/problem+json")
