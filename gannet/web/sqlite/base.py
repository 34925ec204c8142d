"""Django's SQLite, whose writers are let in first come, first served.

SQLite lets one write at a time; the others ask again and again, each after a longer pause,
so that with many of them one can be passed over for seconds. Here a transaction waits for
its turn before it begins, and the lock is then free. A single statement outside of a
transaction does not: it takes the lock for a moment, as SQLite gives it.
"""

from functools import lru_cache
from pathlib import Path
from typing import Any

from django.db.backends.sqlite3 import base
from django.db.utils import OperationalError

from gannet.web.turns import Turns, TurnTimeoutError, turns_of


@lru_cache(maxsize=2_000)
def _with_marks(query: str) -> str:
    """A statement with the marks for parameters that SQLite knows."""
    converted: str = base.FORMAT_QMARK_REGEX.sub("?", query).replace("%%", "%")
    return converted


class _Cursor(base.SQLiteCursorWrapper):
    """Django's cursor; a statement that comes again has its marks converted already."""

    def convert_query(self, query: Any, *, param_names: Any = None) -> str:
        if param_names is None and len(query) < _LONGEST_KEPT:
            return _with_marks(query)
        converted: str = super().convert_query(query, param_names=param_names)
        return converted


_LONGEST_KEPT = 20_000


class DatabaseWrapper(base.DatabaseWrapper):
    """A connection; it has the turn from the beginning of a transaction to its end."""

    _turn: Turns | None = None

    def create_cursor(self, name: str | None = None) -> Any:
        return self.connection.cursor(factory=_Cursor)

    def _start_transaction_under_autocommit(self) -> None:
        turn = self._turns()
        if turn is not None:
            try:
                turn.take(float(self.settings_dict["OPTIONS"].get("timeout", 5)))
            except TurnTimeoutError as error:
                raise OperationalError("database is locked: no turn came") from error
            self._turn = turn
        try:
            super()._start_transaction_under_autocommit()  # type: ignore[misc]
        except BaseException:
            self._end_turn()
            raise

    def _commit(self) -> Any:
        done = super()._commit()  # type: ignore[misc]
        self._end_turn()
        return done

    def _rollback(self) -> Any:
        try:
            return super()._rollback()  # type: ignore[misc]
        finally:
            self._end_turn()

    def _close(self) -> Any:
        try:
            return super()._close()  # type: ignore[misc]
        finally:
            self._end_turn()

    def _end_turn(self) -> None:
        turn, self._turn = self._turn, None
        if turn is not None:
            turn.end()

    def _turns(self) -> Turns | None:
        """Whose turns count: those at the same file; a database in memory has none."""
        if self.is_in_memory_db():
            return None
        return turns_of(Path(str(self.settings_dict["NAME"])))
