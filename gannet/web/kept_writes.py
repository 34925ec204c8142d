"""Rows written with statements that are compiled once from their models.

The ORM builds a statement anew for each row or batch it saves, which takes several times
as long as SQLite needs to write it. What Django makes of a model's fields – their columns,
how each value is prepared – is the same every time, so it is asked for once.
"""

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

from django.db import DEFAULT_DB_ALIAS, connections, models
from django.db.models.sql import InsertQuery


@lru_cache(maxsize=200)
def _insert(model: type[models.Model], has_key: bool) -> tuple[str, tuple[Any, ...]]:
    """The statement that inserts a row of a model, and the fields it is given."""
    meta = model._meta
    fields = [field for field in meta.concrete_fields if has_key or field is not meta.auto_field]
    query = InsertQuery(model)
    query.insert_values(fields, [model()], raw=False)
    ((sql, _),) = query.get_compiler(DEFAULT_DB_ALIAS).as_sql()
    return sql, tuple(fields)


def insert(rows: Sequence[models.Model]) -> None:
    """Write new rows, all of one model, in the caller's transaction; they get their keys."""
    if not rows:
        return
    connection = connections[DEFAULT_DB_ALIAS]
    model = type(rows[0])
    key = model._meta.auto_field
    with connection.cursor() as cursor:
        for row in rows:
            needs_key = key is not None and row.pk is None
            sql, fields = _insert(model, not needs_key)
            cursor.execute(
                sql,
                [field.get_db_prep_save(field.pre_save(row, True), connection) for field in fields],
            )
            if needs_key:
                table, column = model._meta.db_table, str(model._meta.pk.column)
                row.pk = connection.ops.last_insert_id(cursor, table, column)
            row._state.adding, row._state.db = False, DEFAULT_DB_ALIAS


@lru_cache(maxsize=200)
def _update(model: type[models.Model], names: tuple[str, ...]) -> tuple[str, tuple[Any, ...]]:
    """The statement that sets some fields of a row by its key, and those fields."""
    meta = model._meta
    fields: list[Any] = [meta.get_field(name) for name in names]
    quote = connections[DEFAULT_DB_ALIAS].ops.quote_name
    sets = ", ".join(f"{quote(field.column)} = %s" for field in fields)
    where = f"{quote(str(meta.pk.column))} = %s"
    return f"UPDATE {quote(meta.db_table)} SET {sets} WHERE {where}", tuple(fields)  # noqa: S608


def update(rows: Sequence[models.Model], names: Sequence[str]) -> None:
    """Write some fields of rows that exist, all of one model, in the caller's transaction."""
    if not rows:
        return
    connection = connections[DEFAULT_DB_ALIAS]
    sql, fields = _update(type(rows[0]), tuple(names))
    values = [
        [
            *(field.get_db_prep_save(getattr(row, field.attname), connection) for field in fields),
            row.pk,
        ]
        for row in rows
    ]
    with connection.cursor() as cursor:
        cursor.executemany(sql, values)
