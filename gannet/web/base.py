"""What API views share: acting as somebody, now, and idempotent writes."""

import hashlib
import json
from typing import Any, cast

from django.db import transaction
from django.utils import timezone
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from gannet.people.models import Person, Token
from gannet.tickets.actions import Acting
from gannet.tickets.models import IdempotentAnswer
from gannet.web.errors import Conflict, Invalid, Refused
from gannet.web.problems import record_denial

WRITES = ("POST", "PUT", "PATCH", "DELETE")
_MAX_KEY = 80


def person_of(request: Request) -> Person:
    return cast(Person, request.user)


def acting(request: Request) -> Acting:
    return Acting(person=person_of(request), now=timezone.now())


class GannetView(APIView):
    """An API view whose writes answer the same key with the same first answer.

    The key comes in the `Idempotency-Key` header; the answer is kept in the transaction
    of the act, so that an act without its answer, or the reverse, cannot be.
    """

    # What a personal access token needs to get here; None: read to read, write to write.
    needs_scope: str | None = None
    # Sign-in counts failures while it refuses: those must not be rolled back.
    is_atomic = True

    def dispatch(self, request: Any, *args: Any, **kwargs: Any) -> Any:
        response = self._dispatch(request, *args, **kwargs)
        denial = getattr(response, "denial", None)
        if denial is not None:
            record_denial(getattr(request.user, "pk", None), request.method, request.path, denial)
        return response

    def _dispatch(self, request: Any, *args: Any, **kwargs: Any) -> Any:
        if request.method not in WRITES or not self.is_atomic:
            return super().dispatch(request, *args, **kwargs)
        try:
            with transaction.atomic():
                response = super().dispatch(request, *args, **kwargs)
                if response.status_code >= 400:
                    raise _RolledBack(response)
                return response
        except _RolledBack as rolled_back:
            return rolled_back.response

    def initial(self, request: Request, *args: Any, **kwargs: Any) -> None:
        super().initial(request, *args, **kwargs)
        self._check_scope(request)
        key = request.headers.get("Idempotency-Key", "")
        if request.method not in WRITES or not key or not isinstance(request.user, Person):
            return
        if len(key) > _MAX_KEY:
            raise Invalid(f"An idempotency key has at most {_MAX_KEY} characters.")
        fingerprint = _fingerprint(request)
        known = IdempotentAnswer.objects.filter(person=request.user, key=key).first()
        if known is None:
            self._key = (key, fingerprint)
        elif known.fingerprint != fingerprint:
            raise Conflict("This key was used for something else: make a new one.")
        else:
            raise _Known(known)

    def _check_scope(self, request: Request) -> None:
        if not isinstance(request.auth, Token):
            return
        needed = self.needs_scope or ("write" if request.method in WRITES else "read")
        if needed not in request.auth.scopes:
            raise Refused(
                "A token cannot do this: sign in."
                if needed == "none"
                else f"This token may {', '.join(request.auth.scopes)}; this needs {needed}."
            )

    def handle_exception(self, exc: Exception) -> Response:
        if isinstance(exc, _Known):
            return Response(exc.answer.body, status=exc.answer.status)
        return super().handle_exception(exc)

    def finalize_response(
        self, request: Request, response: Any, *args: Any, **kwargs: Any
    ) -> Response:
        final = super().finalize_response(request, response, *args, **kwargs)
        key = getattr(self, "_key", None)
        if key is not None and final.status_code < 400:
            IdempotentAnswer.objects.create(
                person=person_of(request),
                key=key[0],
                fingerprint=key[1],
                status=final.status_code,
                body=getattr(final, "data", None),
                made_at=timezone.now(),
            )
        return final


class _RolledBack(Exception):
    def __init__(self, response: Any) -> None:
        self.response = response


class _Known(Exception):
    def __init__(self, answer: IdempotentAnswer) -> None:
        self.answer = answer


def _fingerprint(request: Request) -> str:
    data = request.data
    body = json.dumps(data, sort_keys=True, default=str) if data else ""
    said = f"{request.method}\n{request.path}\n{body}"
    return hashlib.sha256(said.encode()).hexdigest()
