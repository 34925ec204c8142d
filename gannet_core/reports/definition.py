"""What a report asks for: its values, dimensions and measures, read from how they were written."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from gannet_core.errors import ReportError
from gannet_core.reports.tallies import COUNT, SHARE, Tallies, Tally

# What happened to the records that count: in the span, or (the last two) at a moment.
OPENED, RESOLVED, CLOSED, OPEN, OPEN_AT_END, EVER = (
    "opened",
    "resolved",
    "closed",
    "open now",
    "open at the end of each",
    "of all time",
)
OF_TICKETS = (OPENED, RESOLVED, CLOSED, OPEN, OPEN_AT_END, EVER)
# What happens to records of other kinds; an application says which to which.
EVENTS = (
    *OF_TICKETS, "made", "done", "asked", "decided", "logged", "sent", "answered", "begun",
    "ended", "handed over", "opened again", "missed", "written", "last changed", "review by",
    "read", "seen", "declared", "stood down",
)  # fmt: skip
# What is counted of no span.
SPANLESS = (OPEN, EVER)
SPANS = (
    "today",
    "yesterday",
    "this week",
    "last week",
    "this month",
    "last month",
    "this quarter",
    "last quarter",
    "this year",
    "last year",
)
HOUR_OF_DAY, WEEKDAY = "hour of day", "weekday"
BYS = (HOUR_OF_DAY, WEEKDAY, "hour", "day", "week", "month", "quarter", "year")
# Groups by how much of a value there is, for a distribution.
BAND = "band"
AGGREGATES = ("mean", "median", "p90", "sum", "min", "max")
RECORDS = "records"
# Beside what was open at the end of each: what came in it, and what went.
CAME, WENT = "came", "went"
DRAWN = ("table", "bars", "stacked", "lines", "bars and line", "shares", "heat", "figure")
BEFORE, YEAR_BEFORE = "the period before", "a year before"
AGAINST = ("", BEFORE, YEAR_BEFORE)
MOST_ROWS, MOST_COLUMNS, MOST_MEASURES, MOST_BUCKETS = 200, 60, 4, 800
_FIRST_YEAR, _LAST_YEAR = 1990, 2200


@dataclass(frozen=True, slots=True)
class Value:
    """Something that records are measured by: its name in words and its unit.

    `unit` is seconds, number, pence or minutes; a `share` is of records that are so, among
    those of which it can be said. A value that is no whole number is added up in parts of one,
    `scale` of them.
    """

    label: str
    unit: str = "number"
    is_share: bool = False
    about: str = ""
    scale: int = 1


# Every value that a measure can be of; an application may know fewer.
VALUES: Mapping[str, Value] = {
    RECORDS: Value("records", about="How many records there are."),
    CAME: Value("came", about="What was opened in the piece of time."),
    WENT: Value("went", about="What was resolved in it, or ended without."),
    "age": Value("age", "seconds", about="From opening to closing, or to now while it is open."),
    "first response": Value("time to respond", "seconds",
                            about="From opening to the desk’s first answer, by the clock."),
    "resolution": Value("time to resolve", "seconds",
                        about="From opening to the last resolution, by the clock."),
    "service time": Value("service time to resolve", "seconds",
                          about="What the resolution clock counted: hours of service alone."),
    "hand-overs": Value("hand-overs", about="How often it went to another team or person."),
    "reopenings": Value("reopenings", about="How often it was opened again."),
    "minutes": Value("time logged", "minutes", about="Minutes that people logged on it."),
    "cost": Value("cost", "pence", about="What was spent on it."),
    "score": Value("satisfaction", about="What its requester answered, of five."),
    "messages": Value("messages", about="How much was said on it."),
    "response met": Value("response SLA met", is_share=True,
                          about="Of those whose response clock has ended."),
    "resolution met": Value("resolution SLA met", is_share=True,
                            about="Of those whose resolution clock has ended."),
    "first line": Value("resolved by the first line", is_share=True, about="Of those resolved."),
    "reopened": Value("reopened", is_share=True, about="Of those resolved at least once."),
    "with knowledge": Value("resolved with an article", is_share=True, about="Of those resolved."),
    "time taken": Value("time taken", "seconds",
                        about="From its beginning to its end, or to now while it goes on."),
    "service time taken": Value("service time taken", "seconds",
                                about="In the hours of service alone, of those that have ended."),
    "out of hours": Value("time out of hours", "seconds",
                          about="What of it fell outside the hours of service."),
    "time over": Value("time over the target", "seconds",
                       about="From the target to the end of the clock, or to now."),
    "planned": Value("planned time", "minutes", about="What was planned for it."),
    "in time": Value("done in time", is_share=True, about="Of those done that were due."),
    "approved": Value("approved", is_share=True, about="Of those decided."),
    "answered": Value("answered", is_share=True, about="Of those who were asked."),
    "late wait": Value("began in the last tenth of the target", is_share=True,
                       about="Waits that began when a tenth of the resolution target or less was "
                             "left, but some was: among those of records with one."),
    "reads": Value("readings", about="How often it was read by others than its owner."),
    "uses": Value("uses", about="How many records were resolved with it."),
    "helped": Value("answers that it helped", about="How many readers said so."),
    "did not help": Value("answers that it did not help", about="How many readers said so."),
    "no ticket after": Value("no ticket after it", is_share=True,
                             about="Readings after which the reader asked for nothing on the "
                                   "article’s service for a day; confidential ones are not "
                                   "looked at."),
    "tickets": Value("tickets on it", about="How many name it; confidential ones are not counted."),
    "differences": Value("differences", about="Between what is written down and what was found."),
    "time to notice": Value("time to notice", "seconds",
                            about="From the beginning, where it is stated, to the first report."),
    "time to declare": Value("time to declare", "seconds",
                             about="From the first report to declaring."),
    "time to first update": Value("time to the first update", "seconds",
                                  about="From declaring to the first update that anybody got."),
    "time to restore": Value("time to restore", "seconds",
                             about="From the beginning, or else the first report, until all "
                                   "worked again."),
    "time run": Value("time run", "seconds",
                      about="From declaring to standing down, or to now while it runs."),
    "affected": Value("people affected", about="Each counted once, as derived or corrected."),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Dimension:
    """What groups are made by: a field, and for a moment the piece of time it falls into.

    By `BAND` the field is the name of a value, and groups are how much of it there is.
    """

    field: str
    by: str = ""

    @property
    def is_time(self) -> bool:
        """Whether its groups are pieces of a calendar, one after the other."""
        return self.by not in ("", HOUR_OF_DAY, WEEKDAY, BAND)


@dataclass(frozen=True, slots=True)
class Measure:
    """One figure: what of the records, and how it is summed up."""

    of: str
    way: str
    # What an application's own value is; of the others `VALUES` says it.
    own: Value | None = field(default=None, compare=False)

    @property
    def value(self) -> Value:
        """What it is of."""
        return self.own or VALUES[self.of]

    @property
    def unit(self) -> str:
        """The unit of the figure: percent for a share, else that of its value."""
        return "percent" if self.way == SHARE else self.value.unit

    @property
    def needs_values(self) -> bool:
        """Whether it cannot be said from count, sum, least and greatest."""
        return self.way in ("median", "p90")

    @property
    def label(self) -> str:
        """The figure in words."""
        said = self.value.label
        if self.way == COUNT:
            return "count" if self.of == RECORDS else said
        if self.way == SHARE:
            return said
        return f"{_SAID[self.way]} {said}"

    def figure(self, tallies: Tallies) -> float | None:
        """The figure of some records, from their tallies."""
        found = tallies.get(self.of, Tally()).figure(self.way)
        return found if found is None or self.value.scale == 1 else found / self.value.scale


_SAID = {
    "mean": "average",
    "median": "median",
    "p90": "90th percentile of",
    "sum": "total",
    "min": "least",
    "max": "greatest",
}


@dataclass(frozen=True)
class Definition:
    """All that one report asks for.

    `span` is a relative range, or the first and the last local day; `where` a condition or nothing;
    `top` how many rows stand by themselves, the rest gathered (0: as many as can be).
    """

    kind: str
    event: str
    span: str | tuple[date, date]
    rows: tuple[Dimension, ...]
    columns: Dimension | None
    measures: tuple[Measure, ...]
    where: Mapping[str, Any] | None = None
    against: str = ""
    top: int = 0
    draw: str = "table"

    @property
    def dimensions(self) -> tuple[Dimension, ...]:
        """Its rows, outer first, then its column."""
        return (*self.rows, *((self.columns,) if self.columns else ()))

    @property
    def event_field(self) -> str:
        """The field of moments by which records fall into the span; empty for those open."""
        return "" if self.event in (OPEN, OPEN_AT_END, EVER) else self.event


def read_definition(said: Mapping[str, Any], own: Mapping[str, Value] | None = None) -> Definition:
    """A definition as it was written; `ReportError` names the place that cannot be.

    `own` are values of an application's own, beside those of `VALUES`.
    """
    event = _one_of(said.get("event", OPENED), EVENTS, "event")
    rows = tuple(_dimension(one, "rows") for one in _listed(said.get("rows"), "rows"))
    if len(rows) > 2:
        raise ReportError("rows", "a report has at most two levels of rows")
    columns = _dimension(said["columns"], "columns") if said.get("columns") else None
    given = _listed(said.get("measures"), "measures") or [{"of": RECORDS, "way": COUNT}]
    if len(given) > MOST_MEASURES:
        raise ReportError("measures", f"a report shows at most {MOST_MEASURES} figures")
    shown = tuple(_measure(one, own or {}) for one in given)
    found = Definition(
        kind=str(said.get("kind") or ""),
        event=event,
        span=_span(said.get("span", "this month")),
        rows=rows,
        columns=columns,
        measures=shown,
        where=said.get("where") or None,
        against=_one_of(said.get("against") or "", AGAINST, "against"),
        top=_whole(said.get("top") or 0, 0, MOST_ROWS, "top"),
        draw=_one_of(said.get("draw") or "table", DRAWN, "draw"),
    )
    if len(set(found.dimensions)) < len(found.dimensions):
        raise ReportError("columns", "the same thing cannot stand in rows and columns")
    if event == OPEN_AT_END:
        _check_open_at_end(found)
    elif any(one.of in (CAME, WENT) for one in shown):
        raise ReportError("measures", "what came and went stands beside what was open at each end")
    return found


def _check_open_at_end(found: Definition) -> None:
    if len(found.rows) != 1 or not found.rows[0].is_time:
        raise ReportError("rows", "what was open at the end of each needs rows of time")
    if any(one.of not in (RECORDS, CAME, WENT) for one in found.measures):
        raise ReportError("measures", "what was open at the end of each is counted")
    if found.columns is not None and found.columns.by:
        raise ReportError("columns", "beside it stand columns that are no time")


def _one_of(said: Any, known: Sequence[str], place: str) -> str:
    if said not in known:
        raise ReportError(place, f"“{said}” is none of {', '.join(one for one in known if one)}")
    return str(said)


def _listed(said: Any, place: str) -> list[Any]:
    if said is None:
        return []
    if not isinstance(said, list):
        raise ReportError(place, "this is a list")
    return said


def _whole(said: Any, least: int, most: int, place: str) -> int:
    if isinstance(said, bool) or not isinstance(said, int) or not least <= said <= most:
        raise ReportError(place, f"a whole number from {least} to {most}")
    return said


def _dimension(said: Any, place: str) -> Dimension:
    if not isinstance(said, Mapping) or not isinstance(said.get("field"), str):
        raise ReportError(place, "say by which field")
    by = said.get("by") or ""
    return Dimension(said["field"], _one_of(by, ("", *BYS, BAND), place))


def _measure(said: Any, own: Mapping[str, Value]) -> Measure:
    if not isinstance(said, Mapping):
        raise ReportError("measures", "say of what, and how")
    if isinstance(said.get("of"), str) and said["of"] in own:
        way = _one_of(said.get("way"), AGGREGATES, "measures")
        return Measure(said["of"], way, own[said["of"]])
    of = _one_of(said.get("of"), tuple(VALUES), "measures")
    if of in (RECORDS, CAME, WENT):
        return Measure(of, _one_of(said.get("way", COUNT), (COUNT,), "measures"))
    if VALUES[of].is_share:
        return Measure(of, _one_of(said.get("way", SHARE), (SHARE,), "measures"))
    return Measure(of, _one_of(said.get("way"), AGGREGATES, "measures"))


def _span(said: Any) -> str | tuple[date, date]:
    if isinstance(said, Mapping):
        try:
            first, last = (date.fromisoformat(str(said.get(name))) for name in ("from", "to"))
        except ValueError as error:
            raise ReportError("span", "say from which day to which") from error
        if last < first:
            raise ReportError("span", "it ends before it begins")
        if not _FIRST_YEAR <= first.year <= last.year <= _LAST_YEAR:
            raise ReportError("span", f"a day from {_FIRST_YEAR} to {_LAST_YEAR}")
        return first, last
    if isinstance(said, str) and (said in SPANS or _last_days(said)):
        return said
    raise ReportError("span", f"“{said}” is no span: say for example “this month”")


def _last_days(said: str) -> bool:
    words = said.split(" ")
    return len(words) == 3 and said == f"last {words[1]} days" and words[1].isdigit() and (
        0 < int(words[1]) <= 3700
    )  # fmt: skip
