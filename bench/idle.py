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
_ASIDE_SECONDS = 10**10


def run() -> list[str]:
    file = likeness(TICKETS)
    with pointed_at(file):
        from django.db.models import F
        from django.utils import timezone

        from gannet.messages.models import Outgoing
        from gannet.people.models import Person
        from gannet.tickets.actions import own
        from gannet.tickets.models import Timer, TimerState
        from gannet_core.instants import seconds_of

        # What has become due since the data were made is not what is measured.
        due = Timer.objects.filter(
            state=TimerState.ARMED, at_s__lt=seconds_of(timezone.now()) + 600
        )
        due.update(at_s=F("at_s") + _ASIDE_SECONDS)
        mails = Outgoing.objects.filter(sent_s=None)
        mails.filter(send_at_s__lt=_ASIDE_SECONDS).update(send_at_s=F("send_at_s") + _ASIDE_SECONDS)
        worker = _worker(file)
        try:
            _settled(worker.pid)
            share = share_of(worker.pid, SECONDS)
            ines = Person.objects.get(name="Ines Corrado")
            ines.reminders.filter(text="Look").delete()
            now = timezone.now()
            at = now + timedelta(seconds=3)
            reminder: Any = own.remind(ines, now, at=at, text="Look", ticket_id=None)
            while reminder.fired_s is None and timezone.now() < at + timedelta(seconds=20):
                time.sleep(0.05)
                reminder.refresh_from_db()
            late = (timezone.now() - at.replace(microsecond=0)).total_seconds()
        finally:
            worker.terminate()
            worker.wait(timeout=30)
            aside = Timer.objects.filter(at_s__gt=_ASIDE_SECONDS)
            aside.update(at_s=F("at_s") - _ASIDE_SECONDS)
            mails.filter(send_at_s__gt=_ASIDE_SECONDS).update(
                send_at_s=F("send_at_s") - _ASIDE_SECONDS
            )
    return [
        verdict("the worker idle, of a core", share, "< 0.01", is_met=share < 0.01),
        verdict("a reminder after its second, s", late, "<= 2", is_met=late <= 2),
    ]


def _settled(process: int) -> None:
    """Wait until it has done what it does at the beginning, such as learning from tickets."""
    time.sleep(5)
    end = time.monotonic() + 240
    while share_of(process, 3) > 0.1 and time.monotonic() < end:
        pass


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
