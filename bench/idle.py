"""The worker while nothing is due, and how soon it does what becomes due."""

import os
import subprocess
import sys
import time
from datetime import timedelta
from pathlib import Path
from typing import Any

from bench.database import TICKETS, likeness, pointed_at
from bench.streams import share_of
from bench.timing import verdict

SECONDS = 20


def run() -> list[str]:
    file = likeness(TICKETS)
    with pointed_at(file):
        from django.utils import timezone

        from gannet.people.models import Person
        from gannet.tickets.actions import own
        from gannet.tickets.models import Timer, TimerState
        from gannet_core.instants import seconds_of

        # What has become due since the data were made is not what is measured.
        due = Timer.objects.filter(
            state=TimerState.ARMED, at_s__lt=seconds_of(timezone.now()) + 600
        )
        held = list(due.values_list("pk", flat=True))
        due.update(state=TimerState.DROPPED)
        worker = _worker(file)
        try:
            time.sleep(12)  # it has begun, and done what it does at the beginning
            share = share_of(worker.pid, SECONDS)
            signe = Person.objects.get(name="Signe Hallam")
            now = timezone.now()
            at = now + timedelta(seconds=3)
            reminder: Any = own.remind(signe, now, at=at, text="Look", ticket_id=None)
            while reminder.fired_s is None and timezone.now() < at + timedelta(seconds=20):
                time.sleep(0.05)
                reminder.refresh_from_db()
            late = (timezone.now() - at.replace(microsecond=0)).total_seconds()
        finally:
            worker.terminate()
            worker.wait(timeout=30)
            Timer.objects.filter(pk__in=held).update(state=TimerState.ARMED)
    return [
        verdict("the worker idle, of a core", share, "< 0.01", is_met=share < 0.01),
        verdict("a reminder after its second, s", late, "<= 2", is_met=late <= 2),
    ]


def _worker(file: Path) -> "subprocess.Popen[bytes]":
    environment = {
        **os.environ,
        "DJANGO_SETTINGS_MODULE": "tests.worker_settings",
        "GANNET_TEST_DATABASE": str(file),
    }
    return subprocess.Popen(
        [sys.executable, "-m", "gannet", "work"],
        cwd=Path(__file__).parents[1],
        env=environment,
        stdout=subprocess.DEVNULL,
    )
