"""The demo at any hour, and the commands around it: one clear sentence when something is off."""

import os
import socket
import subprocess
import sys
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest
import time_machine
from django.test.client import Client

from gannet.audit.log import verify
from gannet.demo import command
from gannet.estate.models import Service
from gannet.people.models import Person, Team
from gannet.rulebook import book
from gannet.services import patterns
from gannet.tickets import queries
from gannet.tickets.forms import form_of
from gannet.tickets.models import Ticket
from gannet.tickets.words import due_words
from gannet_core.instants import seconds_of
from tests.conftest import NOW
from tests.lengths import up_to

ROOT = Path(__file__).parents[2]


@pytest.mark.django_db
@pytest.mark.parametrize("hour", [3, 22, 13][: up_to(2, 3)])
def test_today_is_believable_at_any_hour(hour: int, settings: Any) -> None:
    from gannet.estate.models import ConfigItem
    from gannet.rulebook.models import Edition

    for model in (Edition, ConfigItem, Service, Team, Person):
        model.objects.all().delete()
    book.forget()
    now = NOW.replace(hour=hour, minute=7)
    with time_machine.travel(now, tick=False):
        command.fill(lambda_progress(), tickets=60, seed=command.SEED)
        assert set(settings.DEMO_PEOPLE) <= set(Person.objects.values_list("email", flat=True))
        shown = queries.lookout(Person.objects.get(name="Signe Hallam"), seconds_of(now))
        stands_out = patterns.found(Person.objects.get(name="Marit Osei"), seconds_of(now))
    book.forget()
    assert "Gate 3, Kestrel Point" in [one["name"] for one in stands_out["patterns"]]
    ours, now_s = shown["ours"], seconds_of(now)
    late = [row for row in ours if row["late_from_s"] and row["late_from_s"] < now_s]
    close = [row for row in ours if row["due_s"] and 0 <= row["due_s"] - now_s < 3600]
    fine = [row for row in ours if row["due_s"] and row["due_s"] - now_s > 3600]
    assert late and close and fine and shown["others"]
    assert any(row["is_answered"] for row in ours) and any(row["holder_id"] is None for row in ours)
    assert any(row["is_announced"] for row in ours)
    assert verify()[1] is None


def lambda_progress() -> Any:
    progress = command.Progress()
    progress.finish = lambda words: None  # type: ignore[method-assign]
    return progress


def run(*arguments: str, **environment: str) -> "subprocess.CompletedProcess[str]":
    return subprocess.run(
        [sys.executable, "-m", "gannet", *arguments], cwd=ROOT, capture_output=True, text=True,
        env={**os.environ, "DJANGO_SETTINGS_MODULE": "gannet.settings.demo", **environment},
    )  # fmt: skip


def test_a_port_in_use_is_one_sentence() -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = str(taken.getsockname()[1])
        done = run("demo", "--keep", "--port", port)
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1 and f"Port {port} is in use" in done.stderr


def test_production_refuses_to_start_unsafe() -> None:
    done = run(
        "serve",
        "--port",
        "0",
        DJANGO_SETTINGS_MODULE="gannet.settings.production",
        GANNET_SECRET_KEY="x" * 10,
    )
    assert done.returncode == 2
    for name in ("gannet.E001", "gannet.E003", "gannet.E005", "gannet.E007"):
        assert name in done.stderr


@pytest.mark.parametrize(
    ("command_name", "script", "sentence"),
    [
        (
            "node",
            "echo v18.1.0; exit 1",
            "Gannet needs Node 20 or newer; this is v18.1.0. Install a newer one.",
        ),
        (
            "python3",
            "echo Python 3.9.1; exit 1",
            "Gannet needs Python 3.11 or newer; this is Python 3.9.1. Install a newer one.",
        ),
        ("node", None, "Gannet needs Node 20 or newer: install nodejs, then try again."),
    ],
)
def test_missing_or_old_tools_are_one_sentence(
    tmp_path: Path, command_name: str, script: str | None, sentence: str
) -> None:
    for tool in ("bash", "dirname", "python3", "node", "npm"):
        found = subprocess.run(["which", tool], capture_output=True, text=True).stdout.strip()
        (tmp_path / tool).symlink_to(sys.executable if tool == "python3" else found)
    (tmp_path / command_name).unlink()
    if script:
        (tmp_path / command_name).write_text(f"#!/bin/sh\n{script}\n")
        (tmp_path / command_name).chmod(0o755)
    done = subprocess.run(
        ["bash", str(ROOT / "tools" / "setup")],
        env={"PATH": str(tmp_path)},
        capture_output=True,
        text=True,
    )
    assert (done.returncode, done.stderr.strip()) == (2, sentence)


@pytest.mark.parametrize(
    ("due", "zone", "words"),
    [
        (None, "Europe/London", "as soon as we can"),
        (NOW.replace(hour=14, minute=5), "Europe/London", "today 14:05"),
        (NOW.replace(hour=14, minute=5), "Atlantic/Azores", "today 13:05"),
        (NOW.replace(day=24, hour=0, minute=30), "Europe/London", "tomorrow 00:30"),
        (
            NOW.replace(day=24, hour=0, minute=30),
            "Atlantic/Azores",
            "today 23:30",
        ),  # the day is local
        (NOW.replace(day=25, hour=11, minute=30), "Europe/London", "Wed 25 Nov 11:30"),
    ],
)
def test_dates_are_said_in_the_readers_zone(due: datetime | None, zone: str, words: str) -> None:
    assert due_words(None if due is None else seconds_of(due), seconds_of(NOW), zone) == words


@pytest.mark.django_db
def test_the_requester_sees_a_path_of_steps(
    log: Callable[..., Any],
    by: Callable[[str | None], Any],
    client: Client,
    person: Callable[[str], Any],
) -> None:
    from gannet.tickets import actions
    from gannet.tickets.requester_path import requester_path

    def path(number: int) -> list[tuple[str, bool, bool]]:
        found = Ticket.objects.select_related("team").get(pk=number)
        return [(step["label"], step["is_done"], step["is_now"]) for step in requester_path(found)]

    number = log("Maeve", "Boarding gates").pk
    assert path(number) == [
        ("Reported", True, False), ("Answered", False, False), ("With Harbour Desk", False, True), ("Solved", False, False),
    ]  # fmt: skip
    actions.reply(number, by("Signe"), "Which gate?")
    assert path(number)[1] == ("Answered", True, False)
    actions.wait(number, by("Signe"), on=actions.waiting.Waiting.REQUESTER, reason="asked")
    assert path(number)[2] == ("Waiting for you", False, True)
    actions.resolve(number, by("Signe"), "It is done.")
    assert [step[1:] for step in path(number)] == [(True, False)] * 4
    other = log("Maeve", "Boarding gates").pk
    actions.cancel(other, by("Maeve"), "never mind")
    assert path(other)[-1] == ("Cancelled", True, False)


@pytest.mark.django_db
def test_each_service_asks_two_or_three_questions_of_its_own(northmere: None) -> None:
    """The form of a fault goes by the category of its service; the usual one asks none of them."""
    book.forget()
    rulebook = book.current()
    usual = {entry["field"] for entry in form_of(rulebook, "incident", "")["fields"]}
    for service in Service.objects.exclude(name="Ticket office tills"):
        form = form_of(rulebook, "incident", service.category)
        own = [entry for entry in form["fields"] if entry["field"] not in usual]
        assert 2 <= len(own) <= 3, service.name
        assert all(entry["requester"]["shown"] for entry in own), service.name
        for entry in own:
            field = rulebook.fields[entry["field"]]
            assert field["type"] != "choice" or len(field["choices"]) >= 3, entry["field"]
