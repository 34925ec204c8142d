"""Reports of what stands beside tickets: each cell against a plain recount of its records."""

import json
import random
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from statistics import median
from typing import Any

import pytest

from gannet.estate.models import ConfigItem
from gannet.knowledge.actions import write_article
from gannet.knowledge.models import Article, ArticleRead, ArticleVote
from gannet.majors.models import MajorFacts
from gannet.people.models import Person, Team
from gannet.reports import dashboards, sharing
from gannet.reports.asking import Spot
from gannet.reports.building import Builder
from gannet.reports.fields import zone
from gannet.reports.models import Stretch
from gannet.reports.shipped import SHIPPED
from gannet.reports.sources import SOURCES
from gannet.reports.stretches import keep_all
from gannet.tickets import actions, policies
from gannet.tickets.actions import Acting
from gannet.tickets.fields import registry
from gannet.tickets.models import Approval, Clock, ClockStateCode, SurveyAnswer, Task, Ticket
from gannet.tickets.models import TimeEntry as Logged
from gannet_core import reports as core
from gannet_core.conditions import fold
from gannet_core.instants import seconds_of
from gannet_core.reports import read_definition
from tests.app.test_report_tables import Sample, bands_of
from tests.conftest import NOW
from tests.pieces import piece_of

pytestmark = pytest.mark.django_db
NOW_S = seconds_of(NOW)
_DAY = 86_400
Read = Callable[[Any], Any]


def named(thing: Any) -> str | None:
    return thing.name if thing is not None else None


def share(yes: bool) -> int:
    return int(yes)


@dataclass(frozen=True)
class Plain:
    """A kind as one reads it off its rows: events, words it is grouped by, values."""

    rows: Callable[[], list[Any]]
    events: Mapping[str, Read]
    words: Mapping[str, Read]
    values: Mapping[str, Read]
    open: Callable[[Any, int], bool] | None = None
    ticket: Read | None = field(default=lambda one: one.ticket)


def was_on(start: str, end: str) -> Callable[[Any, int], bool]:
    def test(one: Any, at_s: int) -> bool:
        ended = getattr(one, end)
        return getattr(one, start) <= at_s and (ended is None or ended > at_s)

    return test


def lasted(start: str, end: str) -> Read:
    def read(one: Any) -> int:
        ended = getattr(one, end)
        return (NOW_S if ended is None else ended) - getattr(one, start)

    return read


def between(start: str, end: str) -> Read:
    """How long from one moment to another, where both are known."""

    def read(one: Any) -> int | None:
        first, last = getattr(one, start), getattr(one, end)
        return None if first is None or last is None else last - first

    return read


def on_their_service(one: ArticleRead) -> bool:
    return any(
        ticket.service_id == one.article.service_id and one.article.service_id is not None
        and one.at_s <= ticket.opened_s <= one.at_s + _DAY
        for ticket in Ticket.objects.filter(requester=one.person, is_confidential=0)
    )  # fmt: skip


HANDS: Mapping[str, Read] = {
    "had by team": lambda one: named(one.team), "had by": lambda one: named(one.person),
    "waited on": lambda one: one.waiting, "waited on supplier": lambda one: one.supplier,
}  # fmt: skip
SPENT: Mapping[str, Read] = {
    "time taken": lasted("from_s", "until_s"),
    "service time taken": lambda one: one.service_seconds,
    "out of hours": lambda one: (
        None if one.until_s is None or one.service_seconds is None
        else one.until_s - one.from_s - one.service_seconds
    ),
}  # fmt: skip
OF_STRETCH: Mapping[str, Read] = {"begun": lambda s: s.from_s, "ended": lambda s: s.until_s}


def stretches(**which: Any) -> Callable[[], list[Stretch]]:
    return lambda: list(Stretch.objects.filter(**which))


KINDS: dict[str, Plain] = {
    "task": Plain(
        lambda: list(Task.objects.all()),
        {"made": lambda one: one.made_s, "done": lambda one: one.done_s},
        {"task.team": lambda one: named(one.team), "task.holder": lambda one: named(one.person),
         "task.state": lambda one: one.state},
        {"time taken": lasted("made_s", "done_s"), "planned": lambda one: one.estimate_minutes,
         "cost": lambda one: one.cost_pence if one.spent_pence is None else one.spent_pence,
         "in time": lambda one: (
             None if one.done_s is None or one.due_s is None else share(one.done_s <= one.due_s)
         )},
        was_on("made_s", "done_s"),
    ),
    "approval": Plain(
        lambda: list(Approval.objects.all()),
        {"asked": lambda one: one.asked_s, "decided": lambda one: one.decided_s},
        {"approver": lambda one: one.asked_of.name, "decision": lambda one: one.state},
        {"time taken": lasted("asked_s", "decided_s"), "cost": lambda one: one.cost_pence,
         "approved": lambda one: (
             share(one.state == "approved") if one.state in ("approved", "refused") else None
         )},
        was_on("asked_s", "decided_s"),
    ),
    "time": Plain(
        lambda: list(Logged.objects.all()),
        {"logged": lambda one: one.made_s},
        {"logged by": lambda one: one.person.name, "logged for": lambda one: one.what},
        {"minutes": lambda one: one.minutes},
    ),
    "survey": Plain(
        lambda: list(SurveyAnswer.objects.all()),
        {"sent": lambda one: one.asked_s, "answered": lambda one: one.answered_s},
        {"survey.score": lambda one: one.score},
        {"score": lambda one: one.score, "answered": lambda one: share(one.answered_s is not None)},
    ),
    "held": Plain(stretches(), OF_STRETCH, HANDS, SPENT, was_on("from_s", "until_s")),
    "wait": Plain(
        lambda: [one for one in Stretch.objects.all() if one.waiting],
        OF_STRETCH, {**HANDS, "begun by": lambda one: named(one.by)},
        {**SPENT, "late wait": lambda one: None if one.is_late is None else share(one.is_late)},
        was_on("from_s", "until_s"),
    ),
    "hand-over": Plain(
        stretches(is_hand_over=True),
        {"handed over": lambda one: one.until_s},
        {"from team": lambda one: named(one.team), "to team": lambda one: named(one.next_team),
         "from": lambda one: named(one.person), "to": lambda one: named(one.next_person)},
        SPENT,
    ),
    "reopening": Plain(
        stretches(begun_by="reopened"),
        {"opened again": lambda one: one.from_s},
        {"reopened at": lambda one: named(one.team), "reopened by": lambda one: named(one.by)},
        {},
    ),
    "miss": Plain(
        lambda: [one for one in Clock.objects.all() if one.missed_s is not None],
        {"missed": lambda one: one.missed_s},
        {"target": lambda one: one.kind, "target.for": lambda one: one.holder},
        {"time over": lasted("missed_s", "ended_s")},
    ),
    "major": Plain(
        lambda: [one for one in MajorFacts.objects.all() if not one.is_drill],
        {"declared": lambda one: one.declared_s, "stood down": lambda one: one.stood_down_s},
        {"declared by plan": lambda one: one.plan},
        {"time to notice": between("began_s", "reported_s"),
         "time to declare": between("reported_s", "declared_s"),
         "time to first update": between("declared_s", "first_update_s"),
         "time to restore": lambda one: (
             None if one.restored_s is None
             else one.restored_s - (one.reported_s if one.began_s is None else one.began_s)
         ),
         "time run": lasted("declared_s", "stood_down_s"),
         "affected": lambda one: one.affected},
        was_on("declared_s", "stood_down_s"),
    ),
    "article": Plain(
        lambda: list(Article.objects.all()),
        {"written": lambda one: one.made_s, "last changed": lambda one: one.changed_s},
        {"article.kind": lambda one: one.kind, "article.category": lambda one: one.category,
         "article.service": lambda one: named(one.service),
         "article.owner": lambda one: named(one.owner)},
        {"reads": lambda one: one.reads.count(), "uses": lambda one: one.used,
         "helped": lambda one: one.votes.filter(helped=True).count(),
         "did not help": lambda one: one.votes.filter(helped=False).count()},
        ticket=None,
    ),
    "read": Plain(
        lambda: list(ArticleRead.objects.all()),
        {"read": lambda one: one.at_s},
        {"article": lambda one: one.article.title,
         "reader.department": lambda one: one.person.department, "found": lambda one: one.is_found},
        {"no ticket after": lambda one: share(not on_their_service(one))},
        ticket=None,
    ),
    "item": Plain(
        lambda: list(ConfigItem.objects.all()),
        {"seen": lambda one: one.seen_s},
        {"item.kind": lambda one: one.kind, "item.team": lambda one: named(one.team),
         "item.place": lambda one: one.place, "item.criticality": lambda one: one.criticality},
        {"tickets": lambda one: Ticket.objects.filter(ci=one, is_confidential=0).count(),
         "differences": lambda one: one.drifts},
        ticket=None,
    ),
}  # fmt: skip
OF_ITS_TICKET = ("team", "priority", "category", "kind", "service")
BYS = ("month", "week", "quarter", "weekday", "hour of day")


@pytest.fixture
def around(log: Any, person: Callable[[str], Person]) -> None:
    """Twenty tickets, and beside each some of everything, at random over half a year."""
    rng = random.Random(11)
    like = log("Lena", "Crew roster", who="team", work="no")
    teams = list(Team.objects.all())
    people = [person(name) for name in ("Signe", "Ines", "Joss", "Marit")]
    items = [
        ConfigItem.objects.create(
            key=f"till-{number}", name=f"Till {number}", kind=rng.choice(["till", "gate"]),
            place=rng.choice(["Saltgate", ""]), criticality=rng.randrange(1, 5),
            team=rng.choice([None, *teams]), drifts=rng.randrange(3),
            seen_s=rng.choice([None, NOW_S - rng.randrange(90 * _DAY)]),
        )
        for number in range(70)
    ]  # fmt: skip
    articles = [
        write_article(
            Acting(person=people[0], now=NOW),
            {"title": f"How to {number}", "body": "Do this.", "for_everybody": 1},
        )
        for number in range(6)
    ]
    for article in articles:
        Article.objects.filter(pk=article.pk).update(
            made_s=NOW_S - rng.randrange(90 * _DAY), used=rng.randrange(9),
            category=rng.choice(["Mail", "mail", ""]), owner=rng.choice(people),
            state="published",
        )  # fmt: skip

    def when() -> int:
        return NOW_S - rng.randrange(180 * _DAY)

    def later(at_s: int) -> int | None:
        return rng.choice([None, min(NOW_S, at_s + rng.randrange(20 * _DAY))])

    for number in range(20):
        ticket = Ticket.objects.get(pk=like.pk)
        ticket.pk, ticket.version, ticket.opened_s = 5000 + number, 1, when()
        ticket.team, ticket.ci = rng.choice(teams), rng.choice([None, *items])
        ticket.category, ticket.priority = rng.choice(["Mail", "mail", ""]), rng.randrange(1, 5)
        ticket.is_confidential, ticket.requester = rng.choice([0, 0, 0, 1]), rng.choice(people)
        ticket.save(force_insert=True)
        for _ in range(rng.randrange(3)):
            made = when()
            Task.objects.create(
                ticket=ticket, title=rng.choice(["Order it", "Wipe it"]), made_s=made,
                team=rng.choice([None, *teams]), person=rng.choice([None, *people]),
                state=rng.choice(["open", "done"]), done_s=later(made), due_s=later(made),
                estimate_minutes=rng.randrange(50), cost_pence=rng.randrange(900),
                spent_pence=rng.choice([None, 0, 70]),
            )  # fmt: skip
            Approval.objects.create(
                ticket=ticket, asked_of=rng.choice(people), asked_by=people[0], what="It",
                asked_s=made, decided_s=later(made), cost_pence=rng.choice([None, 500]),
                state=rng.choice(["pending", "approved", "refused"]),
            )  # fmt: skip
            Logged.objects.create(
                ticket=ticket, person=rng.choice(people), what=rng.choice(["", "Phone", "phone"]),
                minutes=rng.randrange(90), made_s=made,
            )  # fmt: skip
            begun = when()
            Stretch.objects.create(
                ticket=ticket, team=rng.choice([None, *teams]), person=rng.choice([None, *people]),
                waiting=rng.choice(["", "", "requester", "supplier"]), begun_by=rng.choice(
                    ["logged", "reopened", "waiting"]), by=rng.choice([None, *people]),
                supplier=rng.choice(["", "Orrin Tills"]), from_s=begun, until_s=later(begun),
                service_seconds=rng.choice([None, 90]), is_late=rng.choice([None, True, False]),
                is_hand_over=rng.choice([True, False]), next_team=rng.choice(teams),
                next_person=rng.choice([None, *people]),
            )  # fmt: skip
            Clock.objects.create(
                ticket=ticket, kind=rng.choice(["answer", "fix"]), agreement="x", edition=1,
                holder=f"{rng.randrange(10**6)}", calendar="x", target_seconds=3600,
                normal_seconds=3600, priority=3, remaining_seconds=60, state=ClockStateCode.MISSED,
                missed_s=rng.choice([None, begun]), ended_s=later(begun),
            )  # fmt: skip
        SurveyAnswer.objects.create(
            ticket=ticket, asked_s=when(), answered_s=rng.choice([None, when()]),
            score=rng.choice([None, 1, 5]),
        )  # fmt: skip
        if number % 2:
            declared = when()
            MajorFacts.objects.create(
                ticket=ticket, call_sign=f"Sign {number}", plan=rng.choice(["sailing", "security"]),
                is_drill=rng.choice([0, 0, 1]), began_s=rng.choice([None, declared - 900]),
                reported_s=declared - rng.randrange(800), declared_s=declared,
                first_update_s=later(declared), restored_s=later(declared),
                stood_down_s=later(declared), affected=rng.randrange(300),
            )  # fmt: skip
        Ticket.objects.filter(pk=ticket.pk).update(service=rng.choice([like.service, None]))
    for article in articles[:4]:
        Article.objects.filter(pk=article.pk).update(service=like.service)
    for _ in range(30):
        article = rng.choice(articles)
        ArticleRead.objects.create(
            article=article, person=rng.choice(people), at_s=when(), is_found=rng.choice([0, 1])
        )
    for who, article in zip(people, articles, strict=False):
        ArticleVote.objects.create(
            article=article, person=who, version=1, helped=rng.choice([True, False]), at_s=NOW_S
        )


def a_report(kind: str, rng: random.Random) -> dict[str, Any]:
    plain, source = KINDS[kind], SOURCES[kind]
    events = [*plain.events, *(["open now"] if plain.open else []), "of all time"]
    events = [one for one in events if one in source.events]

    banded = [name for name in plain.values if not core.VALUES[name].is_share]

    def dimension() -> dict[str, str]:
        if banded and rng.random() < 0.2:
            return {"field": rng.choice(banded), "by": "band"}
        if rng.random() < 0.3:
            return {"field": rng.choice(list(plain.events)), "by": rng.choice(BYS)}
        others = OF_ITS_TICKET if plain.ticket else ()
        return {"field": rng.choice([*plain.words, *others])}

    measures = [{"of": "records", "way": "count"}]
    for name in rng.sample(list(plain.values), min(2, len(plain.values))):
        ways = ["share"] if core.VALUES[name].is_share else ["mean", "median", "sum", "max"]
        measures.append({"of": name, "way": rng.choice(ways)})
    rows = [dimension() for _ in range(rng.choice([0, 1, 2]))]
    column = dimension() if rng.random() < 0.5 else None
    found = {"kind": kind, "event": rng.choice(events), "span": "last 90 days", "rows": rows,
             "columns": column, "measures": measures, "top": rng.choice([0, 2])}  # fmt: skip
    written = {json.dumps(one) for one in [*rows, column]}
    return found if len(written) == len(rows) + 1 else a_report(kind, rng)


def figure(rows: list[Any], one: core.Measure, plain: Plain) -> float | None:
    if one.of == core.RECORDS:
        return len(rows)
    values = [value for row in rows if (value := plain.values[one.of](row)) is not None]
    if one.way == "sum":
        return sum(values)
    if not values:
        return None
    means = {"share": 100 * sum(values) / len(values), "mean": sum(values) / len(values),
             "median": median(values), "max": max(values)}  # fmt: skip
    return means[one.way]


def key_of(row: Any, one: core.Dimension, plain: Plain) -> Any:
    if one.by:
        at = plain.events[one.field](row)
        return None if at is None else piece_of(at, one.by, zone())
    if one.field in plain.words:
        value = plain.words[one.field](row)
    else:
        value = registry(_book())[one.field].read(plain.ticket(row))  # type: ignore[misc]
    if value in (None, ""):
        return None
    return fold(value) if isinstance(value, str) else value


def _book() -> Any:
    from gannet.rulebook.book import current

    return current()


def counted(builder: Builder, plain: Plain, who: Person) -> list[Any]:
    """The rows that a report counts at all, chosen by hand."""
    rows, event = plain.rows(), builder.found.event
    if plain.ticket is not None:
        seen = set(policies.visible_to(who).values_list("pk", flat=True))
        rows = [one for one in rows if one.ticket_id in seen]
    if event == "open now":
        assert plain.open is not None
        return [one for one in rows if plain.open(one, NOW_S)]
    if event == "of all time":
        return rows
    start, end = seconds_of(builder.span.start), seconds_of(builder.span.end)
    return [one for one in rows if start <= (plain.events[event](one) or 0) < end]


@pytest.mark.parametrize("kind", KINDS)
def test_every_cell_is_a_plain_recount_and_the_size_of_its_list(
    around: None, person: Callable[[str], Person], kind: str
) -> None:
    rng, who, plain = random.Random(kind), person("Tomas"), KINDS[kind]
    filled = 0
    for _ in range(6):
        definition = a_report(kind, rng)
        builder = Builder(read_definition(definition), who, NOW)
        shown, mine = builder.table(), counted(builder, plain, who)
        filled += len(mine)
        heads = [row.path[0].key for row in shown.rows if len(row.path) == 1]
        folded = [fold(key) if isinstance(key, str) else key for key in heads]

        bands = {
            one.field: bands_of({row.pk: plain.values[one.field](row) for row in mine}, one.field)
            for one in builder.found.dimensions
            if one.by == core.BAND
        }

        def belongs(
            row: Any, one: core.Dimension, key: Any, heads: Any = folded, bands: Any = bands
        ) -> bool:
            if one.by == core.BAND:
                return bool(bands[one.field][row.pk] == key)
            there = key_of(row, one, plain)
            if key == core.REST:
                return there not in heads
            return bool(there == (fold(key) if isinstance(key, str) and not one.by else key))

        some = Sample(len(shown.rows) * (len(shown.columns) + 1))
        for row in [*shown.rows, core.Row((), shown.totals, shown.total)]:
            path = tuple(one.key for one in row.path)
            columns = (*(one.key for one in shown.columns), core.TOTAL)
            for column, figures in zip(columns, (*row.cells, row.total), strict=True):
                asked = [*zip(builder.found.rows, path, strict=False)]
                if column != core.TOTAL and builder.found.columns:
                    asked.append((builder.found.columns, column))
                chosen = [one for one in mine if all(belongs(one, *pair) for pair in asked)]
                expected = tuple(figure(chosen, one, plain) for one in builder.found.measures)
                where = (definition, path, column)
                assert figures == pytest.approx(expected), where
                if path and not some.next_is_tried():
                    continue
                spot = Spot(path, column)
                behind = set(builder.records(spot).values_list("pk", flat=True))
                assert behind == {one.pk for one in chosen}, where
                assert builder.figures(spot) == pytest.approx(figures), where
    assert filled > 0


def test_every_kind_is_recounted_here() -> None:
    assert set(KINDS) == set(SOURCES)
    for kind, plain in KINDS.items():
        assert set(plain.values) == set(SOURCES[kind].values), kind


def test_what_was_open_at_each_end_is_counted_of_tasks_too(
    around: None, person: Callable[[str], Person]
) -> None:
    definition = {"kind": "task", "event": "open at the end of each", "span": "last 90 days",
                  "rows": [{"field": "made", "by": "week"}], "columns": {"field": "task.team"},
                  "measures": [{"of": "records", "way": "count"}]}  # fmt: skip
    who, plain = person("Tomas"), KINDS["task"]
    builder = Builder(read_definition(definition), who, NOW)
    shown = builder.table()
    seen = set(policies.visible_to(who).values_list("pk", flat=True))
    ends = core.edges(builder.found.rows[0], builder.span.start, builder.span.end, zone())
    counts = []
    for row, end_s in zip(shown.rows, ends.starts_s[1:], strict=True):
        at_s = min(end_s, NOW_S)
        there = [one for one in plain.rows() if one.ticket_id in seen and was_on(
            "made_s", "done_s")(one, at_s)]  # fmt: skip
        assert row.total == (len(there),)
        spot = Spot((row.path[0].key,))
        assert set(builder.records(spot).values_list("pk", flat=True)) == {one.pk for one in there}
        counts.append(len(there))
    assert max(counts) > 0


@pytest.mark.parametrize(
    ("some", "place"),
    [
        ({"event": "resolved"}, "event"),
        ({"event": "open now", "kind": "survey"}, "event"),
        ({"measures": [{"of": "age", "way": "mean"}]}, "measures"),
        ({"rows": [{"field": "article.kind"}]}, "rows"),
        ({"rows": [{"field": "made"}]}, "rows"),
        ({"kind": "hull"}, "kind"),
        ({"kind": "incident", "event": "made"}, "event"),
        (
            {
                "kind": "incident",
                "event": "opened",
                "rows": [{"field": "team"}],
                "measures": [{"of": "planned", "way": "sum"}],
            },
            "measures",
        ),
        ({"where": {"field": "hull", "op": "is filled"}}, "where"),
    ],
)
def test_what_a_kind_does_not_have_is_refused_by_its_place(
    northmere: None, api: Any, some: dict[str, Any], place: str
) -> None:
    asked = {"kind": "task", "event": "made", "span": "this year",
             "rows": [{"field": "task.team"}],
             "measures": [{"of": "records", "way": "count"}], **some}  # fmt: skip
    got = api("Tomas").get("/api/reports/table", {"report": json.dumps(asked)})
    assert got.status_code == 422, got.json()
    if place != "where":
        assert place in got.json()["fields"], got.json()


def test_conditions_ask_of_the_record_and_of_its_ticket(
    around: None, person: Callable[[str], Person]
) -> None:
    who, plain = person("Tomas"), KINDS["task"]
    where = {"all": [{"field": "task.state", "op": "is", "value": "done"},
                     {"any": [{"field": "priority", "op": "is", "value": "P1"},
                              {"not": {"field": "priority", "op": "is one of",
                                       "value": ["P2", "P3"]}}]}]}  # fmt: skip
    definition = {"kind": "task", "event": "of all time", "rows": [], "where": where}
    builder = Builder(read_definition(definition), who, NOW)
    mine = [one for one in counted(builder, plain, who)
            if one.state == "done"
            and one.ticket.priority not in (2, 3)]  # fmt: skip
    assert {one.pk for one in builder.records(Spot())} == {one.pk for one in mine}
    assert builder.table().total == (len(mine),)
    assert 0 < len(mine) < len(plain.rows())


def test_what_people_did_is_for_whom_the_rulebook_says(around: None, api: Any) -> None:
    by_person = {"kind": "time", "event": "logged", "span": "this year",
                 "rows": [{"field": "logged by"}],
                 "measures": [{"of": "minutes", "way": "sum"}]}  # fmt: skip
    for who, status in (("Signe", 422), ("Marit", 200), ("Tomas", 200)):
        got = api(who).get("/api/reports/table", {"report": json.dumps(by_person)})
        assert got.status_code == status, (who, got.json())
        kinds = {one["key"]: one for one in api(who).get("/api/reports").json()["words"]["kinds"]}
        names = [one["name"] for one in kinds["time"]["own"]["dimensions"]]
        assert ("logged by" in names) == (status == 200)


def test_nothing_of_a_confidential_ticket_is_counted_for_others(
    around: None, person: Callable[[str], Person]
) -> None:
    hidden = Ticket.objects.filter(is_confidential=1)
    assert hidden.exists()
    for kind, source in SOURCES.items():
        if not source.on_ticket:
            continue
        definition = {"kind": kind, "event": "of all time", "rows": []}
        builder = Builder(read_definition(definition), person("Anneke"), NOW)
        seen = policies.visible_to(person("Anneke"))
        shown = builder.records(Spot()).exclude(ticket__in=seen.values("pk"))
        assert not shown.exists(), kind


def test_articles_outside_an_audience_are_not_counted(
    around: None, person: Callable[[str], Person]
) -> None:
    some = Article.objects.first()
    assert some is not None
    rosalind = person("Rosalind")  # reads reports, is not on the desk
    definition = {"kind": "article", "event": "of all time", "rows": []}

    def count(kind: str) -> float | None:
        found = Builder(read_definition({**definition, "kind": kind}), rosalind, NOW)
        return found.table().total[0]

    before = count("article"), count("read")
    Article.objects.filter(pk=some.pk).update(state="published", for_everybody=1)
    shown = count("article"), count("read")
    Article.objects.filter(pk=some.pk).update(for_everybody=0)
    hidden = count("article"), count("read")
    if not rosalind.is_on_desk:
        assert hidden[0] == (shown[0] or 0) - 1
    assert before[0] is not None


def test_each_shipped_report_of_them_opens_its_records(around: None, api: Any) -> None:
    client = api("Tomas")
    for one in SHIPPED:
        if one.definition["kind"] not in SOURCES:
            continue
        report = json.dumps(one.definition)
        got = client.get("/api/reports/table", {"report": report})
        assert got.status_code == 200, (one.key, got.json())
        whole = client.get("/api/reports/records", {"report": report}).json()
        assert whole["tree"] is None
        assert {row["opens"] for row in whole["rows"]} <= {SOURCES[one.definition["kind"]].link[0]}
        assert all(row["title"] for row in whole["rows"]), one.key
        for kind in ("csv", "xlsx"):
            made = client.get("/api/reports/file", {"report": report, "as": kind})
            assert made.status_code == 200, one.key


def test_records_are_read_page_by_page_without_a_gap(around: None, api: Any) -> None:
    client = api("Tomas")
    report = json.dumps({"kind": "item", "event": "of all time", "rows": [], "measures": []})
    seen: list[int] = []
    while True:
        got = client.get("/api/reports/records", {"report": report, "after": str(len(seen))}).json()
        if not got["rows"]:
            break
        seen += [row["id"] for row in got["rows"]]
    assert len(seen) == len(set(seen)) == got["count"] == ConfigItem.objects.count()
    nonsense = client.get("/api/reports/records", {"report": report, "after": "-3"}).json()
    assert len(nonsense["rows"]) == min(60, len(seen))


def test_what_is_for_others_leaves_out_what_is_confidential_or_meant_for_some(
    around: None, person: Callable[[str], Person]
) -> None:
    who = person("Signe")
    some = Article.objects.first()
    assert some is not None
    Article.objects.filter(pk=some.pk).update(for_everybody=0)
    fewer = set()
    for kind, source in SOURCES.items():
        definition = read_definition({"kind": kind, "event": "of all time", "rows": []})
        every, others = (
            set(Builder(definition, who, NOW, is_open=is_open).records(Spot()).values_list("pk"))
            for is_open in (False, True)
        )
        assert others <= every, kind
        if others < every:
            fewer.add(kind)
        rows = source.model._default_manager.filter(pk__in=[pk for (pk,) in others])
        if source.on_ticket:
            assert not rows.filter(ticket__is_confidential=1).exists(), kind
        elif kind in ("article", "read"):
            name = "for_everybody" if kind == "article" else "article__for_everybody"
            assert not rows.exclude(**{name: 1}).exists(), kind
    assert {"task", "approval", "time", "held", "article", "read"} <= fewer


def test_a_link_shows_a_report_of_articles(around: None, person: Callable[[str], Person]) -> None:
    who = person("Tomas")
    row = dashboards.keep(
        who, NOW, name="Knowledge", is_shared=False,
        rows=[[{"kind": "report", "report": key, "show": "table"}
               for key in ("knowledge", "tasks", "waits", "estate")]],
    )  # fmt: skip
    _, secret = sharing.open_link(who, NOW, row.pk, days=3, note="")
    parts = sharing.shown(secret, "127.0.0.1", NOW)["rows"][0]
    assert all(part["table"] is not None and not part.get("is_gone") for part in parts)


def test_a_reopening_says_why(log: Any, by: Any, api: Any) -> None:
    why = "It broke again at noon: the lamp is out."
    ticket = log("Ines", "Boarding gates")
    actions.resolve(ticket.pk, by("Signe"), "Changed the lamp of the gate.")
    actions.reopen(ticket.pk, by("Ines"), why)
    keep_all(NOW_S)
    counted = [{"of": "records", "way": "count"}]

    def records(kind: str, event: str) -> Any:
        report = {"kind": kind, "event": event, "rows": [], "measures": counted}
        got = api("Tomas").get("/api/reports/records", {"report": json.dumps(report)})
        assert got.status_code == 200, got.content
        return got.json()["rows"]

    mine = [row for row in records("reopening", "of all time") if row["on"] == str(ticket.pk)]
    assert [row["says"] for row in mine] == [why]
    assert {row["says"] for row in records("incident", "opened")} <= {""}
