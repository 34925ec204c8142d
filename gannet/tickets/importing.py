"""Importing tickets, people and configuration items from CSV: tried first, undone after.

A dry run says of every row what it would do or what is wrong with it. The import does the
good rows, each in its own transaction, and remembers what it made and what it changed.
"""

import csv
import io
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import transaction
from django.db.models import ProtectedError

from gannet.audit.models import Event
from gannet.estate.models import ConfigItem, Service
from gannet.people import records as people
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.people.records import put_person
from gannet.rulebook.book import current
from gannet.tickets import import_estate as estate
from gannet.tickets.actions.closing import cancel
from gannet.tickets.actions.frame import writing
from gannet.tickets.actions.log import NewTicket, log_ticket
from gannet.tickets.actions.undo import aside as aside_kinds
from gannet.tickets.events import TicketEvent
from gannet.tickets.import_estate import Verdict
from gannet.tickets.models import Channel, Ticket
from gannet.web.errors import Invalid, Problem
from gannet.web.given import guarded, read_json, whole_number
from gannet_core.conditions import fold
from gannet_core.errors import GannetError

MOST_ROWS = 5_000
MOST_MANY = 40_000
MOST_BYTES = 5 * 1024 * 1024
_MANY = 200
_OF_LINES = frozenset({"text"})
Progress = Callable[[int, int], bool]
Row = Mapping[str, str]
Numbered = tuple[int, Row]


@dataclass(frozen=True)
class Checked:
    """One row after the dry run: its line, what it would do, what is wrong."""

    line: int
    does: str
    what: str
    errors: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class ImportKind:
    """One kind of import: its columns, those that are needed, how a row is checked and done."""

    columns: Mapping[str, str]
    needed: Sequence[str]
    check: Callable[[Sequence[Row]], list[Verdict]]
    does: Callable[[Sequence[Row], Acting], list[dict[str, Any]]]
    # Columns that the rulebook adds, as it is when the file is read.
    own_columns: Callable[[], Mapping[str, str]] = dict
    # So many rows are done together, in one transaction; where that fails, each alone.
    at_once: int = 1
    # What rows that are done together must not share.
    identity: Callable[[Row], Any] = id

    @property
    def most_rows(self) -> int:
        return MOST_ROWS if self.at_once == 1 else MOST_MANY

    def all_columns(self) -> dict[str, str]:
        return {**self.columns, **self.own_columns()}


def read_rows(content: bytes, kind: str) -> list[dict[str, str]]:
    """The rows of a file by column name; what no spreadsheet would write is refused."""
    columns = kind_of(kind).all_columns()
    if len(content) > MOST_BYTES:
        raise Invalid("This file is too large: at most 5 MB.", fields={"file": "Too large."})
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = content.decode("cp1252", "replace")
    if "\0" in text:
        raise Invalid("This is no CSV file.", fields={"file": "Choose a CSV file."})
    text = guarded(text)
    if text.lstrip()[:1] in ("{", "["):
        return _rows_of_json(text, kind)
    first = text.split("\n", 1)[0]
    delimiter = max(",;\t", key=first.count)
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    try:
        lines = [line for line in reader if any(cell.strip() for cell in line)]
    except csv.Error as error:
        raise Invalid(f"This file cannot be read: {error}.", fields={"file": str(error)}) from error
    if not lines:
        raise Invalid("This file has no rows.", fields={"file": "It is empty."})
    heads = [" ".join(fold(cell).split()) for cell in lines[0]]
    _check_shape(kind, heads, columns, len(lines) - 1)
    return [
        {head: _cell(head, cell) for head, cell in zip(heads, line, strict=False) if head}
        for line in lines[1:]
    ]


def _rows_of_json(text: str, kind: str) -> list[dict[str, str]]:
    """The rows of a JSON file: a list of objects, or an object that holds it by the kind's name."""
    told = read_json(text)
    rows = told.get(kind) if isinstance(told, dict) else told
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise Invalid(
            f"This JSON file has no list of {kind}.", fields={"file": f"[…] or {{“{kind}”: […]}}"}
        )
    heads = list(dict.fromkeys(" ".join(fold(key).split()) for row in rows for key in row))
    _check_shape(kind, heads, kind_of(kind).all_columns(), len(rows))
    return [
        {
            head: _cell(head, "" if value is None else str(value))
            for key, value in row.items()
            for head in [" ".join(fold(key).split())]
        }
        for row in rows
    ]


def _check_shape(kind: str, heads: Sequence[str], columns: Mapping[str, str], count: int) -> None:
    """Whether a file has the columns it must have, no others, and not too many rows."""
    unknown = [head for head in heads if head and head not in columns]
    if unknown:
        raise Invalid(
            f"No column is called {', '.join(unknown)}. Known: {', '.join(columns)}.",
            fields={"file": "Unknown columns."},
        )
    missing = [name for name in kind_of(kind).needed if name not in heads]
    if missing:
        raise Invalid(f"The column {', '.join(missing)} is missing.", fields={"file": "Missing."})
    most = kind_of(kind).most_rows
    if count > most:
        raise Invalid(f"At most {most:,} rows at once.", fields={"file": "Too many rows."})


def _cell(head: str, cell: str) -> str:
    """A cell as it is kept: only a text has several lines."""
    return cell.strip() if head in _OF_LINES else " ".join(cell.split())


def dry_run(kind: str, rows: Sequence[Row]) -> list[Checked]:
    """What each row would do, or what is wrong with it."""
    found: list[Checked] = []
    about, size = kind_of(kind), max(kind_of(kind).at_once, 1)
    for start in range(0, len(rows), size):
        piece = rows[start : start + size]
        lacking = [[name for name in about.needed if not row.get(name)] for row in piece]
        whole = [row for row, gone in zip(piece, lacking, strict=True) if not gone]
        checked = iter(about.check(whole) if whole else ())
        for number, gone in enumerate(lacking, start + 2):
            does, what, errors = next(checked) if not gone else ("", "", [])
            errors = [f"{name} is empty" for name in gone] or errors
            found.append(Checked(number, does, what, errors))
    return found


def run(
    kind: str,
    rows: Sequence[Row],
    person: Person | None,
    now: datetime,
    report: Progress = lambda done, total: True,
) -> dict[str, Any]:
    """Do the good rows; says what was made and changed, and which rows failed and why."""
    acting = Acting(person=person, now=now)
    made: list[dict[str, Any]] = []
    failed: list[dict[str, Any]] = []
    at_once = kind_of(kind).at_once
    for start in range(0, len(rows), at_once):
        piece = list(enumerate(rows[start : start + at_once], start + 2))
        with transaction.atomic():
            for together in _apart(kind, piece):
                _do(kind, together, acting, made, failed)
        if not report(min(start + at_once, len(rows)), len(rows)):
            break
    return {"made": made, "failed": sorted(failed, key=lambda one: int(one["line"]))}


def _apart(kind: str, piece: Sequence[Numbered]) -> Iterator[list[Numbered]]:
    """Rows in pieces in which none is about the same as another: the later one comes after."""
    identity = kind_of(kind).identity
    together: list[Numbered] = []
    seen: set[Any] = set()
    for number, row in piece:
        # A row in which something is missing is about nothing.
        mine = identity(row) if all(row.get(name) for name in kind_of(kind).needed) else number
        if mine in seen:
            yield together
            together, seen = [], set()
        seen.add(mine)
        together.append((number, row))
    yield together


def _do(
    kind: str,
    numbered: Sequence[Numbered],
    acting: Acting,
    made: list[dict[str, Any]],
    failed: list[dict[str, Any]],
) -> None:
    """Do rows together; where that fails, each alone, so that one takes no other along."""
    checked = dry_run(kind, [row for _, row in numbered])
    good = []
    for (number, row), one in zip(numbered, checked, strict=True):
        if one.errors:
            failed.append({"line": number, "why": "; ".join(one.errors)})
        else:
            good.append((number, row))
    if not good:
        return
    try:
        with transaction.atomic():
            done = kind_of(kind).does([row for _, row in good], acting)
            made += [{"line": number, **one} for (number, _), one in zip(good, done, strict=True)]
    except (Problem, GannetError, ValidationError) as error:
        if len(good) == 1:
            failed.append({"line": good[0][0], "why": str(error)})
            return
        for alone in good:
            _do(kind, [alone], acting, made, failed)


def undo(
    kind: str,
    made: Sequence[Mapping[str, Any]],
    person: Person | None,
    now: datetime,
    report: Progress = lambda done, total: True,
) -> dict[str, Any]:
    """Take an import back, last row first, where nothing has happened since."""
    acting = Acting(person=person, now=now)
    done, kept = 0, []
    for number, entry in enumerate(reversed(made), 1):
        try:
            with transaction.atomic():
                why = _UNDO[kind](entry, acting)
        except (Problem, GannetError, ProtectedError) as error:
            why = str(error)
        if why:
            kept.append({"line": entry["line"], "why": why})
        else:
            done += 1
        if not report(number, len(made)):
            break
    return {"done": done, "kept": kept}


def _each(check: Callable[[Row], Verdict]) -> Callable[[Sequence[Row]], list[Verdict]]:
    return lambda rows: [check(row) for row in rows]


def _each_done(
    does: Callable[[Row, Acting], dict[str, Any]],
) -> Callable[[Sequence[Row], Acting], list[dict[str, Any]]]:
    return lambda rows, acting: [does(row, acting) for row in rows]


def kind_of(kind: str) -> ImportKind:
    if kind not in KINDS:
        raise Invalid(f"Choose one of {', '.join(KINDS)}.", fields={"kind": "Choose one."})
    return KINDS[kind]


def _check_ticket(row: Row) -> tuple[str, str, list[str]]:
    errors = []
    if not Person.objects.filter(email=row["requester"].casefold(), is_active=True).exists():
        errors.append(f"nobody has the address {row['requester']}")
    for column, model in (("service", Service), ("item", ConfigItem)):
        if row.get(column) and not model.objects.filter(name=row[column]).exists():
            errors.append(f"there is no {column} {row[column]}")
    if row.get("category") and row["category"] not in current().categories:
        errors.append(f"there is no category {row['category']}")
    for column in ("impact", "urgency"):
        levels = len(current().matrix[column])
        said = row.get(column, "")
        level = whole_number(said, levels)
        if said and not level:
            errors.append(f"{column} is 1 to {levels}, not {said}")
    return "new ticket", row["title"][:120], errors


def _log_ticket(row: Row, acting: Acting) -> dict[str, Any]:
    ticket = log_ticket(
        NewTicket(
            requester=Person.objects.get(email=row["requester"].casefold()),
            title=row["title"],
            text=row.get("text", ""),
            channel=Channel.API,
            service=_named(Service, row.get("service")),
            ci=_named(ConfigItem, row.get("item")),
            category=row.get("category", ""),
            place=row.get("place", ""),
            impact=whole_number(row.get("impact")),
            urgency=whole_number(row.get("urgency")),
        ),
        acting,
    )
    with writing(ticket.pk, acting) as write:
        write.record(TicketEvent.IMPORTED)
    return {"id": ticket.pk}


def _undo_ticket(entry: Mapping[str, Any], acting: Acting) -> str:
    ticket = Ticket.objects.get(pk=entry["id"])
    aside = [
        *aside_kinds(),
        TicketEvent.IMPORTED,
        TicketEvent.LOGGED,
        TicketEvent.TASKS_ADDED,
        TicketEvent.ESCALATED,
    ]
    if Event.objects.filter(ticket=ticket).exclude(kind__in=aside).exists():
        return f"{ticket.pk} has been worked on since."
    cancel(ticket.pk, acting, "The import that made it was taken back.")
    return ""


def _check_person(row: Row) -> tuple[str, str, list[str]]:
    errors = []
    try:
        validate_email(row["email"])
    except ValidationError:
        errors.append(f"{row['email']} is not an e-mail address")
    if row.get("manager") and not Person.objects.filter(email=row["manager"].casefold()).exists():
        errors.append(f"nobody has the address {row['manager']}")
    is_known = Person.objects.filter(email=row["email"].casefold()).exists()
    return ("changes" if is_known else "new person"), row["name"], errors


def _save_person(row: Row, acting: Acting) -> dict[str, Any]:
    manager = None
    if row.get("manager"):
        manager = Person.objects.get(email=row["manager"].casefold())
    person, before = put_person(acting, row["email"], row, manager)
    return {"id": person.pk, "is_new": before is None, "before": before}


def _undo_person(entry: Mapping[str, Any], acting: Acting) -> str:
    before = None if entry["is_new"] else entry["before"]
    people.put_back(acting, Person.objects.get(pk=entry["id"]), before)
    return ""


def _named(model: Any, name: str | None) -> Any:
    return model.objects.filter(name=name).first() if name else None


KINDS: Mapping[str, ImportKind] = {
    "tickets": ImportKind(
        {
            "requester": "e-mail of who asks", "title": "in a few words", "text": "", "service": "",
            "item": "name of the configuration item", "category": "", "place": "",
            "impact": "1 is high", "urgency": "1 is high",
        },
        ("requester", "title"),
        _each(_check_ticket),
        _each_done(_log_ticket),
    ),
    "people": ImportKind(
        {
            "email": "a known one is changed", "name": "", "department": "", "job": "",
            "place": "", "phone": "",
            "manager": "e-mail of the line manager",
        },
        ("email", "name"),
        _each(_check_person),
        _each_done(_save_person),
    ),
    "items": ImportKind(
        estate.ITEM_COLUMNS,
        ("name", "kind"),
        estate.check_items,
        estate.save_items,
        own_columns=estate.attribute_columns,
        at_once=_MANY,
        identity=estate.item_key,
    ),
    "dependencies": ImportKind(
        estate.DEPENDENCY_COLUMNS,
        ("thing", "stands on"),
        estate.check_dependencies,
        estate.save_dependencies,
        at_once=_MANY,
        identity=estate.pair_of,
    ),
}  # fmt: skip
_UNDO: Mapping[str, Callable[[Mapping[str, Any], Acting], str]] = {
    "tickets": _undo_ticket,
    "people": _undo_person,
    "items": estate.undo_item,
    "dependencies": estate.undo_dependency,
}
