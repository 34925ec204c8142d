"""Whatever is done in a room in whatever order: what always holds, and a worker that is killed."""

import random
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.majors import declaring, gathering, rooms, timeline, updates
from gannet.majors.models import MajorFacts, RoomChannel, RoomMessage, Update
from gannet.messages import letters
from gannet.messages.models import Outgoing
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.models import Ticket, Timer
from gannet.web.errors import Problem
from gannet_core.instants import seconds_of
from tests.app.conftest import fire
from tests.conftest import NOW
from tests.lengths import up_to

pytestmark = pytest.mark.django_db
NAMES = ("Marit", "Signe", "Joss", "Rosalind", "Tomas", "Ines")
Act = Callable[["Room", Acting, random.Random], Any]


class Room:
    """One major incident, and what has to hold of it."""

    def __init__(self, number: int, incidents: list[int]) -> None:
        self.number, self.incidents = number, incidents

    @property
    def facts(self) -> MajorFacts:
        return MajorFacts.objects.select_related("ticket").get(ticket=self.number)

    def channel(self, chance: random.Random) -> int:
        return chance.choice(list(self.facts.channels.values_list("pk", flat=True)))


def somebody(chance: random.Random) -> Person:
    # Who leads does most.
    name = chance.choice((*NAMES, "Marit", "Marit", "Signe"))
    return Person.objects.filter(name__startswith=f"{name} ").order_by("pk")[0]


ACTS: dict[str, Act] = {
    "say": lambda room, who, chance: rooms.say(
        room.number, who, room.channel(chance), f"word {chance.random()}"
    ),
    "enter": lambda room, who, chance: timeline.write_entry(room.number, who, "It happened"),
    "lift": lambda room, who, chance: timeline.write_entry(
        room.number, who, "", message=chance.choice(
            list(RoomMessage.objects.values_list("pk", flat=True)) or [0]
        )
    ),
    "open": lambda room, who, chance: rooms.open_channel(
        room.number, who, f"channel {chance.randrange(9)}", is_closed=chance.random() < 0.5,
        people=[somebody(chance).pk],
    ),
    "ask in": lambda room, who, chance: rooms.ask_in(
        room.number, who, room.channel(chance), [somebody(chance).pk]
    ),
    "show out": lambda room, who, chance: rooms.show_out(
        room.number, who, room.channel(chance), somebody(chance).pk
    ),
    "role": lambda room, who, chance: rooms.take_role(
        room.number, who, chance.choice(["lead", "technical", "communications"]), somebody(chance)
    ),
    "leave role": lambda room, who, chance: rooms.give_up_role(
        room.number, who, chance.choice(["lead", "technical", "communications"])
    ),
    "update": lambda room, who, chance: updates.send(
        room.number, who, chance.choice(list(room.facts.audiences.values_list("pk", flat=True))),
        "It stands so", "We work on it",
        at=who.now + timedelta(minutes=chance.randrange(1, 30)) if chance.random() < 0.4 else None,
    ),
    "gather": lambda room, who, chance: gathering.gather(
        room.number, who, [chance.choice(room.incidents)]
    ),
    "let go": lambda room, who, chance: gathering.let_go(
        room.number, who, [chance.choice(room.incidents)]
    ),
    "stand down": lambda room, who, chance: declaring.stand_down(room.number, who, "over", None),
    "again": lambda room, who, chance: declaring.declare_again(room.number, who, "it is back"),
}  # fmt: skip


def check(room: Room) -> None:
    facts = room.facts
    assert facts.held_roles.filter(role="lead", to_s=None).count() == 1, "somebody leads"
    for role in ("technical", "communications"):
        spans = list(facts.held_roles.filter(role=role).values_list("from_s", "to_s"))
        assert all(to_s is None or to_s >= from_s for from_s, to_s in spans)
    runs = facts.stood_down_s is None
    assert runs == (facts.ticket.state == 40), "it runs until it is stood down"
    for row in facts.audiences.all():
        assert (row.due_s is not None) == runs, "news are due while it runs, and no longer"
        assert row.updates.filter(sent_s=None).count() <= 1
        numbers = list(row.updates.filter(sent_s__isnull=False).values_list("number", flat=True))
        assert numbers == sorted(set(numbers))
    for row in Update.objects.filter(hearers__major=facts, sent_s__isnull=False):
        mails = Outgoing.objects.filter(event_name="major update", body=row.text)
        assert mails.values("to").distinct().count() >= row.count
    closed = RoomChannel.objects.filter(major=facts, is_closed=1)
    for name in NAMES:
        person = Person.objects.filter(name__startswith=f"{name} ").order_by("pk")[0]
        seen = set(rooms.channels_of(facts, person).values_list("pk", flat=True))
        for channel in closed:
            is_in = person in rooms.members(channel)
            assert (channel.pk in seen) == is_in, f"{name} and {channel.name}"
        lifted = {one["channel"] for one in timeline.timeline(facts, person)} - {""}
        names = set(RoomChannel.objects.filter(pk__in=seen).values_list("name", flat=True))
        assert lifted <= names, "an entry of a closed channel is its members' alone"
    linked = sorted(gathering.numbers_of(facts))
    assert facts.gathered == len(linked)


@pytest.mark.parametrize("seed", range(up_to(4, 40)))
def test_whatever_is_done_in_whatever_order(seed: int, log: Any, by: Any) -> None:
    chance = random.Random(seed)
    source = log("Ines", "Ticket office tills", "No till takes cards")
    others = [log("Piotr", "Ticket office tills", f"Till {n} is out").pk for n in range(3)]
    number = declaring.declare_from(source.pk, by("Marit"), {"plan": "sailing"}).pk
    room = Room(number, others)
    now, done = NOW, 0
    for step in range(40):
        now += timedelta(minutes=chance.randrange(1, 12))
        acting = Acting(person=somebody(chance), now=now)
        if chance.random() < 0.2:
            fire("update", seconds_of(now))
        else:
            try:
                ACTS[chance.choice(list(ACTS))](room, acting, chance)
                done += 1
            except Problem:
                pass  # refused in words, and nothing happened
        if step % 3 == 0 or step == 39:
            check(room)
    assert done > 5, "nearly all that was tried was refused"
    assert verify()[1] is None


def test_a_worker_that_is_killed_loses_no_update_and_doubles_none(
    log: Any, by: Any, person: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    source = log("Ines", "Ticket office tills", "No till takes cards")
    number = declaring.declare_from(source.pk, by("Marit"), {"plan": "sailing"}).pk
    facts = MajorFacts.objects.get(ticket=number)
    for row in facts.audiences.all():
        updates.send(
            number, by("Marit"), row.pk, "x", f"For {row.name}", at=NOW + timedelta(minutes=9)
        )
    whole = letters.post
    killed = []

    def dies(*args: Any, **more: Any) -> int:
        """The process ends at some instant of the sending: before, amidst, or after the letters."""
        if len(killed) < 6:
            killed.append(len(killed))
            if len(killed) % 3 == 1:
                raise KeyboardInterrupt
            whole(
                args[0][: len(args[0]) // 2] if len(killed) % 3 == 2 else args[0], *args[1:], **more
            )
            raise KeyboardInterrupt
        return whole(*args, **more)

    monkeypatch.setattr(updates, "post", dies)
    for _ in range(20):
        try:
            fire("update", seconds_of(NOW) + 600)
        except KeyboardInterrupt:
            # A new worker begins where the last one was: what it had taken is given back.
            Timer.objects.filter(ticket=number).update(attempts=0)
    sent = Update.objects.filter(hearers__major=facts)
    assert len(killed) == 6 and all(one.sent_s is not None for one in sent)
    for one in sent:
        mails = Outgoing.objects.filter(event_name="major update", body=one.text)
        addresses = list(mails.values_list("to", flat=True))
        assert len(addresses) == len(set(addresses)) == one.count, "everybody once"
    assert Ticket.objects.get(pk=number).is_open and verify()[1] is None
