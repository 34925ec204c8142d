"""Reports: what one asks for, and the table that its records make (computation, §16).

A report groups records by rows and a column and says figures of each group. Whoever reads the
records hands in *tallies*: for each group and value how many there were, their sum, the least
and greatest, and the values themselves where a median is asked for. All of them are whole
numbers, so that what tallies add up to is exact; totals are tallies of the records of all
their groups, never sums of cells.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from gannet_core import measures
from gannet_core.conditions import fold
from gannet_core.errors import ReportError
from gannet_core.instants import instant_of, seconds_of

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
    "read", "seen",
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
COUNT, SHARE = "count", "share"
AGGREGATES = ("mean", "median", "p90", "sum", "min", "max")
RECORDS = "records"
# Beside what was open at the end of each: what came in it, and what went.
CAME, WENT = "came", "went"
DRAWN = ("table", "bars", "stacked", "lines", "bars and line", "shares", "heat", "figure")
BEFORE, YEAR_BEFORE = "the period before", "a year before"
AGAINST = ("", BEFORE, YEAR_BEFORE)
MOST_ROWS, MOST_COLUMNS, MOST_MEASURES, MOST_BUCKETS = 200, 60, 4, 800
REST = "\x00rest"  # the key of what is gathered beyond the first rows
TOTAL = "\x00total"  # the key of a column that takes all of them
_WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
_DAY = 86_400
_FIRST_YEAR, _LAST_YEAR = 1990, 2200

Key = str | int | float | bool | None


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

    def figure(self, tallies: "Tallies") -> float | None:
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


@dataclass(frozen=True, slots=True)
class Span:
    """A span as instants; `until` is where it has got to, before its end while it runs."""

    start: datetime
    end: datetime
    until: datetime

    @property
    def is_running(self) -> bool:
        """Whether a part of it is still to come."""
        return self.until < self.end


def span_of(found: Definition, now: datetime, zone: ZoneInfo, first_month: int = 1) -> Span:
    """The span of a report on the local calendar, as it is now."""
    if isinstance(found.span, tuple):
        first, last = found.span
        start, end = (
            _day_begins(first, zone),
            _day_begins(last + timedelta(days=1), zone),
        )
    else:
        start, end = measures.relative_range(found.span, now, zone, first_month)
    return Span(start, end, max(start, min(end, now)))


def span_before(found: Definition, span: Span, zone: ZoneInfo, first_month: int = 1) -> Span:
    """The span that a report is held against: as far into it as the report's has got.

    The period before is the calendar's own for a relative range (the month before this
    month), and as long a one for others.
    """
    if found.against == YEAR_BEFORE:
        start, end = _year_before(span.start, zone), _year_before(span.end, zone)
    elif isinstance(found.span, str) and found.span.split(" ")[0] in ("this", "last") and (
        len(found.span.split(" ")) == 2
    ):  # fmt: skip
        by = found.span.split(" ")[1]
        start = measures.bucket(span.start - timedelta(hours=1), by, zone, first_month).start
        end = span.start
    else:
        days = (span.end.astimezone(zone).date() - span.start.astimezone(zone).date()).days
        start = _days_before(span.start, max(days, 1), zone)
        end = span.start
    if not span.is_running:
        return Span(start, end, end)
    gone = span.until.astimezone(zone).replace(tzinfo=None) - span.start.astimezone(zone).replace(
        tzinfo=None
    )
    there = (start.astimezone(zone).replace(tzinfo=None) + gone).replace(tzinfo=zone)
    return Span(start, end, min(end, instant_of(seconds_of(there))))


def _day_begins(day: date, zone: ZoneInfo) -> datetime:
    return measures.bucket(instant_of(seconds_of(datetime.combine(day, time(12), zone))),
                           "day", zone).start  # fmt: skip


def _days_before(at: datetime, days: int, zone: ZoneInfo) -> datetime:
    local = at.astimezone(zone).replace(tzinfo=None) - timedelta(days=days)
    return instant_of(seconds_of(local.replace(tzinfo=zone)))


def _year_before(at: datetime, zone: ZoneInfo) -> datetime:
    local = at.astimezone(zone).replace(tzinfo=None)
    day = local.day if (local.month, local.day) != (2, 29) else 28
    return instant_of(seconds_of(local.replace(year=local.year - 1, day=day, tzinfo=zone)))


@dataclass(slots=True)
class Tally:
    """Whole numbers of some records: how many, their sum, least and greatest, perhaps all."""

    n: int = 0
    total: int = 0
    least: int | None = None
    most: int | None = None
    values: list[int] = field(default_factory=list)

    def add(self, other: "Tally") -> None:
        """Count another's records too."""
        self.n += other.n
        self.total += other.total
        self.least = _kept(min, self.least, other.least)
        self.most = _kept(max, self.most, other.most)
        self.values += other.values

    @classmethod
    def of(cls, values: Iterable[int]) -> "Tally":
        """A tally of values, which it keeps."""
        kept = list(values)
        return cls(len(kept), sum(kept), min(kept, default=None), max(kept, default=None), kept)

    def figure(self, way: str) -> float | None:
        """The figure: zero for counts and sums of nothing, None for averages of nothing."""
        if way == COUNT:
            return self.n
        if way == "sum":
            return self.total
        if self.n == 0:
            return None
        match way:
            case "share":
                return measures.share(self.total, self.n)
            case "mean":
                return self.total / self.n
            case "min":
                return self.least
            case "max":
                return self.most
            case _:
                return measures.percentile(sorted(self.values), 50 if way == "median" else 90)


def _kept(which: Callable[[int, int], int], one: int | None, other: int | None) -> int | None:
    if one is None or other is None:
        return one if other is None else other
    return which(one, other)


Tallies = dict[str, Tally]
Group = tuple[tuple[Key, ...], Key]


@dataclass(frozen=True, slots=True)
class Heading:
    """One row or column: its key and what it is called."""

    key: Key
    label: str


@dataclass(frozen=True)
class Row:
    """A row: the headings from the outermost, its cells by column, and its total.

    Each cell has the figures of all measures in their order.
    """

    path: tuple[Heading, ...]
    cells: tuple[tuple[float | None, ...], ...]
    total: tuple[float | None, ...]


@dataclass(frozen=True)
class Table:
    """The table of a report: inner rows follow their outer one, whose path is shorter."""

    columns: tuple[Heading, ...]
    rows: tuple[Row, ...]
    totals: tuple[tuple[float | None, ...], ...]
    total: tuple[float | None, ...]
    gathered: int = 0  # how many rows stand in “the rest”


def table(
    found: Definition,
    groups: Mapping[Group, Tallies],
    headings: Callable[[Dimension, Iterable[Key]], list[Heading]],
) -> Table:
    """The table that groups of records make.

    `groups` are tallies by (keys of the rows, key of the column); `headings` puts the keys of
    a dimension that there are in order, those of time with the empty ones between.
    """
    columns = headings(found.columns, [key for _, key in groups]) if found.columns else []
    if len(columns) > MOST_COLUMNS:
        raise ReportError("columns", f"there would be {len(columns)} columns: choose longer ones")
    cells: dict[tuple[tuple[Key, ...], Key], Tallies] = {}
    gathered = 0
    outer = headings(found.rows[0], [rows[0] for rows, _ in groups]) if found.rows else []
    if found.rows:
        outer, gathered, groups = _gathered(found, outer, groups)
    for (rows, column), tallies in groups.items():
        for depth in range(len(rows) + 1):
            _add(cells, (rows[:depth], TOTAL), tallies)
            if found.columns:
                _add(cells, (rows[:depth], column), tallies)
    rows_ = []
    for heading in outer:
        rows_.append(_row(found, cells, (heading,), columns))
        if len(found.rows) > 1 and heading.key != REST:
            inner = [keys[1] for keys, _ in groups if keys[0] == heading.key]
            rows_ += [
                _row(found, cells, (heading, one), columns)
                for one in headings(found.rows[1], inner)
                if ((heading.key, one.key), TOTAL) in cells
            ]
    whole = _row(found, cells, (), columns)
    if found.event == OPEN_AT_END:  # what was open twice is not twice as much
        blank = (None,) * len(found.measures)
        whole = Row((), (blank,) * len(columns), blank)
    return Table(tuple(columns), tuple(rows_), whole.cells, whole.total, gathered)


def _add(cells: dict[Any, Tallies], where: Any, tallies: Tallies) -> None:
    kept = cells.setdefault(where, {})
    for name, tally in tallies.items():
        kept.setdefault(name, Tally()).add(tally)


def _row(
    found: Definition,
    cells: Mapping[Any, Tallies],
    path: tuple[Heading, ...],
    columns: Sequence[Heading],
) -> Row:
    keys = tuple(one.key for one in path)
    return Row(
        path,
        tuple(figures(found, cells.get((keys, one.key), {})) for one in columns),
        figures(found, cells.get((keys, TOTAL), {})),
    )


def figures(found: Definition, tallies: Tallies) -> tuple[float | None, ...]:
    """The figures of all measures of a report, of some records."""
    return tuple(one.figure(tallies) for one in found.measures)


def _gathered(
    found: Definition, outer: list[Heading], groups: Mapping[Group, Tallies]
) -> tuple[list[Heading], int, Mapping[Group, Tallies]]:
    """The rows that stand by themselves, in order of the first figure; the rest as one."""
    if found.rows[0].by:
        if len(outer) > MOST_BUCKETS:
            raise ReportError("rows", f"there would be {len(outer)} rows: choose longer pieces")
        return outer, 0, groups
    sums: dict[Any, Tallies] = {}
    for (rows, _), tallies in groups.items():
        _add(sums, rows[0], tallies)
    first = found.measures[0]
    places = {one.key: index for index, one in enumerate(outer)}

    def rank(one: Heading) -> tuple[float, int]:
        value = first.figure(sums.get(one.key, {}))
        return (-value if value is not None else float("inf"), places[one.key])

    if not all(isinstance(one.key, (int, float)) for one in outer) or found.top:
        outer = sorted(outer, key=rank)
    most = found.top or MOST_ROWS
    if len(outer) <= most:
        return outer, 0, groups
    kept = {one.key for one in outer[:most]}
    folded: dict[Group, Tallies] = {}
    for (rows, column), tallies in groups.items():
        keys = rows if rows[0] in kept else (REST, *(None for _ in rows[1:]))
        _add(folded, (keys, column), tallies)
    rest = len(outer) - most
    return [*outer[:most], Heading(REST, f"the {rest} others")], rest, folded


def merged(keys: Iterable[Any]) -> dict[Any, Key]:
    """What groups are one: words that differ in case alone, and all that is empty.

    Maps each key that was read to the key of its group: the first spelling in the order of
    the alphabet, or None.
    """
    first: dict[str, str] = {}
    found: dict[Any, Key] = {}
    for key in sorted((one for one in keys if isinstance(one, str) and one), key=str):
        first.setdefault(fold(key), key)
    for key in keys:
        if key is None or key == "":
            found[key] = None
        else:
            found[key] = first[fold(key)] if isinstance(key, str) else key
    return found


def merged_by(keys: Iterable[Any], name: Callable[[Any], str | None]) -> dict[Any, Key]:
    """As `merged`, for keys that stand for names."""
    named = {key: name(key) for key in keys}
    groups = merged(named.values())
    return {key: groups[said] for key, said in named.items()}


# Where bands of a value begin, from the least up; beyond them by ones, twos and fives.
_LADDERS: Mapping[str, Sequence[int]] = {
    "seconds": (
        0, 300, 900, 1_800, 3_600, 7_200, 14_400, 28_800, _DAY, 2 * _DAY, 4 * _DAY, 7 * _DAY,
        14 * _DAY, 28 * _DAY, 56 * _DAY, 91 * _DAY, 182 * _DAY, 365 * _DAY, 730 * _DAY,
    ),
    "minutes": (0, 5, 10, 15, 30, 60, 120, 240, 480, 960, 2_400),
}  # fmt: skip
MOST_BANDS = 24


def bands(unit: str, least: int, most: int) -> tuple[int, ...]:
    """Where the bands begin into which values from `least` to `most` fall, and the last ends.

    Each takes its beginning and not its end. Durations go by steps that people say (an hour, a
    day, a week), few numbers one by one, others by ones, twos and fives.
    """
    ladder = _LADDERS.get(unit)
    if ladder is not None and least >= 0 and most < ladder[-1]:
        first = max(at for at, edge in enumerate(ladder) if edge <= least)
        last = min(at for at, edge in enumerate(ladder) if edge > most)
        return tuple(ladder[first : last + 1])
    step, place = 1, 0
    while (most - least) // step >= MOST_BANDS // 2:
        place += 1
        step = (1, 2, 5)[place % 3] * 10 ** (place // 3)
    first = least // step * step
    return tuple(range(first, most // step * step + 2 * step, step))


def band_label(low: int, high: int, unit: str) -> str:
    """A band as a heading of a report says it."""
    if unit == "seconds":
        return f"{_length(low)} to {_length(high)}" if low else f"under {_length(high)}"
    if unit == "minutes":
        return f"{low} to {high} min" if low else f"under {high} min"
    if unit == "pence":
        return f"{low / 100:,.2f} to {high / 100:,.2f}"
    return str(low) if high == low + 1 else f"{low} to {high - 1}"


def _length(seconds: int) -> str:
    for name, size in (("week", 7 * _DAY), ("day", _DAY), ("h", 3_600), ("min", 60)):
        if abs(seconds) >= size and seconds % size == 0:
            many = seconds // size
            plural = "s" if many != 1 and name in ("week", "day") else ""
            return f"{many} {name}{plural}"
    return f"{seconds} s"


def bucket_label(key: str, by: str) -> str:
    """A piece of time as a heading of a report says it."""
    if by == WEEKDAY:
        return _WEEKDAYS[int(key) - 1]
    if by == HOUR_OF_DAY:
        return f"{int(key):02}:00"
    if by == "hour":
        return f"{date.fromisoformat(key[:10]):%-d %b} {key[11:13]}:00"
    if by == "day":
        return f"{date.fromisoformat(key):%a %-d %b}"
    if by == "week":
        year, week = key.split("-W")
        return f"week {int(week)}, {date.fromisocalendar(int(year), int(week), 1):%-d %b %Y}"
    if by == "month":
        return f"{date.fromisoformat(key + '-01'):%B %Y}"
    return key.replace("-", " ").replace("FY", "year from ") if by == "year" else _quarter(key)


def _quarter(key: str) -> str:
    year, quarter = key.rsplit("-", 1)
    return f"{quarter} {year.replace('FY', 'of the year from ')}"


@dataclass(frozen=True, slots=True)
class Edges:
    """The pieces of time of a dimension between two instants: keys, and where each begins.

    `starts_s` has one more than there are keys: the end of the last.
    """

    keys: tuple[str, ...]
    starts_s: tuple[int, ...]


def edges(
    dimension: Dimension, start: datetime, end: datetime, zone: ZoneInfo, first_month: int = 1
) -> Edges:
    """The pieces of time that touch [start, end), the empty ones included."""
    found = measures.buckets(start, end, dimension.by, zone, first_month)
    if len(found) > MOST_BUCKETS:
        raise ReportError(
            "rows", f"{len(found)} pieces of a {dimension.by} each: choose longer ones"
        )
    starts = [seconds_of(one.start) for one in found]
    return Edges(
        tuple(one.key for one in found),
        (*starts, *([seconds_of(found[-1].end)] if found else ())),
    )


def offsets(start_s: int, end_s: int, zone: ZoneInfo) -> list[tuple[int, int]]:
    """How far local time is ahead of UTC between two instants: [(until, seconds), …].

    Each offset holds up to its `until`, the last for all that comes after. Clocks move at
    whole quarters of an hour.
    """
    found: list[tuple[int, int]] = []
    at, offset = start_s, _offset(start_s, zone)
    while at < end_s:
        following = min(at + 7 * _DAY, end_s)
        if _offset(following, zone) != offset:
            low, high = at, following
            while high - low > 1:
                middle = (low + high) // 2
                low, high = (middle, high) if _offset(middle, zone) == offset else (low, middle)
            found.append((high, offset))
            offset = _offset(high, zone)
            following = high
        at = following
    found.append((end_s, offset))
    return found


def _offset(at_s: int, zone: ZoneInfo) -> int:
    shift = instant_of(at_s).astimezone(zone).utcoffset()
    return 0 if shift is None else int(shift.total_seconds())


ROUND = {
    HOUR_OF_DAY: tuple(f"{hour:02}" for hour in range(24)),
    WEEKDAY: tuple(str(day) for day in range(1, 8)),
}
