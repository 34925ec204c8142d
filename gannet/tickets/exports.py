"""Lists as files that are made in the background, piece by piece, and fetched when they are there.

A file holds what its person may see at the moment it is made. It is theirs alone, and is
deleted after a day.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime, timedelta
from pathlib import Path
from secrets import token_hex
from typing import Any
from zoneinfo import ZoneInfo

from django.conf import settings

from gannet.people.models import Person
from gannet.tickets import listing, sheets
from gannet.tickets.listed import Listed, listed
from gannet.web.errors import Invalid

KINDS: Mapping[str, str] = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}
KEPT_FOR = timedelta(days=1)
_STEP = 500
Progress = Callable[[int, int], bool]


def check(person: Person, params: Mapping[str, Any], now: datetime) -> int:
    """How many rows an export would have, up to the limit; `Invalid` for what cannot be shown."""
    if params["as"] not in KINDS:
        raise Invalid("Choose csv or xlsx.", fields={"as": "Choose one."})
    listing.orders_of(params["sort"])
    listing.columns_of(params["columns"])
    found = listed(person, params["filter"], now).found
    return found.order_by()[: sheets.MOST_ROWS].count()


def make(
    person: Person,
    params: Mapping[str, Any],
    now: datetime,
    report: Progress = lambda done, total: True,
) -> dict[str, Any]:
    """Write the file; returns where it is, how many rows it has, and whether it was cut."""
    columns = listing.columns_of(params["columns"])
    found = listed(person, params["filter"], now)
    total = found.found.order_by()[: sheets.MOST_ROWS].count()
    folder().mkdir(mode=0o700, parents=True, exist_ok=True)
    name = f"{token_hex(16)}.{params['as']}"
    part = folder() / f"{name}.part"
    zone = ZoneInfo(person.zone)
    write = sheets.write_csv if params["as"] == "csv" else sheets.write_xlsx
    try:
        rows = _rows(found, params["sort"], columns, total, report)
        count = write(part, rows, columns, zone)
        part.rename(folder() / name)
    finally:
        part.unlink(missing_ok=True)
    return {"file": name, "rows": count, "is_cut": total >= sheets.MOST_ROWS}


def _rows(
    found: Listed, sort: str, columns: Sequence[str], total: int, report: Progress
) -> Iterator[dict[str, Any]]:
    rows = listing.walk(found, sort, columns, sheets.MOST_ROWS)
    for done, row in enumerate(rows, 1):
        yield row
        if done % _STEP == 0 and not report(done, total):
            raise Invalid("It was stopped.")


def folder() -> Path:
    return Path(settings.EXPORTS_ROOT)


def drop(result: Mapping[str, Any] | None) -> None:
    """Delete the file of an export that nobody fetches any more."""
    name = (result or {}).get("file", "")
    if name:
        (folder() / Path(name).name).unlink(missing_ok=True)


def sweep(older_than: datetime) -> int:
    """Delete what was left behind by a worker that died; returns how many files."""
    dropped = 0
    if folder().is_dir():
        for file in folder().iterdir():
            if file.stat().st_mtime < older_than.timestamp():
                file.unlink(missing_ok=True)
                dropped += 1
    return dropped
