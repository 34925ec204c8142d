"""Northmere Ferries in small: made once, and again after tests that empty the database."""

import os
import shutil
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, settings
from pytest_django.plugin import blocking_manager_key

# The machine may be busy with other things: how long an example takes is no finding.
settings.register_profile("gannet", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("gannet")

# Where the data are that many tests begin with; where nothing is made, each makes its own.
MADE = Path(os.environ["GANNET_MADE"]) if os.environ.get("GANNET_MADE") else None
NOW = datetime(2026, 11, 23, 9, 46, tzinfo=UTC)  # a Monday, in office hours


def make_northmere() -> None:
    from gannet.demo.estate import make_estate
    from gannet.demo.organisation import make_organisation
    from gannet.demo.rulebook import document
    from gannet.rulebook import book
    from gannet.rulebook.models import Edition

    book.forget()
    make_organisation(employees=60)
    make_estate()
    Edition.objects.create(number=1, document=document(NOW.date()), published_at=NOW)


@pytest.fixture(scope="session")
def django_db_keepdb() -> bool:
    """Whether the database is there already, made by `tests.made` before all tests."""
    return MADE is not None


@pytest.fixture(scope="session")
def django_db_modify_db_settings(django_db_modify_db_settings: None) -> None:
    if MADE is not None:
        from django.db import connection

        shutil.copy(MADE / "northmere.sqlite3", connection.settings_dict["TEST"]["NAME"])


@pytest.fixture(scope="session")
def django_db_setup(django_db_setup: None, django_db_blocker: Any) -> None:
    from gannet.rulebook.models import Edition

    with django_db_blocker.unblock():
        if not Edition.objects.exists():
            make_northmere()


@pytest.hookimpl(wrapper=True)
def pytest_runtest_teardown(item: pytest.Item) -> Iterator[Any]:
    """Fill the database again after a test that emptied it, once and for all tests that follow.

    Made within each of them it would be taken back with each of them: most of an hour.
    """
    result = yield
    uses_database = {"db", "transactional_db"} & {*getattr(item, "fixturenames", ())}
    if uses_database or item.get_closest_marker("django_db"):
        with item.config.stash[blocking_manager_key].unblock():
            fill_again()
    return result


def fill_again() -> None:
    """Northmere as it was made, where it is gone."""
    from django.db import connection

    from gannet.rulebook import book
    from gannet.rulebook.models import Edition

    if Edition.objects.exists():
        return
    if MADE is None:
        make_northmere()
        return
    connection.ensure_connection()
    with closing(sqlite3.connect(MADE / "northmere.sqlite3")) as made:
        made.backup(connection.connection)
    connection.close()
    book.forget()


@pytest.fixture
def northmere(db: None) -> None:
    from gannet.rulebook.models import Edition

    if not Edition.objects.exists():
        make_northmere()


@pytest.fixture
def person(northmere: None) -> Callable[[str], Any]:
    from gannet.people.models import Person

    # The people of the stories are made first; others may share a first name with them.
    return lambda name: Person.objects.filter(name__startswith=f"{name} ").order_by("pk")[0]


class Clock:
    """The instant at which a test acts; `later` moves it on."""

    def __init__(self) -> None:
        self.now = NOW

    def later(self, **span: float) -> datetime:
        self.now += timedelta(**span)
        return self.now


@pytest.fixture
def at() -> Clock:
    return Clock()


@pytest.fixture
def by(person: Callable[[str], Any], at: Clock) -> Callable[[str | None], Any]:
    from gannet.tickets.actions import Acting

    return lambda name: Acting(person=person(name) if name else None, now=at.now)


@pytest.fixture
def log(person: Callable[[str], Any], by: Callable[[str | None], Any]) -> Callable[..., Any]:
    """Log an incident: `log("Ines", "Boarding gates", who="team", work="no")`."""
    from gannet.estate.models import Service
    from gannet.tickets.actions import NewTicket, log_ticket

    def logged(
        name: str, service: str | None = None, title: str = "It is broken", **answers: str
    ) -> Any:
        new = NewTicket(
            requester=person(name),
            title=title,
            text="Since this morning.",
            service=Service.objects.select_related("team").get(name=service) if service else None,
            answers=answers,
        )
        return log_ticket(new, by(name))

    return logged


@pytest.fixture
def api(client: Any, person: Callable[[str], Any]) -> Callable[[str], Any]:
    """A signed-in API client."""

    def signed_in(name: str) -> Any:
        client.force_login(person(name), backend="gannet.people.signing.SignedInPeople")
        return client

    return signed_in
