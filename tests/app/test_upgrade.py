"""A database of the version before goes on: what moved is there, under its new name."""

import json
import os
import sqlite3
import subprocess
import sys
from collections.abc import Iterator
from hashlib import sha256
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
BEFORE = [("tickets", "0013"), ("messages", "0004"), ("knowledge", None), ("rulebook", "0004")]
MOMENT = "2026-11-20 09:00:00"


def migrate(database: Path, *target: str) -> None:
    done = subprocess.run(
        [sys.executable, "manage.py", "migrate", "-v", "0", *target],
        cwd=ROOT, capture_output=True, text=True, timeout=300,
        env={**os.environ, "DJANGO_SETTINGS_MODULE": "tests.worker_settings",
             "GANNET_TEST_DATABASE": str(database)},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr


def insert(database: sqlite3.Connection, table: str, **given: object) -> None:
    """A row with what is given, and what every other column of it needs."""
    row = dict(given)
    for _, name, type_, is_needed, default, is_key in database.execute(
        f"PRAGMA table_info({table})"
    ):
        if name in row or not is_needed or default is not None or is_key:
            continue
        is_text = "char" in type_.lower() or "text" in type_.lower()
        row[name] = MOMENT if "datetime" in type_.lower() else "" if is_text else 0
    for name in ("answers", "values", "values_folded", "changed_at_version"):
        row[name] = row.get(name) or ("{}" if name in row else None)
    row = {name: value for name, value in row.items() if value is not None}
    names = ", ".join(f'"{name}"' for name in row)
    places = ", ".join("?" * len(row))
    database.execute(f"INSERT INTO {table} ({names}) VALUES ({places})", list(row.values()))  # noqa: S608


def insert_chain(old: sqlite3.Connection) -> None:
    """Three events as the version before wrote them: hexadecimal and JSON as text."""
    before = "0" * 64
    for number, (values, text) in enumerate(
        [({"title": "The gates are shut"}, "Since seven."), ({}, "On my way – Süd"), ({"n": [1, None]}, "")], 1
    ):  # fmt: skip
        salt = f"{number:016x}"
        digest = sha256(salt.encode() + b"\n" + canonical([values, text])).hexdigest()
        said = [
            before,
            number,
            1_760_000_000 + number,
            "noted",
            1,
            1,
            0,
            2,
            1,
            {"team": "desk"},
            digest,
        ]
        before = sha256(canonical(said)).hexdigest()
        insert(old, "audit_event", id=number, at=MOMENT, at_s=1_760_000_000 + number, kind="noted",
               actor_id=1, by_desk=1, is_automatic=0, audience=2, ticket_id=1,
               facts=json.dumps({"team": "desk"}), values=json.dumps(values), text=text, salt=salt,
               digest=digest, hash=before)  # fmt: skip


def canonical(value: object) -> bytes:
    return json.dumps(value, sort_keys=True, ensure_ascii=False, separators=(",", ":")).encode()


@pytest.fixture(scope="module")
def upgraded(tmp_path_factory: pytest.TempPathFactory) -> Iterator[sqlite3.Connection]:
    """A database made by the version before, with one of everything that moves, migrated."""
    path = tmp_path_factory.mktemp("upgrade") / "before.sqlite3"
    for app, name in BEFORE:
        migrate(path, app, *([name] if name else []))
    with sqlite3.connect(path) as old:
        old.execute("PRAGMA foreign_keys=OFF")
        insert(old, "people_person", id=1, email="ines@northmere.example", name="Ines", roles="[]",
               care_tiers="[]", preferences="{}", is_active=1, zone="UTC")  # fmt: skip
        insert(old, "people_team", id=1, key="desk", name="Desk")
        common = {"requester_id": 1, "team_id": 1, "tags": "[]", "version": 1, "left_s": 600}
        for number, state in enumerate((1, 2, 3, 4, 5, 6), 1):
            insert(old, "tickets_ticket", id=number, kind="incident", title=f"in state {state}",
                   state=state, is_open=int(state <= 3), parts="{}", **common)  # fmt: skip
        insert(old, "tickets_ticket", id=7, kind="request", title="Laptop", state=2, is_open=True,
               item="laptop", item_name="Laptop", once_pence=89_000, monthly_pence=1_000, delivery="ship",
               is_bundle=1, parts='{"dock": {"ship_to": "Orrin Bay"}}', **common)  # fmt: skip
        insert(old, "tickets_hittoo", id=1, ticket_id=1, person_id=1)
        insert(
            old, "tickets_idempotentanswer", id=1, person_id=1, key="k", fingerprint="f", status=201
        )
        insert_chain(old)
        old.execute("UPDATE tickets_ticket SET is_confidential = 1 WHERE id = 2")
        for number in (1, 2):
            insert(old, "tickets_clock", id=number, ticket_id=number, kind="fix", state=2)
        insert(old, "rulebook_job", id=1, kind="many", params="{}", state="done", person_id=1)
        state = {"field": "state", "op": "is one of", "value": ["in hand", "waiting"]}
        insert(
            old,
            "tickets_view",
            id=1,
            owner_id=1,
            name="Mine in hand",
            body=json.dumps({"tree": state}),
        )
        tested = {"key": "tested", "label": "in hand", "stage": "in hand"}
        insert(old, "rulebook_edition", id=1, number=1, document=json.dumps({"states": [tested]}))
    migrate(path)
    with sqlite3.connect(path) as new:
        new.row_factory = sqlite3.Row
        yield new


def test_states_have_room_and_stay_what_they_were(upgraded: sqlite3.Connection) -> None:
    rows = upgraded.execute(
        "SELECT id, state, is_open FROM tickets_ticket WHERE id < 7 ORDER BY id"
    )
    assert [tuple(row) for row in rows] == [
        (1, 1, 1), (2, 2, 1), (3, 3, 1), (4, 54, 0), (5, 55, 0), (6, 56, 0),
    ]  # fmt: skip


def test_policies_and_views_say_the_state_by_its_new_name(upgraded: sqlite3.Connection) -> None:
    name, body = upgraded.execute("SELECT name, body FROM tickets_view").fetchone()
    assert name == "Mine in hand", "what people called it is theirs"
    assert json.loads(body)["tree"]["value"] == ["in progress", "waiting"]
    (document,) = upgraded.execute("SELECT document FROM rulebook_edition").fetchone()
    assert json.loads(document)["states"][0]["stage"] == "in progress"


def test_what_is_a_requests_alone_is_kept_with_it(upgraded: sqlite3.Connection) -> None:
    (row,) = upgraded.execute("SELECT * FROM requests_requestfacts").fetchall()
    assert row["ticket_id"] == 7
    assert (row["item"], row["item_name"], row["delivery"]) == ("laptop", "Laptop", "ship")
    assert (row["once_pence"], row["monthly_pence"], row["is_bundle"]) == (89_000, 1_000, 1)
    assert json.loads(row["parts"]) == {"dock": {"ship_to": "Orrin Bay"}}
    columns = {row[1] for row in upgraded.execute("PRAGMA table_info(tickets_ticket)")}
    assert not {"item", "parts", "once_pence", "left_s"} & columns and "left_seconds" in columns
    left = upgraded.execute("SELECT DISTINCT left_seconds FROM tickets_ticket").fetchall()
    assert [tuple(one) for one in left] == [(600,)]


@pytest.mark.parametrize("table", ["tickets_idempotentanswer", "rulebook_job", "tickets_affected"])
def test_what_has_another_home_or_name_is_all_there(
    upgraded: sqlite3.Connection, table: str
) -> None:
    assert upgraded.execute(f"SELECT COUNT(*) FROM {table}").fetchone()[0] == 1  # noqa: S608


def test_the_log_takes_less_room_and_its_chain_still_verifies(
    upgraded: sqlite3.Connection,
) -> None:
    (kind,) = upgraded.execute("SELECT typeof(hash) FROM audit_event LIMIT 1").fetchone()
    assert kind == "blob"
    file = upgraded.execute("PRAGMA database_list").fetchone()["file"]
    said = ask(
        file,
        "from gannet.audit.log import verify; from gannet.audit.models import Event;"
        "print(verify(), [[one.values, one.text] for one in Event.objects.all()])",
    )
    values = [
        [{"title": "The gates are shut"}, "Since seven."], [{}, "On my way – Süd"], [{"n": [1, None]}, ""],
    ]  # fmt: skip
    assert said == f"(3, None) {values}"
    again = ask(
        file,
        "from gannet.tickets import search; print(search.ranked('seven', 3)[0][0])",
    )
    assert again == "1", "what was said is found again"


def ask(database: str, code: str) -> str:
    done = subprocess.run(
        [sys.executable, "-c", f"import django; django.setup(); {code}"],
        cwd=ROOT, capture_output=True, text=True, timeout=120,
        env={**os.environ, "DJANGO_SETTINGS_MODULE": "tests.worker_settings",
             "GANNET_TEST_DATABASE": database},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    return done.stdout.strip()


def test_clocks_know_the_team_of_their_ticket(upgraded: sqlite3.Connection) -> None:
    rows = upgraded.execute("SELECT team_id, is_confidential FROM tickets_clock ORDER BY id")
    assert [tuple(row) for row in rows] == [(1, 0), (1, 1)]


def test_the_database_is_sound_and_knows_every_migration(upgraded: sqlite3.Connection) -> None:
    assert upgraded.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
    assert upgraded.execute("PRAGMA foreign_key_check").fetchall() == []
    done = {tuple(row) for row in upgraded.execute("SELECT app, name FROM django_migrations")}
    for path in ROOT.glob("gannet/*/migrations/0*.py"):
        assert (path.parts[-3], path.stem) in done
