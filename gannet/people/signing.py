"""Who is signed in, found with two short queries that are compiled once."""

from typing import Any

from django.contrib.auth.backends import ModelBackend
from django.contrib.sessions.backends import db
from django.contrib.sessions.models import Session
from django.db import DEFAULT_DB_ALIAS
from django.db.models import QuerySet
from django.utils import timezone

from gannet.people.models import Person
from gannet.web.kept import Givens, KeptQueries

_COLUMNS = [field.attname for field in Person._meta.concrete_fields]
_people = KeptQueries()
_sessions = KeptQueries()


def _person(givens: Givens) -> QuerySet[Any, Any]:
    return Person.objects.filter(pk=givens["person"]).values_list(*_COLUMNS)


def person_numbered(number: int) -> Person | None:
    """A person by number, as the database has them now."""
    rows = _people.rows((), _person, {"person": number})
    return Person.from_db(DEFAULT_DB_ALIAS, _COLUMNS, rows[0]) if rows else None


class SignedInPeople(ModelBackend):
    """Django's own backend; only who somebody is, is asked with a kept query."""

    def get_user(self, user_id: int) -> Any:
        person = person_numbered(user_id)
        return person if person and self.user_can_authenticate(person) else None


def _session(givens: Givens) -> QuerySet[Any, Any]:
    found = Session.objects.filter(session_key=givens["key"])
    return found.values_list("session_key", "session_data", "expire_date")


class SessionStore(db.SessionStore):
    """Django's sessions in the database, read with a kept query."""

    @classmethod
    def get_model_class(cls) -> type[Session]:
        return Session

    def _get_session_from_db(self) -> Session | None:
        rows = _sessions.rows((), _session, {"key": self.session_key or ""})
        for key, data, until in rows:
            if until > timezone.now():
                return Session(session_key=key, session_data=data, expire_date=until)
        self._session_key = None
        return None
