"""Lists as files: CSV and XLSX of what is shown, with nothing in them that a sheet would run."""

import csv
import io
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

import xlsxwriter

from gannet.tickets.list_fields import list_registry
from gannet_core.instants import instant_of

MOST_ROWS = 100_000
# A cell that begins so is a formula to a spreadsheet, or hides one.
_DANGEROUS = ("=", "+", "-", "@", "\t", "\r", "\n", "|")

# What a row shows without being asked, in the order of the list.
_ALWAYS: Mapping[str, str] = {
    "id": "number",
    "kind": "kind",
    "priority": "priority",
    "title": "title",
    "state": "state",
    "service": "service",
    "team": "team",
    "holder": "held by",
    "requester": "requester",
    "due_s": "due",
    "opened_s": "opened",
    "changed_s": "last change",
}


def headings(columns: Sequence[str]) -> list[str]:
    fields = list_registry()
    return [*_ALWAYS.values(), *(fields[name].label for name in columns)]


def cells(row: Mapping[str, Any], columns: Sequence[str], zone: ZoneInfo) -> list[Any]:
    """One row's cells: instants as local date and time, everything else as people see it."""
    fields = list_registry()
    found: list[Any] = []
    for name in _ALWAYS:
        value = row[name]
        if name == "priority":
            value = f"P{value}"
        found.append(_local(value, zone) if name.endswith("_s") else value)
    for name in columns:
        value = row["cells"][name]
        found.append(_local(value, zone) if fields[name].is_instant else value)
    return found


def _local(seconds: int | None, zone: ZoneInfo) -> datetime | None:
    if seconds is None:
        return None
    return instant_of(seconds).astimezone(zone).replace(tzinfo=None)


def harmless(value: Any) -> str:
    """A value as text that no spreadsheet takes for a formula."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        return value.isoformat(sep=" ", timespec="minutes")
    if isinstance(value, (int, float)):
        return str(value)
    text = "; ".join(map(str, value)) if isinstance(value, list) else str(value)
    return f"'{text}" if text.startswith(_DANGEROUS) else text


def as_csv(
    rows: Sequence[Mapping[str, Any]], columns: Sequence[str], zone: ZoneInfo
) -> Iterator[str]:
    """RFC 4180 with a byte order mark, which tells spreadsheets that it is UTF-8."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\r\n")
    writer.writerow(headings(columns))
    yield "\ufeff" + buffer.getvalue()
    for row in rows:
        buffer.seek(0)
        buffer.truncate()
        writer.writerow([harmless(value) for value in cells(row, columns, zone)])
        yield buffer.getvalue()


def as_xlsx(rows: Sequence[Mapping[str, Any]], columns: Sequence[str], zone: ZoneInfo) -> bytes:
    """A workbook whose cells are numbers, dates and texts, never formulas or links."""
    target = io.BytesIO()
    options = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    book = xlsxwriter.Workbook(target, options)
    sheet = book.add_worksheet("Tickets")
    bold, dated = (
        book.add_format({"bold": True}),
        book.add_format({"num_format": "yyyy-mm-dd hh:mm"}),
    )
    for column, label in enumerate(headings(columns)):
        sheet.write_string(0, column, label, bold)
    for at, row in enumerate(rows, 1):
        for column, value in enumerate(cells(row, columns, zone)):
            if isinstance(value, datetime):
                sheet.write_datetime(at, column, value, dated)
            elif isinstance(value, (int, float)) and not isinstance(value, bool):
                sheet.write_number(at, column, value)
            elif value is not None:
                sheet.write_string(at, column, harmless(value)[:32_000])
    sheet.freeze_panes(1, 0)
    sheet.autofilter(0, 0, max(1, len(rows)), len(headings(columns)) - 1)
    sheet.set_column(3, 3, 48)
    book.close()
    return target.getvalue()
