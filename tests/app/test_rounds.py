"""The worker's parts are apart: each made to fail once, everything else goes on."""

import smtplib
from itertools import pairwise
from typing import Any

import pytest
from django.db import connection

from gannet.messages import outbox
from gannet.messages.models import (
    HookCall,
    HookState,
    Incoming,
    Notification,
    Outgoing,
    StandInMessage,
)
from gannet.tickets import actions
from gannet.tickets.models import ExternalWork, Timer, TimerState
from gannet.web import isolation
from gannet.worker import rounds, worker
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
NOW_S = seconds_of(NOW)
PARTS = {
    "reading mail": "inbound.read_waiting",
    "replacing who left": "replace_leavers",
    "looking for many reports of one thing": "gathering.suggest_many",
    "looking at other systems": "look_outside",
    "gathering digests": "delivery.gather_digests",
    "reading where time went": "stretches.keep_current",
    "sending reports": "delivering.send_due",
    "freezing reports": "freezing.freeze_due",
    "telling owners of articles": "telling.tell_owners",
    "looking ahead": "looking_ahead.keep_current",
    "following new names": "renamed.follow",
    "sending mail": "outbox.send_due",
    "webhooks": "hooks.send_due",
    "reading scans": "scans.read_folder",
}


def boom(*_: Any, **__: Any) -> int:
    raise ValueError("a row that nobody foresaw")


@pytest.fixture
def called(monkeypatch: pytest.MonkeyPatch) -> dict[str, int]:
    """How often each part has been done; none of them does anything."""
    counts = dict.fromkeys(PARTS, 0)

    def counting(name: str) -> Any:
        def count(now_s: int) -> int:
            counts[name] += 1
            return 0

        return count

    for name, where in PARTS.items():
        monkeypatch.setattr(f"gannet.worker.rounds.{where}", counting(name))
    return counts


def test_every_part_is_one_of_the_table() -> None:
    assert {one.name for one in rounds.ROUNDS} == set(PARTS)


@pytest.mark.parametrize("failing", PARTS)
def test_a_part_that_fails_keeps_no_other_waiting(
    called: dict[str, int], monkeypatch: pytest.MonkeyPatch, failing: str
) -> None:
    monkeypatch.setattr(f"gannet.worker.rounds.{PARTS[failing]}", boom)
    for second in range(3):
        worker.step(NOW_S + second)
    assert called == {name: 3 if name != failing else 0 for name in PARTS}


@pytest.mark.parametrize("failing", [one.name for one in worker._HOUSEKEEPING])
def test_housekeeping_that_fails_keeps_no_other_waiting(
    monkeypatch: pytest.MonkeyPatch, failing: str
) -> None:
    done: list[str] = []

    def standing_in(name: str) -> rounds.Round:
        does = boom if name == failing else lambda now_s: done.append(name) or 0
        return rounds.Round(name, does)

    names = [one.name for one in worker._HOUSEKEEPING]
    monkeypatch.setattr(worker, "_HOUSEKEEPING", [standing_in(name) for name in names])
    worker.tidy(NOW_S)
    assert done == [name for name in names if name != failing]


def test_the_timers_too(called: dict[str, int], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(worker, "fire_due", boom)
    worker.step(NOW_S)
    assert set(called.values()) == {1}


def test_what_fails_rests_longer_each_time_and_begins_anew_once_well() -> None:
    tries: list[int] = []
    is_broken = True

    def do() -> int:
        tries.append(now_s)
        if is_broken:
            raise ValueError("no")
        return 5

    for now_s in range(2_000):
        isolation.attempt("x", "row", do, now_s)
    pauses = [later - sooner for sooner, later in pairwise(tries)]
    assert pauses == [isolation.FIRST_PAUSE_SECONDS * 2**n for n in range(len(pauses))]
    assert isolation.troubles("x")[0].times == len(tries)
    is_broken = False
    now_s = isolation.troubles("x")[0].until_s
    assert isolation.attempt("x", "row", do, now_s) == 5
    assert isolation.troubles("x") == []


def test_the_longest_pause_is_an_hour() -> None:
    now_s = 0
    for _ in range(20):
        isolation.attempt("x", "row", boom, now_s)
        found = isolation.troubles("x")[0].until_s - now_s
        now_s = isolation.troubles("x")[0].until_s
    assert found == isolation.LONGEST_PAUSE_SECONDS


def test_administrators_are_told_once_and_until_it_is_well(
    called: dict[str, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    told = Notification.objects.filter(event_name="worker trouble", gone_s=None)
    writing = rounds.delivery.gather_digests
    monkeypatch.setattr("gannet.worker.rounds.delivery.gather_digests", boom)
    now_s = NOW_S
    for _ in range(rounds.TELL_AFTER_TIMES + 3):
        worker.step(now_s)
        rounds.tell_of_trouble(now_s, list(PARTS))
        now_s = isolation.troubles("gathering digests")[0].until_s
    assert {row.person.has_role("administrator") for row in told} == {True}
    assert {(row.count, row.about) for row in told} == {(1, "trouble:gathering digests")}
    assert all("a row that nobody foresaw" in row.title for row in told)
    monkeypatch.setattr("gannet.worker.rounds.delivery.gather_digests", writing)
    worker.step(now_s)
    rounds.tell_of_trouble(now_s, list(PARTS))
    assert not told.all().exists()


def test_administrators_hear_of_a_timer_that_cannot_fire(log: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    timer = Timer.objects.create(ticket=ticket, kind="close", at_s=1)
    told = Notification.objects.filter(about="trouble:timers", gone_s=None)
    for _ in range(rounds.TELL_AFTER_TIMES):
        assert not told.exists()
        timer.refresh_from_db()
        worker.fire_due(timer.at_s, kind="close")
        rounds.tell_of_trouble(NOW_S, [])
    assert told.exists() and "cannot be closed" in told[0].title
    Timer.objects.filter(pk=timer.pk).update(state=TimerState.DROPPED)
    rounds.tell_of_trouble(NOW_S, [])
    assert not told.all().exists()


# Each row of a part


def test_one_message_that_cannot_be_made_keeps_no_other_from_leaving(
    log: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    sent: list[str] = []

    class Server:
        def __enter__(self) -> "Server":
            return self

        def __exit__(self, *_: object) -> None: ...
        def send_message(self, message: Any) -> None:
            sent.append(message["To"])

    monkeypatch.setattr(outbox, "_server", Server)
    log("Maeve", "Boarding gates")
    log("Piotr", "Boarding gates")
    bad = Outgoing.objects.filter(sent_s=None).order_by("send_at_s", "id")[0]
    as_message = outbox.as_message

    def making(row: Outgoing, body: str, *more: Any) -> Any:
        return boom() if row.pk == bad.pk else as_message(row, body, *more)

    monkeypatch.setattr(outbox, "as_message", making)
    due = Outgoing.objects.filter(sent_s=None).count()
    assert outbox.send_due(NOW_S + 3_600) == due - 1 == len(sent) > 0
    bad.refresh_from_db()
    assert bad.sent_s is None and bad.attempts == 1 and "nobody foresaw" in bad.problem
    assert bad.send_at_s > NOW_S + 3_600


def test_a_mail_server_that_is_gone_puts_all_off(log: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse() -> Any:
        raise smtplib.SMTPConnectError(421, "not now")

    monkeypatch.setattr(outbox, "_server", refuse)
    log("Maeve", "Boarding gates")
    assert outbox.send_due(NOW_S + 60) == 0
    assert not Outgoing.objects.filter(sent_s=None, attempts=0, send_at_s__lte=NOW_S + 60).exists()


def test_one_mail_that_cannot_be_kept_is_set_aside_and_the_next_is_read(
    northmere: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    from gannet.messages import inbound

    for subject in ("bad", "good"):
        raw = (
            f"From: maeve.orr@northmere.example\r\nTo: desk@northmere.example\r\n"
            f"Subject: {subject}\r\n\r\nHello\r\n"
        )
        StandInMessage.objects.create(raw=raw.encode(), for_desk=1, received_at=NOW)
    keep = inbound.keep_message

    def keeping(raw: bytes, prepared: Any, now_s: int, **more: Any) -> Incoming:
        if prepared is not None and prepared.mail.subject == "bad":
            boom()
        return keep(raw, prepared, now_s, **more)

    monkeypatch.setattr(inbound, "keep_message", keeping)
    inbound.read_waiting(NOW_S)
    assert list(StandInMessage.objects.filter(is_read=1).values_list("pk", flat=True)) == [
        StandInMessage.objects.latest("pk").pk
    ]
    now_s = NOW_S
    for _ in range(8):
        now_s += 3_600
        inbound.read_waiting(now_s)
    assert not StandInMessage.objects.filter(is_read=0).exists(), "not tried for ever"


def test_one_other_system_that_fails_keeps_no_other_waiting(
    log: Any, by: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    from gannet.tickets.actions import outward

    tickets = [log("Maeve", "Boarding gates") for _ in range(2)]
    for ticket in tickets:
        actions.pass_out(ticket.pk, by("Signe"), "development", {}, "Mend it")
    bad, good = ExternalWork.objects.order_by("pk")
    ExternalWork.objects.filter(pk=bad.pk).update(key="bad")
    system = outward.system

    class Looking:
        def __init__(self, kind: str) -> None:
            self.kind = kind

        def look(self, key: str, inputs: Any, age_s: int) -> Any:
            return boom() if key == "bad" else system(self.kind).look(key, inputs, age_s)

    monkeypatch.setattr(outward, "system", Looking)
    late_s = NOW_S + 30 * 86_400
    outward.look_outside(late_s)
    bad.refresh_from_db()
    good_before = good.state
    good.refresh_from_db()
    assert bad.changed_s == NOW_S and good.state != good_before
    assert len(isolation.troubles("looking at other systems")) == 1


def test_one_webhook_that_fails_keeps_no_other_waiting(
    northmere: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    from gannet.messages import hooks

    calls = [
        HookCall.objects.create(
            hook="x", url=f"https://{name}.example/", body="{}", made_s=NOW_S, next_at_s=NOW_S
        )
        for name in ("bad", "good")
    ]

    def posting(call: HookCall, now_s: int) -> None:
        if "bad" in call.url:
            boom()
        call.state = HookState.DONE
        call.save()

    monkeypatch.setattr(hooks, "_post", posting)
    assert hooks.send_due(NOW_S) == 1
    assert [HookCall.objects.get(pk=call.pk).state for call in calls] == [
        HookState.WAITING,
        HookState.DONE,
    ]


def test_a_worker_with_nothing_to_do_writes_nothing(log: Any) -> None:
    """It looks twice a second: taking the write lock each time would keep others waiting."""
    log("Maeve", "Boarding gates")
    now_s = seconds_of(NOW) + 5
    for _ in range(4):
        worker.step(now_s)  # sends what there is to send
    said: list[str] = []

    def hear(execute: Any, sql: str, *rest: Any) -> Any:
        said.append(sql.split(" ")[0])
        return execute(sql, *rest)

    with connection.execute_wrapper(hear):
        assert worker.step(now_s) == 0
    assert set(said) == {"SELECT"}, said
