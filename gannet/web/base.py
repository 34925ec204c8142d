"""What API views share: who may at all, one transaction for a write, the same answer again."""

import logging
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import Any

from django.db import OperationalError, transaction
from drf_spectacular.utils import OpenApiParameter
from rest_framework.exceptions import UnsupportedMediaType
from rest_framework.request import Request
from rest_framework.views import APIView

from gannet.web.errors import Full, Refused
from gannet.web.once import once, once_apart
from gannet.web.problems import record_denial
from gannet.web.reading import one_reading
from gannet.web.room import room

WRITES = ("POST", "PUT", "PATCH", "DELETE")
log = logging.getLogger(__name__)


# The key of a mail comes in a header: it never stands in an address, which is kept in logs.
MAIL_KEY_HEADER = "Gannet-Key"
MAIL_KEY = OpenApiParameter(
    MAIL_KEY_HEADER, str, OpenApiParameter.HEADER, required=True, description="The mail's key."
)


def mail_key_of(request: Request) -> str:
    return request.headers.get(MAIL_KEY_HEADER, "")[:100]


class GannetView(APIView):
    """An API view whose writes answer the same key with the same first answer.

    The key comes in the `Idempotency-Key` header; the answer is kept in the transaction
    of the act, so that an act without its answer, or the reverse, cannot be.
    """

    # What a personal access token needs to get here; None: read to read, write to write.
    needs_scope: str | None = None
    # Sign-in counts failures while it refuses: those must not be rolled back.
    is_atomic = True
    # A question that is put by POST: it writes nothing, takes no lock and has no key.
    asks_only = False
    # Whether the answer may be kept for who asks again with the same key: no secrets.
    keeps_answer = True
    # Whether it writes so little that it may when the disk is all but full: signing in.
    is_small = False

    def dispatch(self, request: Any, *args: Any, **kwargs: Any) -> Any:
        """Who, whether, what – and only then the write lock: it never waits for a body."""
        self.args, self.kwargs = args, kwargs
        asked = self.request = self.initialize_request(request, *args, **kwargs)
        self.headers = self.default_response_headers
        try:
            self.initial(asked, *args, **kwargs)
            response = self._answer(asked)
        except _Refused as refused:
            response = refused.response
        except Exception as error:
            response = self.handle_exception(error)
        self.response = self.finalize_response(asked, response, *args, **kwargs)
        denial = getattr(response, "denial", None)
        if denial is not None:
            person_id = getattr(asked.user, "pk", None) if asked.user is not None else None
            record_denial(person_id, request.method, request.path, denial)
        return self.response

    def _answer(self, request: Request) -> Any:
        name = (request.method or "").lower()
        known = name in self.http_method_names
        handler = getattr(self, name, self.http_method_not_allowed) if known else None
        if handler is None:
            handler = self.http_method_not_allowed
        if request.method not in WRITES:
            with one_reading():
                return handler(request, *self.args, **self.kwargs)
        if request.method != "DELETE":  # whose body says nothing (RFC 9110, 9.3.5)
            with suppress(UnsupportedMediaType):  # the view says so, if it needs the body
                _ = request.data
        if self.asks_only:
            return handler(request, *self.args, **self.kwargs)
        if room().is_out and not self.is_small:
            raise Full(room().sentence)

        def do() -> Any:
            return handler(request, *self.args, **self.kwargs)

        if not self.is_atomic:
            return once_apart(request, do) if self.keeps_answer else do()
        with transaction.atomic():
            response = once(request, do) if self.keeps_answer else do()
            if response.status_code >= 400:
                raise _Refused(response)
            return response

    def initial(self, request: Request, *args: Any, **kwargs: Any) -> None:
        super().initial(request, *args, **kwargs)
        self._check_scope(request)

    def _check_scope(self, request: Request) -> None:
        scopes = getattr(request.auth, "scopes", None)
        if scopes is None:  # a session: it may what its person may
            return
        needed = self.needs_scope or ("write" if request.method in WRITES else "read")
        if needed not in scopes:
            raise Refused(
                "A token cannot do this: sign in."
                if needed == "none"
                else f"This token may {', '.join(scopes)}; this needs {needed}."
            )


class _Refused(Exception):
    """An answer that says no: what was begun is rolled back."""

    def __init__(self, response: Any) -> None:
        self.response = response


@contextmanager
def by_the_way() -> Iterator[None]:
    """What a reading notes by the way must not keep it from being read."""
    try:
        yield
    except OperationalError:
        log.warning("something could not be noted by the way")
