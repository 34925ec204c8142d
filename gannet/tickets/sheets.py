"""Lists as files: CSV and XLSX of what is shown, with nothing in them that a sheet would run."""

import csv
import unicodedata
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import xlsxwriter

from gannet.tickets.field import Field
from gannet.tickets.list_fields import list_registry
from gannet_core.instants import instant_of

MOST_ROWS = 100_000
# What makes a cell a formula to a spreadsheet, or hides one.
_DANGEROUS = frozenset("=+-@|\t\r\n")
_MOST_LETTERS = 32_000  # a cell of a workbook holds 32,767

# What a row shows without being asked, in the order of the list.
_ALWAYS: Mapping[str, str] = {
    "id": "number",
    "kind": "kind",
    "priority": "priority",
    "title": "title",
    "state": "state",
    "service": "service",
    "team": "team",
    "holder": "assignee",
    "requester": "requester",
    "due_s": "due",
    "opened_s": "opened",
    "changed_s": "last change",
}


# The same as names of fields: a column that is there anyway is not there twice.
_THERE = frozenset({"number", *(name.removesuffix("_s") for name in _ALWAYS)})


def _more(columns: Sequence[str]) -> list[str]:
    return [name for name in columns if name not in _THERE]


def headings(columns: Sequence[str], fields: Mapping[str, Field]) -> list[str]:
    return [*_ALWAYS.values(), *(harmless(fields[name].label) for name in _more(columns))]


def cells(
    row: Mapping[str, Any], columns: Sequence[str], fields: Mapping[str, Field], zone: ZoneInfo
) -> list[Any]:
    """One row's cells: instants as local date and time, everything else as people see it."""
    found: list[Any] = []
    for name in _ALWAYS:
        value = row[name]
        if name == "priority":
            value = f"P{value}"
        found.append(_local(value, zone) if name.endswith("_s") else value)
    for name in _more(columns):
        value = row["cells"][name]
        found.append(_local(value, zone) if fields[name].is_instant else value)
    return found


def _local(seconds: int | None, zone: ZoneInfo) -> datetime | None:
    if seconds is None:
        return None
    return instant_of(seconds).astimezone(zone).replace(tzinfo=None)


def harmless(value: Any) -> str:
    """A value as text that no spreadsheet takes for a formula.

    What nobody sees – spaces, marks of direction, joiners – does not count as a beginning,
    and a wide sign (＝) counts as the narrow one.
    """
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        return value.isoformat(sep=" ", timespec="minutes")
    if isinstance(value, (int, float)):
        return str(value)
    text = "; ".join(map(str, value)) if isinstance(value, list) else str(value)
    return f"'{text}" if _begins_as_formula(text) else text


def _begins_as_formula(text: str) -> bool:
    for letter in text:
        if letter in _DANGEROUS or unicodedata.normalize("NFKC", letter)[:1] in _DANGEROUS:
            return True
        if letter.isprintable() and letter != " " and unicodedata.category(letter) != "Mn":
            return False
    return False


def write_csv(
    file: Path, rows: Iterable[Mapping[str, Any]], columns: Sequence[str], zone: ZoneInfo
) -> int:
    """RFC 4180 with a byte order mark, which tells spreadsheets that it is UTF-8."""
    fields, count = list_registry(), 0
    with file.open("w", encoding="utf-8-sig", newline="") as target:
        writer = csv.writer(target, lineterminator="\r\n")
        writer.writerow(headings(columns, fields))
        for row in rows:
            writer.writerow([harmless(value) for value in cells(row, columns, fields, zone)])
            count += 1
    return count


def write_xlsx(
    file: Path, rows: Iterable[Mapping[str, Any]], columns: Sequence[str], zone: ZoneInfo
) -> int:
    """A workbook whose cells are numbers, dates and texts, never formulas or links."""
    fields, count = list_registry(), 0
    options = {
        "constant_memory": True,  # a row is written out before the next is begun
        "strings_to_formulas": False,
        "strings_to_urls": False,
    }
    book = xlsxwriter.Workbook(str(file), options)
    sheet = book.add_worksheet("Tickets")
    bold = book.add_format({"bold": True})
    dated = book.add_format({"num_format": "yyyy-mm-dd hh:mm"})
    heads = headings(columns, fields)
    sheet.freeze_panes(1, 0)
    sheet.set_column(3, 3, 48)
    for column, label in enumerate(heads):
        sheet.write_string(0, column, label, bold)
    for row in rows:
        count += 1
        for column, value in enumerate(cells(row, columns, fields, zone)):
            if isinstance(value, datetime):
                sheet.write_datetime(count, column, value, dated)
            elif isinstance(value, (int, float)) and not isinstance(value, bool):
                sheet.write_number(count, column, value)
            elif value is not None:
                sheet.write_string(count, column, harmless(value)[:_MOST_LETTERS])
    sheet.autofilter(0, 0, max(1, count), len(heads) - 1)
    book.close()
    return count
