"""Every API error as RFC 9457 problem details: status, stable code, a sentence."""

import logging
from collections.abc import Callable
from typing import Any

from django.core.cache import cache
from django.core.exceptions import PermissionDenied, RequestDataTooBig, SuspiciousOperation
from django.db import OperationalError
from django.http import Http404
from django.utils import timezone
from rest_framework import exceptions
from rest_framework.response import Response

from gannet.web.errors import Busy, Full, Problem, TooLarge, Unreadable
from gannet.web.room import look_again
from gannet_core.errors import ConditionError

log = logging.getLogger(__name__)
MOST_DENIALS_A_MINUTE = 20

_TITLES = {
    400: ("bad-request", "That could not be read"),
    401: ("signed-out", "You are not signed in"),
    403: ("refused", "That is not yours to do"),
    404: ("not-found", "There is nothing here"),
    405: ("wrong-method", "That cannot be done here"),
    413: ("too-large", "That is too large"),
    415: ("wrong-type", "That kind of content is not read here"),
    422: ("invalid", "Something needs another look"),
    429: ("too-often", "That was too often"),
}


def problem_body(status: int, code: str, title: str, detail: str, **extra: Any) -> dict[str, Any]:
    return {
        "type": f"urn:gannet:problem:{code}",
        "title": title,
        "status": status,
        "code": code,
        "detail": detail,
        **extra,
    }


def exception_handler(error: Exception, context: dict[str, Any]) -> Response | None:
    """DRF's hook: named problems, DRF's own errors, and a busy database."""
    if isinstance(error, OperationalError):
        error = of_database(error) or error
    elif isinstance(error, RequestDataTooBig):
        error = TooLarge("That is more than is read at once.")
    elif isinstance(error, SuspiciousOperation):
        error = Unreadable("That could not be read.")
    if isinstance(error, Problem):
        response = _response(
            problem_body(error.status, error.code, error.title, error.detail, **error.extra)
        )
        if error.again_in is not None:
            response["Retry-After"] = str(error.again_in)
        return _with_denial(response, error.detail) if error.status == 403 else response
    if isinstance(error, ConditionError):
        return _response(
            problem_body(422, "invalid-condition", "That filter does not work", str(error))
        )
    if isinstance(error, Http404):
        error = exceptions.NotFound()
    elif isinstance(error, PermissionDenied):
        error = exceptions.PermissionDenied()
    if isinstance(error, exceptions.ValidationError):
        return _response(_validation(error))
    if isinstance(error, exceptions.APIException):
        return _api_error(error)
    return None


def of_database(error: OperationalError) -> Problem | None:
    """What a database that cannot do it says of itself; None for a fault of ours."""
    said = str(error).casefold()
    if "locked" in said or "busy" in said:
        return Busy("Nothing was changed, and what you typed is kept. Try again in a moment.")
    if any(words in said for words in ("full", "disk i/o error", "readonly database")):
        look_again()
        return Full("The disk is full: nothing was changed.")
    return None


def _api_error(error: exceptions.APIException) -> Response:
    status = error.status_code
    code, title = _TITLES.get(status, ("error", "That did not work"))
    detail = str(error.detail)
    if status == 401:
        detail = "Sign in again: what you have typed is kept."
    elif status == 404:
        detail = "There is no such thing, or it is not for you to see."
    response = _response(problem_body(status, code, title, detail))
    if status == 401:
        response["WWW-Authenticate"] = "Session"
    wait = getattr(error, "wait", None) if isinstance(error, exceptions.Throttled) else None
    if wait:
        response["Retry-After"] = str(int(wait) + 1)
    return _with_denial(response, detail) if status == 403 else response


def _first_words(messages: Any) -> str:
    """The first sentence of a field's errors, however deep its lists and objects go."""
    while isinstance(messages, (dict, list)) and messages:
        messages = next(iter(messages.values() if isinstance(messages, dict) else messages))
    return str(messages)


def _validation(error: exceptions.ValidationError) -> dict[str, Any]:
    fields = {}
    if isinstance(error.detail, dict):
        for name, messages in error.detail.items():
            fields[name] = _first_words(messages)
    whole = fields.pop("non_field_errors", None)
    first_words = ("", whole) if whole else next(iter(fields.items()), ("", str(error.detail)))
    detail = f"{first_words[0]}: {first_words[1]}" if first_words[0] else first_words[1]
    return problem_body(422, "invalid", "Something needs another look", detail, fields=fields)


def _response(body: dict[str, Any]) -> Response:
    return Response(body, status=body["status"], content_type="application/problem+json")


def _with_denial(response: Response, detail: str) -> Response:
    """Mark a refusal; the view records it once its own transaction is rolled back."""
    response.denial = detail  # type: ignore[attr-defined]
    return response


TellDenial = Callable[[int | None, str, str], None]
_denial_listeners: list[TellDenial] = []


def on_denial(listener: TellDenial) -> TellDenial:
    """Tell a function of every denial: who (their id), what they asked for, and the reason."""
    if listener not in _denial_listeners:
        _denial_listeners.append(listener)
    return listener


def record_denial(person_id: int | None, method: str, path: str, detail: str) -> None:
    """Every denial is recorded, outside the transaction that was rolled back.

    Who is denied again and again within a minute fills the program's log, not the event log:
    each event takes the write lock.
    """
    log.info("denied: person %s, %s %s: %s", person_id, method, path, detail)
    minute = int(timezone.now().timestamp()) // 60
    counter = f"denied:{person_id}:{minute}"
    cache.add(counter, 0, timeout=120)
    if cache.incr(counter) > MOST_DENIALS_A_MINUTE:
        return
    for tell in _denial_listeners:
        try:
            tell(person_id, f"{method} {path}", detail)
        except OperationalError:
            log.warning("a denial could not be recorded")
