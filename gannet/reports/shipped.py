"""The reports that ship, each with what it says in its own words."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

_COUNT: Mapping[str, str] = {"of": "records", "way": "count"}


@dataclass(frozen=True)
class Shipped:
    """A report that everybody who reads reports has."""

    key: str
    name: str
    about: str
    definition: Mapping[str, Any]


def _of(of: str, way: str = "share") -> dict[str, str]:
    return {"of": of, "way": way}


def _by(field: str, by: str = "") -> dict[str, str]:
    return {"field": field, "by": by} if by else {"field": field}


def _report(key: str, name: str, about: str, **definition: Any) -> Shipped:
    return Shipped(key, name, about, {"kind": "incident", "measures": [_COUNT], **definition})


SHIPPED = (
    _report(
        "opened-closed", "Opened × closed",
        "When what was closed had been opened, and how old it was: a few old ones can be most of "
        "the days.",
        event="closed", span="this quarter", rows=[_by("opened", "month")],
        columns=_by("closed", "month"), measures=[_COUNT, _of("age", "mean")],
        against="the period before", draw="bars and line",
    ),
    _report(
        "sla", "SLA results",
        "Of what was resolved: how often answer and resolution came in time, by team.",
        event="resolved", span="this month", rows=[_by("team")],
        measures=[_COUNT, _of("response met"), _of("resolution met")],
        against="the period before", draw="bars",
    ),
    _report(
        "flow", "Flow",
        "What came each week, what went, and what lay open at its end.",
        kind="", event="open at the end of each", span="last 90 days",
        rows=[_by("opened", "week")], measures=[_of("came", "count"), _of("went", "count"), _COUNT],
        draw="bars and line",
    ),
    _report(
        "open-by-kind", "Open at each week’s end",
        "How much work lay open when each week ended, by kind of record.",
        kind="", event="open at the end of each", span="last 90 days",
        rows=[_by("opened", "week")], columns=_by("kind"), draw="stacked",
    ),
    _report(
        "how-long", "How long it takes",
        "Of what was resolved: how many took how long, from opening to the last resolution.",
        event="resolved", span="this quarter", rows=[_by("resolution", "band")], draw="bars",
    ),
    _report(
        "age-of-open", "Age of open work",
        "What is open now, by team: how many, how old on average, and the oldest.",
        kind="", event="open now", rows=[_by("team")],
        measures=[_COUNT, _of("age", "mean"), _of("age", "max")], draw="bars and line",
    ),
    _report(
        "what-causes-work", "What causes work",
        "The items whose incidents took most of the desk’s time; “none” are those that name none.",
        event="opened", span="this quarter", rows=[_by("ci")],
        measures=[_of("minutes", "sum"), _COUNT, _of("resolution", "mean")], top=12,
        against="the period before", draw="bars",
    ),
    _report(
        "by-service", "By service and category",
        "What came in, by service and within it by category.",
        event="opened", span="this month", rows=[_by("service"), _by("category")],
        measures=[_COUNT, _of("resolution", "median"), _of("resolution met")], draw="bars",
    ),
    _report(
        "by-place", "By place",
        "Where incidents come from, and how they are met there.",
        event="opened", span="this quarter", rows=[_by("place")],
        measures=[_COUNT, _of("response met"), _of("resolution met"), _of("score", "mean")],
        draw="bars",
    ),
    _report(
        "arrivals", "When work arrives",
        "How much is opened at which hour of which weekday.",
        kind="", event="opened", span="last 90 days", rows=[_by("opened", "weekday")],
        columns=_by("opened", "hour of day"), draw="heat",
    ),
    _report(
        "first-line", "First line",
        "What the first team resolved itself, by month; and what an article resolved.",
        event="resolved", span="this year", rows=[_by("resolved", "month")],
        measures=[_COUNT, _of("first line"), _of("with knowledge")], draw="bars and line",
    ),
    _report(
        "hand-overs", "Hand-overs",
        "How often work changed hands before it was resolved, by service.",
        event="resolved", span="this quarter", rows=[_by("service")],
        measures=[_of("hand-overs", "mean"), _of("hand-overs", "max"), _COUNT],
        against="the period before", draw="bars",
    ),
    _report(
        "reopened", "Reopened",
        "What was resolved and came back, by team.",
        event="opened", span="this quarter", rows=[_by("team")],
        measures=[_of("reopened"), _of("reopenings", "sum"), _COUNT], draw="bars",
    ),
    _report(
        "satisfaction", "Satisfaction",
        "What requesters answered when they were asked how it was, of five.",
        kind="", event="closed", span="this quarter", rows=[_by("closed", "month")],
        measures=[_of("score", "mean"), _COUNT], against="a year before", draw="lines",
    ),
    _report(
        "workload", "Workload and logged time",
        "Who resolved how much and logged how long; seen by those whom the rulebook lets.",
        kind="", event="resolved", span="this month", rows=[_by("team"), _by("resolver")],
        measures=[_COUNT, _of("minutes", "sum"), _of("resolution", "median")], draw="table",
    ),
    _report(
        "where-time-goes", "Where time goes",
        "How long work lay with each team and what it waited on there; “none” is the desk’s own "
        "move. Of what ended in the span, by the clock.",
        kind="held", event="ended", span="this month", rows=[_by("had by team")],
        columns=_by("waited on"), measures=[_of("time taken", "sum")], draw="stacked",
    ),
    _report(
        "waits", "Waits",
        "What was waited on, how often, for how long, and how much of it fell out of hours.",
        kind="wait", event="ended", span="this quarter", rows=[_by("waited on")],
        measures=[_COUNT, _of("time taken", "mean"), _of("time taken", "sum"),
                  _of("out of hours", "sum")],
        against="the period before", draw="bars",
    ),
    _report(
        "late-waits", "Late waits",
        "Waits that began when a tenth of the resolution target or less was left, by who began "
        "them; each opens. Many of one person are worth a look, not a verdict.",
        kind="wait", event="begun", span="this quarter", rows=[_by("begun by")],
        measures=[_of("late wait"), _COUNT, _of("time taken", "mean")], draw="bars",
    ),
    _report(
        "who-hands-to-whom", "Who hands to whom",
        "Each hand-over by the team it came from and the team it went to.",
        kind="hand-over", event="handed over", span="this quarter", rows=[_by("from team")],
        columns=_by("to team"), draw="stacked",
    ),
    _report(
        "missed-targets", "Missed targets",
        "Which targets were missed, by team, and by how much they were over.",
        kind="miss", event="missed", span="this quarter", rows=[_by("target"), _by("team")],
        measures=[_COUNT, _of("time over", "median")], against="the period before", draw="bars",
    ),
    _report(
        "tasks", "Tasks",
        "What was done of tasks, by team: how long they took, and whether in time.",
        kind="task", event="done", span="this quarter", rows=[_by("task.team")],
        measures=[_COUNT, _of("time taken", "median"), _of("in time")], draw="bars",
    ),
    _report(
        "approvals", "How long approvals take",
        "How long each approver took, and the share that was approved.",
        kind="approval", event="decided", span="this quarter", rows=[_by("approver")],
        measures=[_COUNT, _of("time taken", "median"), _of("time taken", "max"), _of("approved")],
        draw="bars",
    ),
    _report(
        "logged-time", "Logged time",
        "Who logged how long on what kind of work; seen by those whom the rulebook lets.",
        kind="time", event="logged", span="this month", rows=[_by("logged by")],
        columns=_by("kind"), measures=[_of("minutes", "sum")], draw="stacked",
    ),
    _report(
        "surveys", "Surveys",
        "How many of those who were asked answered, and what.",
        kind="survey", event="sent", span="this year", rows=[_by("sent", "month")],
        measures=[_COUNT, _of("answered"), _of("score", "mean")], draw="bars and line",
    ),
    _report(
        "knowledge", "What knowledge saves",
        "Readings of articles that a search or an offer led to, and after how many the reader "
        "asked for nothing on that service for a day.",
        kind="read", event="read", span="last 90 days", rows=[_by("article.category")],
        measures=[_COUNT, _of("no ticket after")],
        where={"field": "found", "op": "is", "value": True}, draw="bars",
    ),
    _report(
        "estate", "Items and their tickets",
        "Which types of items there are, how many tickets name them, and what differs.",
        kind="item", event="of all time", rows=[_by("item.kind")],
        measures=[_COUNT, _of("tickets", "sum"), _of("differences", "sum")], draw="bars",
    ),
    _report(
        "requests", "Time to deliver",
        "How long requests took from asking to delivery, by item of the catalogue.",
        kind="request", event="resolved", span="this quarter", rows=[_by("item")],
        measures=[_COUNT, _of("resolution", "median"), _of("resolution", "p90")], draw="bars",
    ),
    _report(
        "money", "Money spent",
        "What was spent on requests, by department of who asked and by item.",
        kind="request", event="resolved", span="this year",
        rows=[_by("requester.department"), _by("item")],
        measures=[_of("cost", "sum"), _COUNT], draw="bars",
    ),
    _report(
        "changes", "Outcomes of changes",
        "How changes went, by the rating of their risk.",
        kind="change", event="closed", span="this year", rows=[_by("risk")],
        columns=_by("outcome"), draw="stacked",
    ),
    _report(
        "majors", "Times of major incidents",
        "How long major incidents took to declare, to tell of and to put right, month by month; "
        "drills are left out.",
        kind="major", event="declared", span="this year", rows=[_by("declared", "month")],
        measures=[
            _COUNT, _of("time to declare", "median"), _of("time to first update", "median"),
            _of("time to restore", "median"),
        ],
    ),
    _report(
        "problems", "Problems",
        "What problems were opened, by service, and how many incidents hang on them.",
        kind="problem", event="opened", span="this year", rows=[_by("service")],
        measures=[_COUNT, _of("age", "median")], draw="bars",
    ),
)  # fmt: skip
BY_KEY: Mapping[str, Shipped] = {one.key: one for one in SHIPPED}
