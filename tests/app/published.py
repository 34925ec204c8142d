"""Every answer of the API in every test, held to what the API's description says of it."""

import gzip
import json
import re
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

import yaml
from django.test import Client
from jsonschema import Draft202012Validator
from referencing import Registry, Resource
from referencing.jsonschema import DRAFT202012

DESCRIPTION = Path(__file__).parents[2] / "docs" / "openapi.yaml"
_NAME = "urn:gannet:api"
_CONVERTER = re.compile(r"<(?:\w+:)?(\w+)>")
# Answers that are no JSON, or of another program's making.
_NOT_DESCRIBED = frozenset({"api/schema", r"^api/(?P<rest>.*)$"})


@cache
def description() -> dict[str, Any]:
    loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
    text = DESCRIPTION.read_text(encoding="utf-8")
    found: dict[str, Any] = yaml.load(text, Loader=loader)  # noqa: S506 - either is a safe one
    return found


@cache
def _registry() -> Any:
    resource = Resource(contents=description(), specification=DRAFT202012)  # type: ignore[call-arg]
    return Registry().with_resource(_NAME, resource)


@cache
def validator(place: str) -> Draft202012Validator:
    return Draft202012Validator({"$ref": f"{_NAME}#{place}"}, registry=_registry())


def pointer(*parts: str) -> str:
    return "".join("/" + part.replace("~", "~0").replace("/", "~1") for part in parts)


def complaint(method: str, route: str, response: Any) -> str:
    """What an answer does that the description does not say; empty when it keeps to it."""
    path = "/" + _CONVERTER.sub(r"{\1}", route)
    operation = description()["paths"].get(path, {}).get(method.lower())
    if operation is None and response.status_code in (401, 403, 405):
        return ""  # no such operation, and it says so or does not say so to just anybody
    if operation is None:
        return f"{method} {path} is not described"
    status = str(response.status_code)
    described = operation["responses"].get(status)
    if described is None:
        return f"{method} {path} answered {status}, which is not described"
    kind = response.get("Content-Type", "").partition(";")[0]
    contents = described.get("content", {})
    if not contents:
        return f"{method} {path} {status} has a body" if getattr(response, "content", b"") else ""
    if "*/*" in contents or getattr(response, "streaming", False):
        return ""
    if kind not in contents:
        return f"{method} {path} answered {status} as {kind}, not as {sorted(contents)}"
    if not kind.endswith("json"):
        return ""
    place = pointer("paths", path, method.lower(), "responses", status, "content", kind, "schema")
    is_packed = response.headers.get("Content-Encoding") == "gzip"
    data = json.loads(gzip.decompress(response.content) if is_packed else response.content)
    for error in validator(place).iter_errors(data):
        where = "/".join(map(str, error.absolute_path))
        return f"{method} {path} {status} at {where or 'the top'}: {error.message[:300]}"
    return ""


def checking(request: Callable[..., Any]) -> Callable[..., Any]:
    """A client's `request` that holds each answer of the API to the description."""

    def checked(self: Client, **given: Any) -> Any:
        response = request(self, **given)
        match = getattr(response, "resolver_match", None)
        route = getattr(match, "route", "") if match else ""
        if route.startswith("api/") and route not in _NOT_DESCRIBED:
            said = complaint(given.get("REQUEST_METHOD", "GET"), route, response)
            assert not said, said
        return response

    return checked
