"""Writers wait in turn: first come, first served, over threads and processes."""

import multiprocessing
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from django.db.utils import OperationalError
from hypothesis import given, settings
from hypothesis import strategies as st

from gannet.settings.base import sqlite
from gannet.web.sqlite.base import DatabaseWrapper
from gannet.web.turns import Turns, TurnTimeoutError, turns_of

pytestmark = pytest.mark.django_db


def in_line(turns: Turns, count: int, do: Callable[[int], None]) -> list[threading.Thread]:
    """Threads that ask for the turn one after the other, in this order."""
    threads = []
    for n in range(count):
        before = turns.waiting
        thread = threading.Thread(target=do, args=(n,), daemon=True)
        thread.start()
        end = time.monotonic() + 5
        while turns.waiting == before and time.monotonic() < end:
            time.sleep(0.001)
        threads.append(thread)
    return threads


def test_who_came_first_is_let_in_first(tmp_path: Path) -> None:
    turns, served = Turns(tmp_path / "db"), []

    def write(n: int) -> None:
        turns.take(5)
        served.append(n)
        turns.end()

    turns.take(1)
    threads = in_line(turns, 12, write)
    assert served == []
    turns.end()
    for thread in threads:
        thread.join(5)
    assert served == list(range(12))


def test_who_has_waited_too_long_leaves_the_line(tmp_path: Path) -> None:
    turns, served = Turns(tmp_path / "db"), []

    def write(n: int) -> None:
        try:
            turns.take(0.05 if n == 1 else 5)
        except TurnTimeoutError:
            served.append(-n)
            return
        served.append(n)
        turns.end()

    turns.take(1)
    threads = in_line(turns, 3, write)
    threads[1].join(5)
    turns.end()
    for thread in threads:
        thread.join(5)
    assert served == [-1, 0, 2] and turns.waiting == 0
    turns.take(0.1)  # and it is free again
    turns.end()


@given(st.lists(st.sampled_from(["take", "end", "late"]), max_size=30))
@settings(max_examples=60, deadline=None)
def test_however_it_is_used_it_is_free_at_the_end(acts: list[str]) -> None:
    import tempfile

    turns, is_mine = Turns(Path(tempfile.mkdtemp()) / "db"), False
    for act in acts:
        if act == "end" and is_mine:
            turns.end()
            is_mine = False
        elif act == "take" and not is_mine:
            turns.take(1)
            is_mine = True
        elif act == "late" and is_mine:
            with pytest.raises(TurnTimeoutError):
                turns.take(0.001)
    if is_mine:
        turns.end()
    turns.take(0.5)
    turns.end()
    assert turns.waiting == 0


def _add(file: Path, many: int) -> None:
    """What another process does: read a number, wait, write the next."""
    connection = wrapper(file)
    for _ in range(many):
        connection.set_autocommit(False, force_begin_transaction_with_broken_autocommit=True)
        with connection.cursor() as cursor:
            cursor.execute("SELECT n FROM counted")
            n = cursor.fetchone()[0]
            time.sleep(0.001)
            cursor.execute("UPDATE counted SET n = %s", [n + 1])
        connection.commit()
        connection.set_autocommit(True)
    connection.close()


def wrapper(file: Path, timeout: float = 20) -> DatabaseWrapper:
    made: dict[str, Any] = {
        **sqlite(file),
        "TIME_ZONE": None,
        "CONN_HEALTH_CHECKS": False,
        "AUTOCOMMIT": True,
        "TEST": {},
    }
    made["OPTIONS"] = {**made["OPTIONS"], "timeout": timeout}
    return DatabaseWrapper(made, "default")


def test_three_processes_and_their_threads_lose_nothing(tmp_path: Path) -> None:
    file = tmp_path / "db.sqlite3"
    connection = wrapper(file)
    with connection.cursor() as cursor:
        cursor.execute("CREATE TABLE counted (n integer)")
        cursor.execute("INSERT INTO counted VALUES (0)")
    processes = [
        multiprocessing.get_context("spawn").Process(target=_add, args=(file, 40)) for _ in range(2)
    ]
    threads = [threading.Thread(target=_add, args=(file, 40)) for _ in range(3)]
    for one in (*processes, *threads):
        one.start()
    for one in (*processes, *threads):
        one.join(60)
    with connection.cursor() as cursor:
        cursor.execute("SELECT n FROM counted")
        assert cursor.fetchone()[0] == 5 * 40
    connection.close()


@pytest.mark.parametrize("how", ["commit", "rollback", "close", "break"])
def test_a_transaction_lets_go_however_it_ends(tmp_path: Path, how: str) -> None:
    file = tmp_path / "db.sqlite3"
    one, other = wrapper(file), wrapper(file, timeout=0.1)
    begin: dict[str, Any] = {"force_begin_transaction_with_broken_autocommit": True}
    one.set_autocommit(False, **begin)
    with pytest.raises(OperationalError, match="no turn"):
        other.set_autocommit(False, **begin)
    match how:
        case "commit":
            one.commit()
        case "rollback":
            one.rollback()
        case "close":
            one.close()
        case "break":
            with pytest.raises(OperationalError), one.cursor() as cursor:
                cursor.execute("no such words")
            one.rollback()
    other.set_autocommit(False, **begin)
    other.rollback()
    other.close()
    one.close()


def test_a_transaction_that_cannot_begin_lets_go(tmp_path: Path) -> None:
    file = tmp_path / "db.sqlite3"
    one = wrapper(file, timeout=0.1)
    plain = wrapper(file)
    plain.ensure_connection()
    with plain.cursor() as cursor:
        cursor.execute("BEGIN IMMEDIATE")  # somebody who knows nothing of turns
    begin: dict[str, Any] = {"force_begin_transaction_with_broken_autocommit": True}
    with pytest.raises(OperationalError, match="locked"):
        one.set_autocommit(False, **begin)
    with plain.cursor() as cursor:
        cursor.execute("COMMIT")
    turns_of(file).take(0.2)
    turns_of(file).end()
    one.close()
    plain.close()
