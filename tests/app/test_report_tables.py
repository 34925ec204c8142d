"""Any report against a plain recount, and the list behind each cell against the cell."""

import csv
import io
import json
import random
import zipfile
from collections.abc import Callable
from datetime import timedelta
from statistics import median
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from gannet.people.models import Team
from gannet.reports.asking import Spot
from gannet.reports.building import Builder
from gannet.reports.fields import groupable, zone
from gannet.reports.shipped import SHIPPED
from gannet.rulebook.book import current
from gannet.tickets import policies
from gannet.tickets.fields import registry
from gannet.tickets.models import Clock, ClockStateCode, Ticket
from gannet.tickets.states import state_code
from gannet_core import reports as core
from gannet_core.conditions import fold
from gannet_core.instants import seconds_of
from tests.app.test_engine import publish
from tests.conftest import NOW
from tests.lengths import up_to
from tests.pieces import piece_of

pytestmark = pytest.mark.django_db
JSON = "application/json"
Who = Callable[[str], Any]
NOW_S = seconds_of(NOW)
_DAY = 86_400
ROWS = ("team", "priority", "service", "category", "place", "state", "holder", "kind", "channel",
        "confidential", "requester.department", "ci.kind")  # fmt: skip
TIMES = ("opened", "resolved", "closed")
BANDED = ("age", "minutes", "hand-overs", "resolution")
BYS = ("month", "week", "quarter", "day", "weekday", "hour of day")
VALUES = ("age", "first response", "resolution", "hand-overs", "reopenings", "minutes", "score",
          "first line", "reopened", "with knowledge", "response met", "resolution met")  # fmt: skip


@pytest.fixture
def work(log: Any, person: Who) -> list[Ticket]:
    """Sixty records over a year, each at random: open, resolved, closed, of every team."""
    rng = random.Random(7)
    like = log("Lena", "Crew roster", who="team", work="no")
    teams, signe, ines = list(Team.objects.all()), person("Signe"), person("Ines")
    closed, resolved = state_code("closed"), state_code("resolved")
    for number in range(60):
        opened = NOW_S - rng.randrange(400 * _DAY)
        ticket = Ticket.objects.get(pk=like.pk)
        ticket.pk, ticket.opened_s, ticket.version = 5000 + number, opened, 1
        ticket.team, ticket.priority = rng.choice(teams), rng.randrange(1, 5)
        ticket.category = rng.choice(["Mail", "mail", "", "Tills"])
        ticket.place = rng.choice(["Saltgate", "Orrin Bay", ""])
        ticket.holder = rng.choice([None, signe, ines])
        ticket.hand_overs, ticket.minutes = rng.randrange(4), rng.randrange(90)
        ticket.reopenings = rng.choice([0, 0, 1])
        ticket.score = rng.choice([None, 1, 4, 5])
        ticket.is_confidential = rng.choice([0, 0, 0, 1])
        ticket.answered_s = rng.choice([None, opened + rng.randrange(_DAY)])
        ended = min(opened + rng.randrange(1, 40 * _DAY), NOW_S)
        match rng.choice(["open", "resolved", "closed", "cancelled"]):
            case "resolved":
                ticket.resolved_s, ticket.state, ticket.is_open = ended, resolved, False
            case "closed":
                ticket.resolved_s, ticket.closed_s = ended, min(ended + 7 * _DAY, NOW_S)
                ticket.state, ticket.is_open = closed, False
            case "cancelled":
                ticket.closed_s, ticket.state, ticket.is_open = ended, closed, False
        ticket.is_first_line = rng.choice([0, 1])
        ticket.save(force_insert=True)
        for kind in ("answer", "fix"):
            Clock.objects.create(
                ticket=ticket, kind=kind, agreement="x", edition=1, calendar="x",
                target_seconds=3600, normal_seconds=3600, priority=3, remaining_seconds=60,
                state=rng.choice([ClockStateCode.MET, ClockStateCode.MISSED,
                                  ClockStateCode.RUNNING, ClockStateCode.CANCELLED]),
            )  # fmt: skip
    return list(Ticket.objects.all())


def value_of(ticket: Ticket, name: str) -> int | None:
    """A value of a record, worked out from the record alone."""
    ended = NOW_S if ticket.is_open else ticket.closed_s or ticket.resolved_s or NOW_S
    is_resolved = ticket.resolved_s is not None
    if name in ("response met", "resolution met"):
        kind = "answer" if name == "response met" else "fix"
        clock = next((one for one in ticket.clocks.all() if one.kind == kind), None)
        if clock is None or clock.state not in (ClockStateCode.MET, ClockStateCode.MISSED):
            return None
        return int(clock.state == ClockStateCode.MET)
    known = {
        "age": ended - ticket.opened_s,
        "first response": ticket.answered_s and ticket.answered_s - ticket.opened_s,
        "resolution": ticket.resolved_s and ticket.resolved_s - ticket.opened_s,
        "hand-overs": ticket.hand_overs,
        "reopenings": ticket.reopenings,
        "minutes": ticket.minutes,
        "score": ticket.score,
        "first line": ticket.is_first_line if is_resolved else None,
        "reopened": int(ticket.reopenings > 0) if is_resolved or ticket.reopenings else None,
        "with knowledge": int(ticket.article_id is not None) if is_resolved else None,
    }
    return known[name]


def figure(tickets: list[Ticket], of: str, way: str) -> float | None:
    if of == "records":
        return len(tickets)
    values = [value for one in tickets if (value := value_of(one, of)) is not None]
    if way == "sum":
        return sum(values)
    if not values:
        return None
    match way:
        case "share":
            return 100 * sum(values) / len(values)
        case "mean":
            return sum(values) / len(values)
        case "median":
            return median(values)
        case "min":
            return min(values)
        case _:
            return max(values)


def key_of(ticket: Ticket, field: str, by: str, where: ZoneInfo) -> Any:
    """The group that a record falls into: words folded, moments as their piece of time."""
    if by:
        at = {"opened": ticket.opened_s, "resolved": ticket.resolved_s, "closed": ticket.closed_s}
        return None if at[field] is None else piece_of(at[field] or 0, by, where)
    value = registry(current())[field].read(ticket)
    if value in (None, ""):
        return None
    return fold(value) if isinstance(value, str) else value


def a_report(rng: random.Random) -> dict[str, Any]:
    """Any report that can be."""
    event = rng.choice(
        ["opened", "resolved", "closed", "open now", "open at the end of each", "of all time"]
    )
    spans: list[Any] = ["this year", "last 90 days", "this quarter", "last 365 days",
                        {"from": "2026-02-10", "to": "2026-08-20"}]  # fmt: skip

    def dimension() -> dict[str, str]:
        if rng.random() < 0.15:
            return {"field": rng.choice(BANDED), "by": "band"}
        if rng.random() < 0.4:
            return {"field": rng.choice(TIMES), "by": rng.choice(BYS[:3] + BYS[4:])}
        return {"field": rng.choice(ROWS)}

    shares = [name for name in VALUES if core.VALUES[name].is_share]
    measures = [{"of": "records", "way": "count"}]
    for name in rng.sample(VALUES, 2):
        ways = ["share"] if name in shares else ["mean", "median", "sum", "min", "max"]
        measures.append({"of": name, "way": rng.choice(ways)})
    found = {
        "kind": rng.choice(["", "incident", "request"]),
        "event": event,
        "span": rng.choice(spans),
        "rows": [dimension() for _ in range(rng.choice([0, 1, 1, 2]))],
        "columns": dimension() if rng.random() < 0.5 else None,
        "measures": measures,
        "where": rng.choice([
            None, {"field": "hand-overs", "op": ">=", "value": 1},
            {"any": [{"field": "place", "op": "is", "value": "Saltgate"},
                     {"field": "priority", "op": "is", "value": "P1"}]},
        ]),
        "top": rng.choice([0, 0, 2]),
    }  # fmt: skip
    if event == "open at the end of each":
        found["rows"] = [{"field": "opened", "by": rng.choice(["week", "month", "day"])}]
        found["columns"] = {"field": rng.choice(ROWS)} if rng.random() < 0.5 else None
        found["measures"] = rng.choice([
            measures[:1], [{"of": "came", "way": "count"}, {"of": "went", "way": "count"},
                           *measures[:1]],
        ])  # fmt: skip
    dimensions = [*found["rows"], *([found["columns"]] if found["columns"] else [])]
    written = [json.dumps(one) for one in dimensions]
    return found if len(set(written)) == len(written) else a_report(rng)


def ended_s(ticket: Ticket) -> int | None:
    return ticket.resolved_s if ticket.resolved_s is not None else ticket.closed_s


def was_open(ticket: Ticket, at_s: int) -> bool:
    ended = ended_s(ticket)
    return ticket.opened_s <= at_s and (ended is None or ended > at_s)


def counted(builder: Builder, seen: list[Ticket]) -> list[Ticket]:
    """The records that a report counts at all, chosen by hand."""
    found, span = builder.found, builder.span
    event = found.event
    at = {"opened": "opened_s", "resolved": "resolved_s", "closed": "closed_s"}.get(event)
    rows = [one for one in seen if not found.kind or one.kind == found.kind]
    where = found.where or {}
    if where.get("field") == "hand-overs":
        rows = [one for one in rows if one.hand_overs >= 1]
    elif "any" in where:
        rows = [one for one in rows if one.place == "Saltgate" or one.priority == 1]
    if event == "open now":
        return [one for one in rows if one.is_open]
    if at is None:
        return rows
    start, end = seconds_of(span.start), seconds_of(span.end)
    return [one for one in rows if start <= (getattr(one, at) or 0) < end]


@pytest.mark.parametrize("seed", range(up_to(7, 10)))
@pytest.mark.parametrize("who", ["Signe", "Tomas"])
def test_every_cell_is_a_plain_recount_and_the_size_of_its_list(
    work: list[Ticket], person: Who, who: str, seed: int
) -> None:
    rng, somebody = random.Random(seed * 31), person(who)
    seen = list(policies.visible_to(somebody).prefetch_related("clocks"))
    for _ in range(4):
        definition = a_report(rng)
        if who == "Signe":  # single people of the desk are not for agents
            definition = json.loads(json.dumps(definition).replace('"holder"', '"requester"'))
        if len({json.dumps(one) for one in [*definition["rows"], definition["columns"]]}) < (
            len(definition["rows"]) + 1
        ):
            continue
        builder = Builder(core.read_definition(definition), somebody, NOW)
        shown, mine = builder.table(), counted(builder, seen)
        check(builder, shown, mine, definition)


def check(
    builder: Builder, shown: core.Table, mine: list[Ticket], definition: dict[str, Any]
) -> None:
    where, found = zone(), builder.found
    heads = [row.path[0].key for row in shown.rows if len(row.path) == 1]
    plain = [fold(key) if isinstance(key, str) else key for key in heads]

    bands = {
        one.field: bands_of({some.pk: value_of(some, one.field) for some in mine}, one.field)
        for one in found.dimensions
        if one.by == core.BAND
    }

    def belongs(ticket: Ticket, one: core.Dimension, key: Any) -> bool:
        if one.by == core.BAND:
            return bands[one.field][ticket.pk] == key
        there = key_of(ticket, one.field, one.by, where)
        if key == core.REST:
            return there not in plain
        if isinstance(key, str) and not one.by:
            key = fold(key)
        return bool(there == key)

    rows = [*shown.rows, core.Row((), shown.totals, shown.total)]
    some = Sample(len(rows) * (len(shown.columns) + 1))
    for row in rows:
        path = tuple(one.key for one in row.path)
        cells = zip((*(one.key for one in shown.columns), core.TOTAL), (*row.cells, row.total),
                    strict=True)  # fmt: skip
        for column, figures in cells:
            spot = Spot(path, column)
            if found.event == core.OPEN_AT_END:
                if not path or figures[0] is None:
                    continue
                ends = core.edges(found.rows[0], builder.span.start, builder.span.end, where)
                end = ends.starts_s[ends.keys.index(str(path[0])) + 1]
                chosen = [one for one in mine if was_open(one, min(end, NOW_S))]
                start = ends.starts_s[ends.keys.index(str(path[0]))]
                if start >= NOW_S:
                    assert not any(figures)
                    continue
                if len(figures) == 3:
                    check_flow(builder, spot, figures, start, min(end, NOW_S), mine, belongs)
                    continue
            else:
                chosen = [
                    one
                    for one in mine
                    if all(belongs(one, d, k) for d, k in zip(found.rows, path, strict=False))
                ]
            if column != core.TOTAL and found.columns:
                chosen = [one for one in chosen if belongs(one, found.columns, column)]
            expected = [figure(chosen, one.of, one.way) for one in found.measures]
            assert figures == pytest.approx(tuple(expected)), (definition, path, column)
            if path and not some.next_is_tried():
                continue
            listed_ = set(builder.cell(spot).found.values_list("pk", flat=True))
            assert listed_ == {one.pk for one in chosen}, (definition, path, column)
            assert builder.figures(spot) == pytest.approx(figures), (definition, path, column)


def bands_of(values: dict[int, int | None], name: str) -> dict[int, int | None]:
    """The band of each record by its value: where it begins."""
    known = [value for value in values.values() if value is not None]
    steps = core.bands(core.VALUES[name].unit, min(known), max(known)) if known else ()
    return {
        number: None if value is None else max(step for step in steps if step <= value)
        for number, value in values.items()
    }


class Sample:
    """Which of many cells are opened: about twenty, evenly, though each is recounted."""

    def __init__(self, cells: int) -> None:
        self._every, self._seen = max(1, cells // 20), 0

    def next_is_tried(self) -> bool:
        self._seen += 1
        return self._seen % self._every == 0


def check_flow(
    builder: Builder, spot: Spot, figures: Any, start: int, end: int, mine: list[Ticket],
    belongs: Any,
) -> None:  # fmt: skip
    """What came and went in a piece, and the lists behind both."""
    if spot.column != core.TOTAL and builder.found.columns:
        mine = [one for one in mine if belongs(one, builder.found.columns, spot.column)]
    came = {one.pk for one in mine if start < one.opened_s <= end}
    went = {one.pk for one in mine if start < (ended_s(one) or 0) <= end}
    still = {one.pk for one in mine if was_open(one, end)}
    assert figures == (len(came), len(went), len(still)), spot
    assert builder.figures(spot) == figures
    for of, chosen in (("came", came), ("went", went), ("records", still)):
        behind = builder.cell(Spot(spot.path, spot.column, of)).found
        assert set(behind.values_list("pk", flat=True)) == chosen, (spot, of)


def asked(definition: dict[str, Any]) -> str:
    return json.dumps(definition)


def by_team(**some: Any) -> dict[str, Any]:
    return {
        "kind": "incident", "event": "opened", "span": "last 365 days",
        "rows": [{"field": "team"}], "measures": [{"of": "records", "way": "count"}], **some,
    }  # fmt: skip


def test_each_counts_only_what_they_may_see(work: list[Ticket], api: Any, person: Who) -> None:
    totals = {}
    for who in ("Signe", "Tomas", "Anneke"):
        got = api(who).get("/api/reports/table", {"report": asked(by_team())})
        assert got.status_code == 200, got.json()
        totals[who] = got.json()["table"]["total"][0]
        start = NOW_S - 365 * _DAY
        seen = policies.visible_to(person(who)).filter(kind="incident", opened_s__gte=start)
        assert abs(totals[who] - seen.count()) <= 1  # a day's edge lies between
    hidden = Ticket.objects.filter(is_confidential=1).count()
    assert hidden > 0 and totals["Signe"] > totals["Tomas"]
    refused = api("Ines").get("/api/reports/table", {"report": asked(by_team())})
    assert refused.status_code == 403


def test_figures_of_single_people_are_for_whom_the_rulebook_says(
    work: list[Ticket], api: Any
) -> None:
    people = by_team(rows=[{"field": "holder"}])
    got = api("Signe").get("/api/reports/table", {"report": asked(people)})
    assert got.status_code == 422 and got.json()["fields"] == {
        "rows": "figures of single people are not for you to see"
    }
    fields = api("Signe").get("/api/reports").json()["words"]["dimensions"]
    assert "resolver" not in {one["name"] for one in fields}
    assert api("Tomas").get("/api/reports/table", {"report": asked(people)}).status_code == 200

    publish(lambda document: document.update(reports={"people": ["agent"]}))
    assert api("Signe").get("/api/reports/table", {"report": asked(people)}).status_code == 200
    assert api("Anneke").get("/api/reports/table", {"report": asked(people)}).status_code == 422


@pytest.mark.parametrize("shipped", SHIPPED, ids=lambda one: one.key)
def test_each_shipped_report_is_one_and_its_total_opens(
    work: list[Ticket], api: Any, shipped: Any
) -> None:
    got = api("Tomas").get("/api/reports/table", {"report": asked(dict(shipped.definition))})
    assert got.status_code == 200, got.content.decode()
    if shipped.definition["event"] != "open at the end of each":
        records = api("Tomas").get(
            "/api/reports/records", {"report": asked(dict(shipped.definition)), "path": "[]"}
        )
        assert records.json()["figures"] == pytest.approx(got.json()["table"]["total"])


def test_a_number_is_followed_to_its_records_and_to_a_list_one_works_in(
    work: list[Ticket], api: Any
) -> None:
    report = by_team(columns={"field": "priority"}, measures=[
        {"of": "records", "way": "count"}, {"of": "age", "way": "mean"}])  # fmt: skip
    table = api("Tomas").get("/api/reports/table", {"report": asked(report)}).json()["table"]
    row = max(table["rows"], key=lambda one: one["cells"][0][0])
    found = api("Tomas").get("/api/reports/records", {
        "report": asked(report), "path": json.dumps([row["path"][0]["key"]]),
        "column": json.dumps(table["columns"][0]["key"]),
    }).json()  # fmt: skip
    assert found["count"] == row["cells"][0][0] > 0
    assert found["figures"] == pytest.approx(row["cells"][0])
    values = [one["value"] for one in found["rows"]]
    assert values == sorted(values, reverse=True)
    listed_ = api("Tomas").get("/api/tickets", {"filter": json.dumps(found["tree"])}).json()
    assert {one["id"] for one in listed_["rows"]} == {one["id"] for one in found["rows"]}


@pytest.mark.parametrize(
    ("said", "place"),
    [
        ({"path": '["nowhere", "x", "y"]'}, "path"),
        ({"path": "{"}, "path"),
        ({"path": '"x"'}, "path"),
        ({"path": "[[1]]"}, "path"),
        ({"path": "[NaN]"}, "path"),
        ({"path": "[Infinity]"}, "path"),
        ({"report": "nonsense"}, "report"),
        ({"report": json.dumps({**by_team(), "rows": [{"field": "title"}]})}, "rows"),
        ({"report": json.dumps({**by_team(), "rows": [{"field": "opened"}]})}, "rows"),
        ({"report": json.dumps({**by_team(), "rows": [{"field": "team", "by": "month"}]})}, "rows"),
        ({"report": json.dumps({**by_team(), "kind": "complaint"})}, "kind"),
    ],
)
def test_nonsense_is_refused_at_its_place(
    northmere: None, api: Any, said: dict[str, str], place: str
) -> None:
    got = api("Tomas").get("/api/reports/records", {"report": asked(by_team()), **said})
    assert got.status_code == 422, got.content
    assert place in got.json()["fields"]


def test_a_cell_that_is_not_there_is_refused(northmere: None, api: Any) -> None:
    for by, key in (("month", "1999-01"), ("hour of day", "99")):
        report = by_team(rows=[{"field": "opened", "by": by}])
        got = api("Tomas").get(
            "/api/reports/records", {"report": asked(report), "path": json.dumps([key])}
        )
        assert got.status_code == 422


def kept(api: Any, who: str, **some: Any) -> Any:
    body = {"name": "Ours", "definition": by_team(), **some}
    return api(who).post("/api/reports", body, content_type=JSON)


def test_a_report_is_kept_changed_shared_and_removed_by_its_owner_alone(
    northmere: None, api: Any
) -> None:
    made = kept(api, "Tomas", about="Of the year")
    assert made.status_code == 201, made.json()
    number, version = made.json()["id"], made.json()["version"]
    assert kept(api, "Tomas").json()["fields"] == {"name": "Choose another."}
    assert kept(api, "Tomas", name="  ").json()["fields"] == {"name": "This is empty."}

    def names(who: str) -> list[str]:
        return [one["name"] for one in api(who).get("/api/reports").json()["kept"]]

    assert names("Marit") == []
    change = {"name": "Ours, shared", "definition": by_team(), "is_shared": True,
              "version": version}  # fmt: skip
    address = f"/api/reports/{number}"
    assert api("Marit").put(address, change, content_type=JSON).status_code == 404
    assert api("Tomas").put(address, change, content_type=JSON).status_code == 200
    assert api("Tomas").put(address, change, content_type=JSON).status_code == 409
    assert names("Marit") == ["Ours, shared"]
    assert api("Marit").delete(address).status_code == 404
    assert api("Tomas").delete(address).status_code == 204
    assert names("Tomas") == []


def test_what_cannot_be_is_not_kept(northmere: None, api: Any) -> None:
    wrong = kept(api, "Tomas", definition={**by_team(), "event": "eaten"})
    assert wrong.status_code == 422 and "event" in wrong.json()["fields"]
    half = kept(api, "Tomas", definition={"event": "opened"})
    assert half.status_code == 422


def file_of(api: Any, kind: str, report: dict[str, Any]) -> bytes:
    got = api("Tomas").get("/api/reports/file",
                           {"report": asked(report), "as": kind, "name": "By team"})  # fmt: skip
    assert got.status_code == 200, got.content[:300]
    assert got.headers["Content-Disposition"] == f'attachment; filename="by-team.{kind}"'
    return bytes(got.content)


def test_a_file_says_the_same_as_the_table(work: list[Ticket], api: Any, person: Who) -> None:
    report = by_team(measures=[{"of": "records", "way": "count"}, {"of": "age", "way": "mean"},
                               {"of": "response met", "way": "share"}])  # fmt: skip
    shown = Builder(core.read_definition(report), person("Tomas"), NOW).table()
    lines = list(csv.reader(io.StringIO(file_of(api, "csv", report).decode("utf-8-sig"))))
    assert lines[0] == ["team", "count", "average age, days", "response SLA met, %"]
    for line, row in zip(lines[1:-1], shown.rows, strict=True):
        count, age, met = row.total
        assert line[0] == row.path[0].label and float(line[1]) == count
        assert float(line[2]) == pytest.approx((age or 0) / _DAY, abs=1e-4)
        assert line[3] == "" if met is None else float(line[3]) == pytest.approx(met / 100)
    assert lines[-1][0] == "all" and float(lines[-1][1]) == shown.total[0]

    with zipfile.ZipFile(io.BytesIO(file_of(api, "xlsx", report))) as book:
        sheet = book.read("xl/worksheets/sheet1.xml").decode()
        about = book.read("xl/sharedStrings.xml").decode()
    assert f"<v>{int(shown.total[0] or 0)}</v>" in sheet  # a number, and no text
    assert "From opening to closing" in about and "<f>" not in sheet
    assert file_of(api, "pdf", report).startswith(b"%PDF-")


def test_a_name_that_a_sheet_would_run_is_text(work: list[Ticket], api: Any) -> None:
    Ticket.objects.filter(place="Saltgate").update(place="=HYPERLINK(1)")
    report = by_team(rows=[{"field": "place"}])
    text = file_of(api, "csv", report).decode("utf-8-sig")
    assert "'=HYPERLINK(1)" in text
    with zipfile.ZipFile(io.BytesIO(file_of(api, "xlsx", report))) as book:
        assert "<f>" not in book.read("xl/worksheets/sheet1.xml").decode()


def test_what_is_offered_can_be_grouped_and_what_is_not_is_refused(
    northmere: None, api: Any
) -> None:
    words = api("Tomas").get("/api/reports").json()["words"]
    offered = {one["name"]: one for one in words["dimensions"]}
    for name, field in registry(current()).items():
        assert (name in offered) == groupable(field), name
    for name, one in offered.items():
        row = {"field": name, "by": "month"} if one["is_time"] else {"field": name}
        got = api("Tomas").get("/api/reports/table", {"report": asked(by_team(rows=[row]))})
        assert got.status_code == 200, (name, got.json())


def test_against_the_span_before_both_end_at_the_same_moment(
    work: list[Ticket], api: Any, person: Who
) -> None:
    report = by_team(span="this month", against="the period before")
    shown = api("Tomas").get("/api/reports/table", {"report": asked(report)}).json()
    span = shown["span_before"]
    assert span["until_s"] - span["from_s"] == shown["now_s"] - shown["span"]["from_s"]
    seen = policies.visible_to(person("Tomas")).filter(
        kind="incident", opened_s__gte=span["from_s"], opened_s__lt=span["until_s"]
    )
    assert shown["before"]["total"] == [seen.count()]
    records = api("Tomas").get(
        "/api/reports/records", {"report": asked(report), "path": "[]", "before": "true"}
    )
    assert records.json()["count"] == seen.count()
    assert timedelta(seconds=span["to_s"] - span["from_s"]).days in (30, 31)
