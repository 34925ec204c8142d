"""The same key, the same first answer: a write that is asked for again is not done again."""

import hashlib
import json
from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.db import IntegrityError, transaction
from django.utils import timezone
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.web.errors import Conflict, Invalid
from gannet.web.models import IdempotentAnswer

_MAX_KEY = 80
_UNDER_WAY = 0  # the status of an answer that is being made
# What began so long ago and has no answer ended with its process.
_GIVEN_UP = timedelta(minutes=2)
Do = Callable[[], Any]


def once(request: Request, do: Do) -> Any:
    """Do a write and keep its answer in the same transaction, or give the one that is known."""
    key = _key_of(request)
    if not key:
        return do()
    known = _known(request, key)
    if known is not None:
        return known
    response = do()
    if response.status_code < 400:
        IdempotentAnswer.objects.create(**_row(request, key), **_answer(response))
    return response


def once_apart(request: Request, do: Do) -> Any:
    """As `once`, for a write that is no single transaction: the key is taken before it begins."""
    key = _key_of(request)
    if not key:
        return do()
    row = _row(request, key)
    IdempotentAnswer.objects.filter(
        person=row["person"], key=key, status=_UNDER_WAY, made_at__lt=timezone.now() - _GIVEN_UP
    ).delete()
    known = _known(request, key)
    if known is not None:
        return known
    try:
        with transaction.atomic():
            taken = IdempotentAnswer.objects.create(**row, status=_UNDER_WAY)
    except IntegrityError:
        raise Conflict("This is being done already.") from None
    try:
        response = do()
    except BaseException:
        taken.delete()
        raise
    if response.status_code >= 400:
        taken.delete()
    else:
        IdempotentAnswer.objects.filter(pk=taken.pk).update(**_answer(response))
    return response


def _key_of(request: Request) -> str:
    key = request.headers.get("Idempotency-Key", "")
    if not getattr(request.user, "is_authenticated", False):
        return ""
    if len(key) > _MAX_KEY:
        raise Invalid(f"An idempotency key has at most {_MAX_KEY} characters.")
    return str(key)


def _known(request: Request, key: str) -> Response | None:
    known = IdempotentAnswer.objects.filter(person=request.user.pk, key=key).first()
    if known is None:
        return None
    if known.fingerprint != _fingerprint(request):
        raise Conflict("This key was used for something else: make a new one.")
    if known.status == _UNDER_WAY:
        raise Conflict("This is being done already.")
    return Response(known.body, status=known.status)


def _row(request: Request, key: str) -> dict[str, Any]:
    return {
        "person": request.user,
        "key": key,
        "fingerprint": _fingerprint(request),
        "made_at": timezone.now(),
    }


def _answer(response: Any) -> dict[str, Any]:
    return {"status": response.status_code, "body": getattr(response, "data", None)}


def _fingerprint(request: Request) -> str:
    data = request.data
    body = json.dumps(data, sort_keys=True, default=str) if data else ""
    said = f"{request.method}\n{request.path}\n{body}"
    return hashlib.sha256(said.encode()).hexdigest()
