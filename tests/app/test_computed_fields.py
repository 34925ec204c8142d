"""Computed fields: the database computes what the core does, in lists, filters and reports."""

import random
from collections.abc import Callable
from datetime import timedelta
from itertools import pairwise
from statistics import median
from typing import Any

import pytest
import time_machine
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gannet.reports.asking import Spot
from gannet.reports.building import Builder
from gannet.reports.own_values import own_values
from gannet.rulebook.book import current
from gannet.rulebook.models import OpenHours
from gannet.tickets import listing
from gannet.tickets.computing import Computed, computed_fields
from gannet.tickets.fields import record_of, registry
from gannet.tickets.listed import listed
from gannet.tickets.models import Ticket
from gannet.tickets.orm_conditions import to_q
from gannet.tickets.setting import set_custom
from gannet.trials.checking import findings_of
from gannet_core import computed
from gannet_core import reports as core
from gannet_core.conditions import Context, evaluate
from gannet_core.instants import instant_of
from gannet_core.uses import used_by
from tests.app.test_engine import publish
from tests.app.test_report_tables import NOW_S, work
from tests.conftest import NOW

__all__ = ["work"]  # sixty records of a year

pytestmark = pytest.mark.django_db
Who = Callable[[str], Any]

NUMBERS = ("minutes", "hand-overs", "reopenings", "score", "passengers", "[service.criticality]")
TEXTS = ("title", "category", "place", "holder", "priority", "sailing", "drawer")
TRUTHS = ("open", "confidential", "[first line]")
MOMENTS = ("opened", "[first answer]", "resolved", "closed", "now")


def number(depth: int) -> st.SearchStrategy[str]:
    plain = st.one_of(
        st.sampled_from([one if one.startswith("[") else f"[{one}]" for one in NUMBERS]),
        st.integers(0, 40).map(str),
        st.sampled_from(["0.5", "2.25"]),
    )
    if depth == 0:
        return plain
    inner, at = number(depth - 1), moment(depth - 1)
    return st.one_of(
        plain,
        st.tuples(inner, st.sampled_from("+-×÷*/"), inner).map(lambda one: f"({' '.join(one)})"),
        inner.map(lambda one: f"-({one})"),
        st.tuples(inner, inner).map(lambda one: f"if empty({one[0]}, {one[1]})"),
        st.tuples(st.sampled_from(["days", "hours", "service hours"]), at, at).map(
            lambda one: f"{one[0]} between({one[1]}, {one[2]})"
        ),
    )


def moment(depth: int) -> st.SearchStrategy[str]:
    plain = st.sampled_from(MOMENTS)
    if depth == 0:
        return plain
    inner = moment(depth - 1)
    return st.one_of(plain, st.tuples(inner, inner).map(lambda o: f"if empty({o[0]}, {o[1]})"))


def text(depth: int) -> st.SearchStrategy[str]:
    plain = st.one_of(st.sampled_from(TEXTS), st.sampled_from(['"Mail"', '" / "', '"É"']))
    if depth == 0:
        return plain
    inner = text(depth - 1)
    return st.one_of(
        plain,
        st.tuples(inner, inner).map(lambda one: f"({one[0]} + {one[1]})"),
        st.tuples(inner, inner).map(lambda one: f"if empty({one[0]}, {one[1]})"),
    )


def truth(depth: int) -> st.SearchStrategy[str]:
    plain = st.sampled_from(TRUTHS)
    if depth == 0:
        return plain
    orders = st.sampled_from(["=", "≠", "<", "≤", ">", "≥", "<>", "<=", ">="])
    same = st.sampled_from(["=", "≠"])
    pairs = [st.tuples(one, orders, one) for one in
             (number(depth - 1), text(depth - 1), moment(depth - 1))]  # fmt: skip
    pairs.append(st.tuples(truth(depth - 1), same, truth(depth - 1)))
    return st.one_of(plain, *[pair.map(lambda one: f"({' '.join(one)})") for pair in pairs])


expressions = st.one_of(number(3), text(2), truth(2), moment(2))


@pytest.fixture
def many(work: list[Ticket]) -> list[Ticket]:
    """Records with fields of the rulebook's own, some of them empty."""
    rng, book = random.Random(3), current()
    for ticket in work:
        set_custom(ticket, "passengers", rng.choice([None, 0, 2.5, 40]), book)
        set_custom(ticket, "sailing", rng.choice([None, "Skerry 7", "ÉTOILE"]), book)
        set_custom(ticket, "drawer", rng.choice([None, "Main", "Spare"]), book)
        ticket.save()
    return list(Ticket.objects.order_by("pk"))


def compiled(expression: str, calendar: str = "") -> Computed:
    about = computed.readable({name: one.about() for name, one in registry().items()})
    return Computed(computed.check(expression, about), calendar)


def a_calendar() -> str:
    """The key of a calendar whose hours the database knows."""
    key = current().calendar_keys[0]
    entry = {"key": "known", "label": "Known", "expression": "minutes", "calendar": key}
    publish(lambda document: document.update(computed=[entry]))
    return str(key)


def alike(one: Any, other: Any) -> bool:
    if isinstance(one, (int, float)) and isinstance(other, (int, float)):
        return abs(one - other) < 2e-6 * max(1.0, abs(one))
    return bool(one == other)


def test_the_database_computes_what_the_core_does(many: list[Ticket]) -> None:
    calendar = a_calendar()
    book = current()
    records = {ticket.pk: record_of(ticket) for ticket in many}

    @given(expressions)
    @settings(max_examples=150, deadline=None,
              suppress_health_check=[HealthCheck.too_slow])  # fmt: skip
    def agrees(expression: str) -> None:
        one = compiled(expression, calendar)
        read = Ticket.objects.annotate(said=one.expression(NOW_S)).values_list("pk", "said")
        for pk, said in read:
            wanted = one.of_record(records[pk], NOW_S, book)
            if one.node.type == computed.INSTANT and wanted is not None:
                said = instant_of(said)
            assert alike(said, wanted), (expression, pk, said, wanted)

    agrees()


def test_filters_by_what_is_computed_let_the_same_through(many: list[Ticket]) -> None:
    calendar = a_calendar()
    entries = [
        ("hours_open", "hours between(opened, if empty(resolved, now))"),
        ("served", "service hours between(opened, if empty(resolved, now))"),
        ("was_long", "minutes > 40"),
        ("about", 'category + " at " + place'),
        ("ended", "if empty(resolved, closed)"),
        ("per_reply", "minutes ÷ [hand-overs]"),
        ("who", "if empty(sailing, title)"),
    ]
    publish(lambda document: document.update(computed=[
        {"key": key, "label": key, "expression": text, "calendar": calendar}
        for key, text in entries
    ]))  # fmt: skip
    fields = computed_fields(current())
    assert set(fields) == {key for key, _ in entries}
    # What counts to now counts to the same now on both ways, however slow the machine is.
    with time_machine.travel(NOW, tick=False):
        records = {
            ticket.pk: {name: field.read(ticket) for name, field in fields.items()}
            for ticket in many
        }
    context = Context(now=NOW, me="", my_teams=())
    values: dict[str, list[Any]] = {
        "number": [0, 2, 7.5, 40, 500],
        "yes/no": [True, False],
        "text": ["Mail at Saltgate", "MAIL AT ORRIN BAY", "étoile", "at", "Skerry 7", ""],
        "instant": ["2026-10-01T00:00:00Z", "2026-03-01T12:00:00Z"],
    }
    ops = {
        "number": ["is", "is not", "is one of", "is none of", "<", "<=", ">", ">=", "between"],
        "yes/no": ["is", "is not"],
        "text": ["is", "is not", "is one of", "is none of", "contains", "starts with"],
        "instant": ["before", "after", "between", "in the last", "in the next"],
    }
    rng, kept = random.Random(11), 0
    for _ in range(150):
        name = rng.choice([*fields])
        kind = fields[name].type
        op = rng.choice([*ops[kind], "is empty", "is filled"])
        if kind == "yes/no" and op in ("is empty", "is filled"):
            continue
        leaf: dict[str, Any] = {"field": name, "op": op}
        if op in ("is one of", "is none of"):
            leaf["value"] = rng.sample(values[kind], 2)
        elif op == "between":
            leaf["value"] = sorted(rng.sample(values[kind], 2))
        elif op in ("in the last", "in the next"):
            leaf["value"] = rng.choice([86_400, 86_400 * 60])
        elif op not in ("is empty", "is filled"):
            leaf["value"] = rng.choice(values[kind])
        found = set(Ticket.objects.filter(to_q(leaf, context)).values_list("pk", flat=True))
        wanted = {pk for pk, one in records.items() if evaluate(leaf, one, context=context).result}
        kept += 0 < len(found) < len(many)
        assert found == wanted, leaf
    assert kept > 40  # most of them choose some and leave others


def test_a_list_shows_orders_and_groups_by_what_is_computed(
    many: list[Ticket], person: Who, monkeypatch: pytest.MonkeyPatch
) -> None:
    publish(lambda document: document.update(computed=[
        {"key": "days", "label": "Days", "expression": "days between(opened, now)"},
        {"key": "busy", "label": "Busy", "expression": "[hand-overs] ≥ 2"},
    ]))  # fmt: skip
    marit = person("Marit")
    # The second and third are answered from SQL that was compiled for the first.
    for later in (timedelta(), timedelta(days=2), timedelta(days=5)):
        now = NOW + later
        tree = {"field": "days", "op": ">", "value": 100}
        found = listed(marit, tree, now)
        rows = listing.page(found, "-days", ["days", "busy"]).rows
        assert rows
        for row in rows:
            ticket = Ticket.objects.get(pk=row["id"])
            days = (NOW_S + later.total_seconds() - ticket.opened_s) / 86_400
            assert row["cells"]["days"] == pytest.approx(days, abs=0.006)
            assert row["cells"]["busy"] is (ticket.hand_overs >= 2)
        days_shown = [row["cells"]["days"] for row in rows]
        assert days_shown == sorted(days_shown, reverse=True)
        assert min(days_shown) > 100
        groups = {one["value"]: one["count"] for one in listing.groups(found, "busy")}
        assert sum(groups.values()) == found.found.count()
        every = listing.of_numbers(found, [rows[0]["id"]], ["days"])
        assert every[0]["cells"]["days"] == rows[0]["cells"]["days"]
    monkeypatch.setattr(listing, "PAGE", 10)
    past_first = listing.page(listed(marit, None, NOW), "-days", ["days"])
    assert past_first.next_cursor
    following = listing.page(listed(marit, None, NOW), "-days", ["days"], past_first.next_cursor)
    assert following.rows
    assert following.rows[0]["cells"]["days"] <= past_first.rows[-1]["cells"]["days"]


def test_a_report_counts_and_measures_by_what_is_computed(many: list[Ticket], person: Who) -> None:
    publish(lambda document: document.update(computed=[
        {"key": "half", "label": "Half hours", "expression": "minutes ÷ 30"},
        {"key": "size", "label": "Size", "expression": 'if empty(drawer, "none at all")'},
        {"key": "over", "label": "It ended", "expression": "if empty(resolved, closed)"},
    ]))  # fmt: skip
    said = {
        "kind": "", "event": "of all time",
        "rows": [{"field": "size"}], "columns": {"field": "over", "by": "quarter"},
        "measures": [{"of": "records", "way": "count"}, {"of": "field half", "way": "mean"},
                     {"of": "field half", "way": "median"},
                     {"of": "field passengers", "way": "sum"}],
    }  # fmt: skip
    builder = Builder(core.read_definition(said, own_values(current())), person("Tomas"), NOW)
    table = builder.table()
    assert len(table.rows) == 3
    assert len(table.columns) > 2
    for row in table.rows:
        key = row.path[0].key
        mine = [one for one in many if (one.values.get("drawer") or "none at all") == key]
        mine = [one for one in mine if not one.is_confidential]
        halves = [round(one.minutes / 30, 3) for one in mine]
        assert row.total[0] == len(mine) == builder.records(Spot((key,))).count()
        assert row.total[1] == pytest.approx(sum(halves) / len(halves), abs=1e-6)
        assert row.total[2] == pytest.approx(median(halves), abs=0.02)
        assert row.total[3] == sum(one.values.get("passengers") or 0 for one in mine)
        for column, cell in zip(table.columns, row.cells, strict=True):
            spot = Spot((key,), column.key)
            assert (cell[0] or 0) == builder.records(spot).count()
            assert builder.figures(spot) == tuple(cell)
    banded = Builder(core.read_definition(
        {**said, "rows": [{"field": "field half", "by": "band"}], "columns": None},
        own_values(current())), person("Tomas"), NOW)  # fmt: skip
    shown = banded.table()
    assert sum(row.total[0] or 0 for row in shown.rows) == table.total[0]
    for row in shown.rows:
        assert banded.records(Spot((row.path[0].key,))).count() == row.total[0]


@pytest.mark.parametrize(
    ("entry", "part"),
    [
        ({"expression": "nothing + 1"}, "there is no field “nothing”"),
        ({"expression": "title + 1"}, "needs number"),
        ({"expression": "1 + 2"}, "It reads no field"),
        ({"expression": "tags"}, "there is no field “tags”"),
        ({"expression": "service hours between(opened, now)"}, "of no calendar"),
        ({"expression": "minutes", "calendar": "gone"}, "gone"),
        ({"expression": "minutes", "key": "passengers"}, "another field with the key"),
        ({"expression": "minutes", "label": "priority"}, "two fields called"),
    ],
)
def test_what_is_wrong_with_a_computed_field_is_found(
    northmere: None, entry: dict[str, Any], part: str
) -> None:
    document = {**current().document, "computed": [{"key": "mine", "label": "Mine", **entry}]}
    found = [one for one in findings_of(document, NOW) if one.section == "computed"]
    assert any(part in f"{one.says} {one.why}" for one in found), found


def test_a_field_that_an_expression_reads_is_used_and_its_end_is_noticed(northmere: None) -> None:
    entry = {"key": "mine", "label": "Mine", "expression": "passengers × 2 + minutes"}
    document = {**current().document, "computed": [entry]}
    uses = used_by(document)["fields"]["passengers"]
    assert ("computed", "Mine", "its expression") in [
        (one.by_section, one.by_name, one.place) for one in uses
    ]
    publish(lambda book: book.update(
        computed=[entry], fields=[one for one in book["fields"] if one["key"] != "passengers"],
        forms=[],
    ))  # fmt: skip
    assert "mine" not in computed_fields(current())  # and no list falls over it


def test_the_hours_of_a_calendar_are_kept_once_and_again_when_they_change(northmere: None) -> None:
    key = a_calendar()
    marks = set(OpenHours.objects.values_list("mark", flat=True))
    assert marks
    publish(lambda document: document["computed"][0].update(label="Other"))
    assert set(OpenHours.objects.values_list("mark", flat=True)) == marks

    def shorter(document: dict[str, Any]) -> None:
        calendar = next(one for one in document["calendars"] if one["key"] == key)
        calendar["zone"] = "Pacific/Auckland"

    publish(shorter)
    added = set(OpenHours.objects.values_list("mark", flat=True)) - marks
    assert len(added) == 1
    spans = list(OpenHours.objects.filter(mark__in=added).order_by("from_s"))
    for one, following in pairwise(spans):
        assert one.to_s < following.from_s
        assert following.before_s == one.before_s + one.to_s - one.from_s


def tried(api: Any, expression: str, who: str = "Anneke", **more: Any) -> Any:
    return api(who).post(
        "/api/rulebook/computed/try",
        {"expression": expression, **more},
        content_type="application/json",
    )


def test_an_expression_is_tried_on_records_before_it_is_published(
    many: list[Ticket], api: Any
) -> None:
    found = tried(api, "minutes ÷ ([hand-overs] + 1)").json()
    assert (found["type"], found["error"]) == ("number", "")
    seen = found["tried"]
    assert seen == len([one for one in many if not one.is_confidential])
    assert 0 < len(found["examples"]) <= 6
    for one in found["examples"]:
        ticket = Ticket.objects.get(pk=one["number"])
        assert float(one["value"]["text"]) == pytest.approx(
            ticket.minutes / (ticket.hand_overs + 1), abs=0.006
        )
        assert [said["label"] for said in one["reads"]] == ["minutes logged", "hand-overs"]
    # Those that have a value come first, and how many have one is said.
    ended = tried(api, "if empty(resolved, closed)").json()
    filled = [one["value"]["at_s"] is not None for one in ended["examples"]]
    assert filled == sorted(filled, reverse=True)
    assert 0 < ended["filled"] < ended["tried"]
    assert tried(api, "minutes > 10").json()["examples"][0]["value"]["text"] in ("yes", "no")
    hours = "service hours between(opened, now)"
    assert tried(api, hours).json()["filled"] == 0  # of no calendar
    key = current().calendar_keys[0]
    assert tried(api, hours, calendar=key).json()["filled"] == seen


@pytest.mark.parametrize(
    ("expression", "says", "at"),
    [
        ("minutes + nix", "there is no field “nix”", 11),
        ("minutes + title", "“+” needs number, this is text", 9),
        ("(minutes", "this bracket is never closed", 1),
        ("", "something is missing at the end", None),
        ("minutes ? 3", "“? 3” is not understood", 8),
    ],
)
def test_what_is_wrong_with_an_expression_is_said_at_its_place(
    northmere: None, api: Any, expression: str, says: str, at: int | None
) -> None:
    found = tried(api, expression).json()
    assert (found["error"], found["at"]) == (says, at)
    assert found["examples"] == []


def test_only_who_edits_the_rulebook_tries_expressions(northmere: None, api: Any) -> None:
    assert tried(api, "minutes", who="Signe").status_code == 403
    assert api("Marit").get("/api/rulebook/computed/fields").status_code == 403
    names = {one["name"] for one in api("Anneke").get("/api/rulebook/computed/fields").json()}
    assert {"minutes", "opened", "passengers"} <= names
    assert not {"tags", "ci.group", "ci.services", "follower"} & names
    assert tried(api, "x" * 2001).status_code == 422
