"""Kept writes: a row written so is the row that Django would have written."""

from datetime import timedelta
from typing import Any

import pytest
from django.db import connection
from django.db.models import Model
from django.test.utils import CaptureQueriesContext
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gannet.audit.models import Event
from gannet.messages.models import Notification
from gannet.people.models import Absence, Person
from gannet.tickets.models import Reminder, Ticket, Timer, TimerState
from gannet.web import kept_writes
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


def columns(row: Model) -> dict[str, Any]:
    return {
        field.attname: getattr(row, field.attname)
        for field in row._meta.concrete_fields
        if not field.primary_key
    }


def again(row: Model) -> Model:
    return type(row)._default_manager.get(pk=row.pk)


TEXTS = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=40)
JSONS = st.dictionaries(TEXTS, st.none() | st.booleans() | st.integers(-9, 9) | TEXTS, max_size=4)


def test_what_is_inserted_reads_back_as_it_was(log: Any, person: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    who = person("Signe")

    @given(TEXTS, JSONS, st.integers(0, 2**40), st.none() | st.integers(0, 2**40))
    @settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))
    def inserted(text: str, data: dict[str, Any], at: int, gone: int | None) -> None:
        number = (Event.objects.order_by("-id").values_list("id", flat=True).first() or 0) + 1
        rows: list[Model] = [
            Reminder(ticket=ticket, person=who, text=text, at_s=at),
            Notification(person=who, about=f"{at} {gone} {text}"[:80], event_name="x", made_s=at, seen_s=gone, gone_s=at),
            Absence(person=who, starts_at=NOW + timedelta(seconds=at % 9_999), ends_at=NOW, note=text),
            Event(id=number, at_s=at, kind="noted", ticket=ticket, facts=data, values={"it": data}, text=text),
        ]  # fmt: skip
        for row in rows:
            kept_writes.insert([row])
            assert row.pk and not row._state.adding
            assert columns(again(row)) == columns(row)
        Event.objects.filter(pk=number).delete()

    inserted()


def test_several_rows_get_their_own_keys_in_order(log: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    rows = [Timer(ticket=ticket, kind="late", subject=f"it/{n}", at_s=n) for n in range(5)]
    kept_writes.insert(rows)
    assert [row.pk for row in rows] == sorted({row.pk for row in rows})
    stored = Timer.objects.filter(subject__startswith="it/").order_by("pk")
    assert [(row.pk, row.at_s) for row in stored] == [(row.pk, row.at_s) for row in rows]
    kept_writes.insert([])
    with CaptureQueriesContext(connection) as asked:
        kept_writes.insert([])
        kept_writes.update([], ["at_s"])
    assert len(asked) == 0


def test_only_the_named_fields_are_written(log: Any, person: Any) -> None:
    one, other = log("Maeve", "Boarding gates"), log("Ines", None)
    before = columns(again(other))
    for ticket in (one, other):
        ticket.title, ticket.place, ticket.tags, ticket.holder = (
            "new",
            "Quay",
            ["a"],
            person("Signe"),
        )
    kept_writes.update([one, other], ["title", "tags", "holder"])
    for ticket in (one, other):
        stored = Ticket.objects.get(pk=ticket.pk)
        assert (stored.title, stored.tags, stored.holder) == ("new", ["a"], person("Signe"))
        assert stored.place != "Quay"
    changed = {name for name, value in columns(again(other)).items() if value != before[name]}
    assert changed == {"title", "tags", "holder_id"}


def test_what_the_database_forbids_is_refused_as_ever(log: Any, person: Any) -> None:
    from django.db import IntegrityError, transaction

    ticket = log("Maeve", "Boarding gates")
    ticket.is_open = False  # and yet in a state that is open
    with pytest.raises(IntegrityError), transaction.atomic():
        kept_writes.update([ticket], ["is_open"])
    twice = Person(email=person("Signe").email, name="Another", name_folded="another")
    with pytest.raises(IntegrityError), transaction.atomic():
        kept_writes.insert([twice])


def test_of_what_was_read_only_what_changed_is_written(log: Any, person: Any) -> None:
    tickets = [log("Maeve", "Boarding gates") for _ in range(3)]
    read = [kept_writes.as_read(ticket) for ticket in tickets]
    for ticket in tickets[:2]:
        ticket.place = "Quay"
    tickets[0].tags.append("storm")  # in place: it looks as it did
    tickets[2].holder = person("Signe")
    # What somebody else has written since, and this one never touched, stays.
    Ticket.objects.filter(pk=tickets[0].pk).update(cause="cable")
    with CaptureQueriesContext(connection) as asked:
        kept_writes.update_changed(zip(tickets, read, strict=True))
    sets = [query["sql"].partition(" SET ")[2].partition(" WHERE ")[0] for query in asked]
    assert all("priority" not in names and "title" not in names for names in sets)
    assert ["place" in names for names in sets] == [True, False]
    stored = [Ticket.objects.get(pk=ticket.pk) for ticket in tickets]
    assert [one.place == "Quay" for one in stored] == [True, True, False]
    assert (stored[0].tags, stored[0].cause) == (["storm"], "cable")
    assert stored[2].holder == person("Signe")


def test_rows_whose_keys_nobody_asks_for_are_written_all_the_same(log: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    rows = [Timer(ticket=ticket, kind="late", subject=f"it/{n}", at_s=n) for n in range(5)]
    kept_writes.insert_unnamed(rows)
    kept_writes.insert_unnamed([])
    stored = Timer.objects.filter(subject__startswith="it/").order_by("at_s")
    assert list(stored.values_list("subject", "at_s")) == [(row.subject, row.at_s) for row in rows]


def test_members_of_enumerations_and_odd_keys_are_written_as_django_does(log: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    row = Timer(ticket=ticket, kind="late", subject="it", at_s=True, state=TimerState.FIRED)
    kept_writes.insert([row])
    stored = Timer.objects.get(pk=row.pk)
    assert (stored.at_s, stored.state) == (1, TimerState.FIRED)
    ticket.answers = {1: "one"}
    kept_writes.update([ticket], ["answers"])
    assert Ticket.objects.get(pk=ticket.pk).answers == {"1": "one"}
