"""A large database that is like the demo's: its tickets with all that hangs on them, over
and over, each copy a little earlier, straight into SQLite.

Every copy has its own numbers; people, teams, services and the rulebook stay as few as
they are. Of the open tickets there are more copies, so that three in a hundred are open.
The hashes of the copied events are those of their originals: the chain does not hold here.
"""

import sqlite3
from collections.abc import Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from pathlib import Path

from gannet_core.conditions import words_of

_STEP_SECONDS = 421  # by which each copy is earlier than the one before
_OPEN_SHARE = 0.03
_TICKETS = "tickets_ticket"
# What does not multiply with tickets, or may be there but once.
_ONCE = frozenset(
    {"tickets_presence", "messages_hookcall", "messages_incoming", "knowledge_article"}
)


def replicate(base: Path, file: Path, tickets: int) -> int:
    """Make `file` a database of about so many tickets out of `base`; returns how many."""
    file.unlink(missing_ok=True)
    with sqlite3.connect(base) as source, sqlite3.connect(file) as copied:
        source.backup(copied)
    raw = sqlite3.connect(file, isolation_level=None)
    raw.execute("PRAGMA journal_mode=OFF")
    raw.execute("PRAGMA synchronous=OFF")
    raw.execute("PRAGMA foreign_keys=OFF")
    raw.execute("PRAGMA cache_size=-1000000")
    indexes = [row[0] for row in raw.execute(
        "SELECT sql FROM sqlite_master WHERE type = 'index' AND sql IS NOT NULL"
    )]  # fmt: skip
    for (name,) in raw.execute(
        "SELECT name FROM sqlite_master WHERE type = 'index' AND sql IS NOT NULL"
    ).fetchall():
        raw.execute(f'DROP INDEX "{name}"')
    raw.execute("ATTACH ? AS base", [str(base)])
    tables = _tables(raw)
    ours = {
        table: raw.execute(f"SELECT coalesce(max(id), 0) FROM base.{table}").fetchone()[0]
        for table in tables
    }
    closed, opened = (
        raw.execute(f"SELECT count(*) FROM base.{_TICKETS} WHERE is_open = {flag}").fetchone()[0]
        for flag in (0, 1)
    )
    _say(raw)
    raw.execute("BEGIN")
    copies = round(tickets * (1 - _OPEN_SHARE) / closed)
    for copy in range(1, copies):
        _copy(raw, tables, ours, copy, "is_open = 0", copy * _STEP_SECONDS)
    wanted = round(tickets * _OPEN_SHARE / opened)
    for copy in range(copies, copies + wanted - 1):
        earlier = (copy - copies) * 7 % 3_600 * 60
        _copy(raw, tables, ours, copy, "is_open = 1", earlier)
    raw.execute("COMMIT")
    for sql in indexes:
        raw.execute(sql)
    raw.execute("ANALYZE")
    made: int = raw.execute(f"SELECT count(*) FROM {_TICKETS}").fetchone()[0]
    raw.close()
    return made


def _say(raw: sqlite3.Connection) -> None:
    """The words of each ticket, which the index itself does not keep, beside the tables."""
    raw.create_function("words", 1, lambda text: " ".join(words_of(text)))
    raw.execute(
        "CREATE TEMP TABLE said AS SELECT t.id AS id, words(t.title) AS title, words((SELECT"
        " coalesce(group_concat(e.text, char(10)), '') FROM base.audit_event e"
        f" WHERE e.ticket_id = t.id AND e.text <> '')) AS talk FROM base.{_TICKETS} t"
    )


def _tables(raw: sqlite3.Connection) -> Mapping[str, str]:
    """The tables that multiply -> their column that names the ticket."""
    found = {_TICKETS: "id"}
    names = [
        row[0] for row in raw.execute("SELECT name FROM base.sqlite_master WHERE type = 'table'")
    ]
    for name in names:
        columns = {row[1] for row in raw.execute(f"PRAGMA base.table_info('{name}')")}
        if {"id", "ticket_id"} <= columns and name not in _ONCE:
            found[name] = "ticket_id"
    return found


def _copy(
    raw: sqlite3.Connection,
    tables: Mapping[str, str],
    ours: Mapping[str, int],
    copy: int,
    which: str,
    earlier: int,
) -> None:
    for table, ticket in tables.items():
        chosen = f"{ticket} IN (SELECT id FROM base.{_TICKETS} WHERE {which})"
        names, expressions = zip(*_expressions(raw, table, ours, copy, earlier), strict=True)
        raw.execute(
            f"INSERT INTO main.{table} ({', '.join(names)})"
            f" SELECT {', '.join(expressions)} FROM base.{table} WHERE {chosen}"
        )
    plus = ours[_TICKETS] * copy
    raw.execute(
        f"INSERT INTO main.ticket_words(rowid, title, talk) SELECT id + {plus}, title, talk"
        f" FROM said WHERE id IN (SELECT id FROM base.{_TICKETS} WHERE {which})"
    )


def _expressions(
    raw: sqlite3.Connection, table: str, ours: Mapping[str, int], copy: int, earlier: int
) -> Iterable[tuple[str, str]]:
    """Each column with how its value is copied: numbers moved on, instants moved back."""
    points = {row[3]: row[2] for row in raw.execute(f"PRAGMA base.foreign_key_list('{table}')")}
    points.update({"ticket_id": _TICKETS, "id": table})
    unique = _unique(raw, table, {name for name, to in points.items() if to in ours})
    for _, name, kind, *_ in raw.execute(f"PRAGMA base.table_info('{table}')").fetchall():
        column = f'"{name}"'
        if points.get(name) in ours:
            yield column, f"{column} + {ours[points[name]] * copy}"
        elif name.endswith("_s") and "int" in kind:
            yield column, f"{column} - {earlier}"
        elif name in unique and "char" in kind:
            yield column, f"{column} || '-{copy}'"
        else:
            yield column, column


def _unique(raw: sqlite3.Connection, table: str, moved: AbstractSet[str]) -> Sequence[str]:
    """Columns of text by which a copy has to differ from its original."""
    found = []
    texts = {
        row[1] for row in raw.execute(f"PRAGMA base.table_info('{table}')") if "char" in row[2]
    }
    for _, index, is_unique, *_ in raw.execute(f"PRAGMA base.index_list('{table}')").fetchall():
        columns = [row[2] for row in raw.execute(f"PRAGMA base.index_info('{index}')")]
        if is_unique and not moved & set(columns):
            found += [column for column in columns if column in texts][-1:]
    return found
