"""Rows written with statements that are compiled once from their models.

The ORM builds a statement anew for each row or batch it saves, which takes several times
as long as SQLite needs to write it. What Django makes of a model's fields – their columns,
how each value is prepared – is the same every time, so it is asked for once. Of a row that
exists only what changed is written: a column that is named is taken out of its indexes and
put in again, whatever its value.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import lru_cache
from typing import Any

import orjson
from django.db import DEFAULT_DB_ALIAS, connections, models
from django.db.models.sql import InsertQuery

_PLAIN: tuple[tuple[type[models.Field[Any, Any]], type], ...] = (
    (models.IntegerField, int),
    (models.CharField, str),
    (models.TextField, str),
    (models.BooleanField, bool),
)


def _prepared_by(field: Any) -> Callable[[Any, Any], Any]:
    """(value, connection) -> what the database is given for a field's value."""
    target = field
    while isinstance(target, models.ForeignKey):
        target = target.target_field
    slowly: Callable[[Any, Any], Any] = field.get_db_prep_save
    if isinstance(target, models.JSONField) and target.encoder is None:
        return _json
    plain = next((kind for known, kind in _PLAIN if isinstance(target, known)), None)
    if plain is None:
        return slowly

    def prepare(value: Any, connection: Any) -> Any:
        # What Django would leave as it is; members of enumerations and the like are not.
        return value if value is None or type(value) is plain else slowly(value, connection)

    return prepare


def _json(value: Any, connection: Any) -> Any:
    if value is None:
        return None
    try:
        return orjson.dumps(value).decode()
    except TypeError:  # such as a key that is no text
        return models.JSONField().get_db_prep_save(value, connection)


# A field, what its value is called on a row, and how that is prepared.
_Written = tuple[Any, str, Callable[[Any, Any], Any]]


def _written(field: Any) -> _Written:
    return field, field.attname, _prepared_by(field)


@lru_cache(maxsize=200)
def _insert(model: type[models.Model], has_key: bool) -> tuple[str, tuple[_Written, ...]]:
    """The statement that inserts a row of a model, and the fields it is given."""
    meta = model._meta
    fields = [field for field in meta.concrete_fields if has_key or field is not meta.auto_field]
    query = InsertQuery(model)
    query.insert_values(fields, [model()], raw=False)
    ((sql, _),) = query.get_compiler(DEFAULT_DB_ALIAS).as_sql()
    return sql, tuple(_written(field) for field in fields)


def _inserted(row: models.Model, fields: Iterable[_Written], connection: Any) -> list[Any]:
    """The values of a new row; a field that sets itself on saving does so."""
    return [
        prepare(
            getattr(row, name)
            if type(field).pre_save is models.Field.pre_save
            else field.pre_save(row, True),
            connection,
        )
        for field, name, prepare in fields
    ]


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
            cursor.execute(sql, _inserted(row, fields, connection))
            if needs_key:
                table, column = model._meta.db_table, str(model._meta.pk.column)
                row.pk = connection.ops.last_insert_id(cursor, table, column)
            row._state.adding, row._state.db = False, DEFAULT_DB_ALIAS


def insert_unnamed(rows: Sequence[models.Model]) -> None:
    """Write new rows, all of one model, whose keys nobody asks for; they do not get them."""
    if not rows:
        return
    connection = connections[DEFAULT_DB_ALIAS]
    model = type(rows[0])
    sql, fields = _insert(model, model._meta.auto_field is None)
    with connection.cursor() as cursor:
        cursor.executemany(sql, [_inserted(row, fields, connection) for row in rows])


@lru_cache(maxsize=2_000)
def _update(model: type[models.Model], names: tuple[str, ...]) -> tuple[str, tuple[_Written, ...]]:
    """The statement that sets some fields of a row by its key, and those fields."""
    meta = model._meta
    fields: list[Any] = [meta.get_field(name) for name in names]
    quote = connections[DEFAULT_DB_ALIAS].ops.quote_name
    sets = ", ".join(f"{quote(field.column)} = %s" for field in fields)
    where = f"{quote(str(meta.pk.column))} = %s"
    sql = f"UPDATE {quote(meta.db_table)} SET {sets} WHERE {where}"  # noqa: S608
    return sql, tuple(_written(field) for field in fields)


def update(rows: Sequence[models.Model], names: Sequence[str]) -> None:
    """Write some fields of rows that exist, all of one model, in the caller's transaction."""
    if not rows:
        return
    connection = connections[DEFAULT_DB_ALIAS]
    sql, fields = _update(type(rows[0]), tuple(names))
    values = [
        [*(prepare(getattr(row, name), connection) for _, name, prepare in fields), row.pk]
        for row in rows
    ]
    with connection.cursor() as cursor:
        cursor.executemany(sql, values)


AsRead = Mapping[str, Any]


def as_read(row: models.Model) -> AsRead:
    """What a row holds now, to be compared when it is written."""
    return dict(row.__dict__)


@lru_cache(maxsize=50)
def _compared(model: type[models.Model]) -> tuple[tuple[str, str, bool], ...]:
    """The name of each field, of its value on a row, and whether that can change in place."""
    return tuple(
        (field.name, field.attname, isinstance(field, models.JSONField))
        for field in model._meta.concrete_fields
        if not field.primary_key
    )


def update_changed(rows: Iterable[tuple[models.Model, AsRead]]) -> None:
    """Write of each row what is not as it was read, in the caller's transaction.

    What can change in place, and so looks as it did, is always written.
    """
    alike: dict[tuple[type[models.Model], tuple[str, ...]], list[models.Model]] = {}
    for row, before in rows:
        now = row.__dict__
        changed = tuple(
            name
            for name, attname, is_mutable in _compared(type(row))
            if is_mutable or now.get(attname) != before.get(attname)
        )
        if changed:
            alike.setdefault((type(row), changed), []).append(row)
    for (_, changed), together in alike.items():
        update(together, changed)
