"""Kept queries: what is run again gives what building it anew would give."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from django.db import connection
from django.db.models import Count, F, Q, Value
from django.test.utils import CaptureQueriesContext
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gannet.estate.models import Service
from gannet.people.models import Person, Team
from gannet.people.roles import team_ids
from gannet.rulebook import book
from gannet.rulebook.models import Edition
from gannet.tickets import listing, queries
from gannet.tickets.listed import listed
from gannet.tickets.models import Ticket
from gannet.web.kept import Givens, KeptQueries
from gannet.web.reading import one_reading, read_once
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


def both(build: Callable[[Givens], Any], *all_givens: dict[str, Any]) -> KeptQueries:
    """Run a query with several givens, kept and not, and hold one to the other."""
    kept = KeptQueries()
    for givens in all_givens:
        assert kept.rows("it", build, givens) == list(build(givens)), givens
    return kept


def is_kept(kept: KeptQueries) -> bool:
    return all(found is not None for found in kept._kept.values())


def test_numbers_texts_and_instants_are_put_in_their_places(log: Any) -> None:
    tickets = [log("Maeve", "Boarding gates", title=f"gate {n}") for n in range(4)]

    def build(givens: Givens) -> Any:
        at = seconds_of(givens["now"] - timedelta(hours=2))
        found = Ticket.objects.filter(pk__gte=givens["least"], opened_s__gt=at)
        return found.exclude(title=givens["title"]).order_by("pk").values_list("pk", "title")

    kept = both(
        build,
        {"least": tickets[1].pk, "now": NOW, "title": "gate 2"},
        {"least": 0, "now": NOW, "title": "gate 0"},
        {"least": 0, "now": NOW + timedelta(hours=3), "title": ""},
    )
    assert is_kept(kept) and len(kept._kept) == 1


def test_once_compiled_only_the_sql_is_run(log: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    log("Maeve", "Boarding gates")
    built: list[Givens] = []

    def build(givens: Givens) -> Any:
        built.append(givens)
        return Ticket.objects.filter(requester=givens["person"]).values_list("pk")

    kept = KeptQueries()
    for number in (1, 2, 3):
        kept.rows("it", build, {"person": number})
    assert len(built) == 2, "with two stand-ins, and then never again"
    kept.forget()
    kept.rows("it", build, {"person": 4})
    assert len(built) == 4


@pytest.mark.parametrize(
    "build",
    [
        # A given that decides the SQL, is changed on its way, or cuts the list.
        lambda g: Ticket.objects.order_by("pk").values_list("pk")[: g["n"]],
        lambda g: Ticket.objects.filter(pk__gt=g["n"] * 2).values_list("pk"),
        lambda g: Ticket.objects.filter(title__contains=str(g["n"])).values_list("pk"),
        lambda g: Ticket.objects.none().values_list("pk"),
        lambda g: Ticket.objects.values_list("pk").order_by("pk") if g["n"] > 1 else
        Ticket.objects.values_list("pk").order_by("-pk"),
    ],
)  # fmt: skip
def test_what_cannot_be_kept_is_built_each_time(log: Any, build: Callable[[Givens], Any]) -> None:
    for n in range(5):
        log("Maeve", "Boarding gates", title=f"gate {n}")
    kept = KeptQueries()
    for n in (1, 2, 4, 1):
        assert set(kept.rows("it", build, {"n": n})) == set(build({"n": n})), n


def test_columns_come_back_as_the_fields_have_them(log: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    Ticket.objects.filter(pk=ticket.pk).update(tags=["one", "two"], values={"a": {"b": 1.5}})
    both(
        lambda g: Ticket.objects.filter(pk=g["n"]).values_list(
            "tags", "values", "is_open", "holder"
        ),
        {"n": ticket.pk},
        {"n": 0},
    )
    both(
        lambda g: Ticket.objects.filter(pk=g["n"]).values(one=Value(1)).annotate(
            n=Count("id", filter=Q(opened_s__lt=g["s"])), m=F("one") + 1
        ).values_list("n", "m"),
        {"n": ticket.pk, "s": 10},
        {"n": ticket.pk, "s": 2**40},
    )  # fmt: skip


def test_none_is_another_shape(log: Any) -> None:
    log("Maeve", "Boarding gates")

    def build(givens: Givens) -> Any:
        holder = givens["holder"]
        where = Q(holder__isnull=True) if holder is None else Q(holder=holder)
        return Ticket.objects.filter(where).order_by("pk").values_list("pk")

    numbers = list(Person.objects.values_list("pk", flat=True))
    kept = both(build, {"holder": None}, *({"holder": n} for n in numbers), {"holder": None})
    assert is_kept(kept) and len(kept._kept) == 2


def test_only_so_many_shapes_are_kept(northmere: None, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("gannet.web.kept._MOST_KEPT", 3)
    kept = KeptQueries()
    for n in range(10):
        kept.rows(n, lambda g: Team.objects.filter(pk=g["n"]).values_list("pk"), {"n": n})
    assert len(kept._kept) == 3


PEOPLE = ["Signe", "Joss", "Marit", "Tomas", "Anneke", "Ines", "Lena"]
LEAVES = [
    {"field": "open", "op": "is", "value": True},
    {"field": "holder", "op": "is me"},
    {"field": "team", "op": "is my team"},
    {"field": "opened", "op": "in the last", "value": 5400},
    {"field": "due", "op": "in the next", "value": 7200.5},
    {"field": "service", "op": "is one of", "value": ["boarding GATES", "Berth planner"]},
    {"field": "words", "op": "has words", "value": "gate"},
    {"field": "title", "op": "contains", "value": "2"},
    {"field": "follower", "op": "is me"},
    {"field": "priority", "op": "is", "value": "P3"},
]
trees = st.recursive(
    st.sampled_from(LEAVES),
    lambda inner: st.one_of(
        st.lists(inner, max_size=3).map(lambda parts: {"all": parts}),
        st.lists(inner, max_size=3).map(lambda parts: {"any": parts}),
        inner.map(lambda part: {"not": part}),
    ),
    max_leaves=5,
)


def test_a_list_is_the_same_for_whoever_looks_and_whenever(log: Any, person: Any) -> None:
    """Everybody's lists come from the same kept queries: nobody gets rows of another."""
    for n in range(12):
        service = ["Boarding gates", "Safe computing", None][n % 3]
        log(["Maeve", "Ines"][n % 2], service, title=f"gate {n}")

    @given(
        trees,
        st.lists(
            st.tuples(st.sampled_from(PEOPLE), st.integers(-9000, 9000)), min_size=1, max_size=4
        ),
    )
    @settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
    def agree(tree: dict[str, Any], looks: list[tuple[str, int]]) -> None:
        for name, later in looks:
            who, now = person(name), NOW + timedelta(seconds=later)
            found = listed(who, tree, now)
            plain = set(found.found.values_list("pk", flat=True))
            assert {row["id"] for row in listing.page(found, "due").rows} == plain
            assert queries.total(found) == len(plain)
            counted = listing.groups(found, "service")
            assert sum(group["count"] for group in counted) == len(plain)
            figures = queries.figures(found, seconds_of(now))
            of_open = Ticket.objects.filter(pk__in=plain, is_open=True)
            assert figures["nobodys"] == of_open.filter(holder=None).count()
            assert figures["late"] == of_open.filter(late_from_s__lt=seconds_of(now)).count()

    agree()


def test_a_renamed_service_is_found_by_its_new_name(log: Any, person: Any) -> None:
    log("Maeve", "Boarding gates")
    tree = {"field": "service", "op": "is", "value": "ramp GATES"}
    who = person("Signe")
    assert queries.total(listed(who, tree, NOW)) == 0
    Service.objects.filter(name="Boarding gates").update(name="Ramp gates")
    assert queries.total(listed(who, tree, NOW)) == 1


def test_somebody_who_joins_a_team_sees_what_it_keeps_to_itself(log: Any, person: Any) -> None:
    ticket = log("Maeve", "Safe computing")
    Ticket.objects.filter(pk=ticket.pk).update(is_confidential=1)
    assert queries.total(listed(person("Signe"), None, NOW)) == 0
    ticket.team.memberships.create(person=person("Signe"))
    again = Person.objects.get(pk=person("Signe").pk)
    assert ticket.team_id in team_ids(again)
    assert queries.total(listed(again, None, NOW)) == 1


def test_within_one_reading_the_edition_is_asked_for_once(northmere: None) -> None:
    book.current()  # which reads the edition itself, once for good
    with CaptureQueriesContext(connection) as asked, one_reading():
        assert book.current() is book.current()
        with one_reading():
            book.current()
    assert len(asked) == 2, "an inner reading is one of its own"
    times = []
    with one_reading():
        for _ in range(3):
            read_once("it", lambda: times.append(1))
    assert times == [1]
    read_once("it", lambda: times.append(1))
    assert times == [1, 1], "outside of one, nothing is kept"


def test_a_field_that_another_edition_reads_otherwise_is_ordered_anew(
    log: Any, person: Any
) -> None:
    """What is compared as a number is another query than what is compared as a text."""
    book.forget()
    tickets = [log("Maeve", "Boarding gates") for _ in range(3)]
    for ticket, value in zip(tickets, ("9", "10", "100"), strict=True):
        Ticket.objects.filter(pk=ticket.pk).update(values_folded={"crew": value})

    def order_as(kind: str) -> list[int]:
        before = Edition.objects.latest("number")
        entry = {"key": "crew", "label": "Crew", "type": kind, "is_on": True}
        Edition.objects.create(
            number=before.number + 1,
            document={**before.document, "fields": [entry]},
            published_at=NOW,
            starts_at_s=seconds_of(NOW) - 100 + before.number,
        )
        found = listed(person("Signe"), None, NOW)
        return [row["id"] for row in listing.page(found, "crew").rows]

    by_number, by_text = order_as("number"), order_as("text")
    assert by_number == [ticket.pk for ticket in tickets]
    assert by_text == [tickets[1].pk, tickets[2].pk, tickets[0].pk]
    book.forget()
