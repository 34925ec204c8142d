"""Personal access tokens: what a script signs in with, as its person and no further."""

import hashlib
import secrets
from collections.abc import Sequence
from contextlib import suppress
from datetime import datetime, timedelta

from django.db import OperationalError
from django.utils import timezone
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework.authentication import BaseAuthentication
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.request import Request

from gannet.audit import log as audit
from gannet.people.events import PersonEvent
from gannet.people.models import Person, Token
from gannet.web.errors import Invalid, Missing

PREFIX = "gannet_"
SCOPES = ("read", "write", "alerts", "import")
MOST_TOKENS = 20
MOST_DAYS = 366
_NOTE_USE_EVERY = timedelta(minutes=1)


def make_token(
    person: Person, now: datetime, *, name: str, scopes: Sequence[str], days: int
) -> tuple[Token, str]:
    """A new token and its secret, which is shown once and kept nowhere."""
    words = " ".join(name.split())[:80]
    if not words:
        raise Invalid("Say what it is for.", fields={"name": "This is empty."})
    if not scopes or not set(scopes) <= set(SCOPES):
        raise Invalid("Choose what it may do.", fields={"scopes": "Choose at least one."})
    if not 1 <= days <= MOST_DAYS:
        raise Invalid("A token lasts a year at most.", fields={"days": f"1 to {MOST_DAYS}."})
    if person.tokens.filter(revoked_at=None).count() >= MOST_TOKENS:
        raise Invalid(f"At most {MOST_TOKENS} tokens: revoke one first.")
    secret = PREFIX + secrets.token_urlsafe(32)
    token = Token.objects.create(
        person=person,
        name=words,
        digest=digest_of(secret),
        starts=secret[:12],
        scopes=sorted(set(scopes)),
        made_at=now,
        expires_at=now + timedelta(days=days),
    )
    audit.append(
        [
            audit.Entry(
                kind=PersonEvent.TOKEN_MADE,
                at=now,
                actor_id=person.pk,
                values={"name": words, "scopes": list(token.scopes)},
            )
        ]
    )
    return token, secret


def revoke(person: Person, token_id: int, now: datetime) -> None:
    token = person.tokens.filter(pk=token_id, revoked_at=None).first()
    if token is None:
        raise Missing("There is no such token.")
    token.revoked_at = now
    token.save(update_fields=["revoked_at"])
    audit.append(
        [
            audit.Entry(
                kind=PersonEvent.TOKEN_REVOKED,
                at=now,
                actor_id=person.pk,
                values={"name": token.name},
            )
        ]
    )


def digest_of(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


class TokenAuthentication(BaseAuthentication):
    """`Authorization: Bearer …`; the view says which scope it needs."""

    keyword = "bearer"

    def authenticate(self, request: Request) -> tuple[Person, Token] | None:
        given = request.headers.get("Authorization", "")
        kind, _, secret = given.partition(" ")
        if kind.casefold() != self.keyword:
            return None
        found = Token.objects.select_related("person").filter(digest=digest_of(secret)).first()
        now = timezone.now()
        if found is None or found.revoked_at is not None or not found.person.is_active:
            raise AuthenticationFailed("This token is not known, or was revoked.")
        if found.expires_at is not None and found.expires_at <= now:
            raise AuthenticationFailed("This token has expired: make a new one.")
        if found.used_at is None or now - found.used_at > _NOTE_USE_EVERY:
            with suppress(OperationalError):  # a note by the way
                Token.objects.filter(pk=found.pk).update(used_at=now)
        return found.person, found

    def authenticate_header(self, request: Request) -> str:
        return "Bearer"


class TokenScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """How the API's documentation names it."""

    target_class = "gannet.people.tokens.TokenAuthentication"
    name = "token"

    def get_security_definition(self, auto_schema: object) -> dict[str, str]:
        return {"type": "http", "scheme": "bearer"}
