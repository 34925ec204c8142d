"""Today at Northmere: done by the same actions as people use, at instants before now.

Whatever the hour, there is something late, something close, something waiting and
something fine for every person who can be signed in as.
"""

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from gannet.demo.rulebook import SHIPS, TERMINALS
from gannet.demo.stories import FAULTS, FIRST_ANSWERS, Teller
from gannet.estate.models import ConfigItem, Service
from gannet.people.models import Person, Team
from gannet.tickets import actions
from gannet.tickets.actions import Acting, NewTicket
from gannet.tickets.actions.leftovers import Settled
from gannet.tickets.models import Channel, Ticket
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Waiting

_BACKGROUND = 34


@dataclass
class _Act:
    """Something that somebody does some minutes before now."""

    minutes_ago: float
    does: Callable[[datetime], Any]


@dataclass
class _Stage:
    """Collects acts, then does them in the order of time."""

    now: datetime
    acts: list[_Act] = field(default_factory=list)
    numbers: dict[str, int] = field(default_factory=dict)

    def at(self, minutes_ago: float, does: Callable[[datetime], Any]) -> None:
        self.acts.append(_Act(minutes_ago, does))

    def play(self, progress: Callable[[str, int, int], None]) -> None:
        ordered = sorted(self.acts, key=lambda act: -act.minutes_ago)
        for index, act in enumerate(ordered, start=1):
            act.does(self.now - timedelta(minutes=act.minutes_ago))
            if index % 20 == 0 or index == len(ordered):
                progress("today", index, len(ordered))


class Today:
    """The stories of today."""

    def __init__(self, now: datetime, seed: int) -> None:
        self.stage = _Stage(now)
        self.rng = random.Random(seed)
        self.people = {person.name: person for person in Person.objects.all()}
        self.services = {service.name: service for service in Service.objects.all()}
        self.teams = {team.name: team for team in Team.objects.all()}

    def write(self, progress: Callable[[str, int, int], None]) -> None:
        self._settle_yesterday()
        self._background()
        self._told()
        self.stage.play(progress)

    def _by(self, name: str | None, at: datetime) -> Acting:
        return Acting(person=self.people[name] if name else None, now=at)

    def _log(
        self,
        key: str,
        minutes_ago: float,
        *,
        requester: str,
        title: str,
        text: str,
        service: str,
        answers: dict[str, str],
        channel: Channel = Channel.PORTAL,
        by: str | None = None,
        item: str = "",
        place: str = "",
    ) -> None:
        def does(at: datetime) -> None:
            new = NewTicket(
                requester=self.people[requester],
                title=title,
                text=text,
                channel=channel,
                service=self.services[service],
                ci=ConfigItem.objects.filter(name=item).first() if item else None,
                place=place,
                answers=answers,
            )
            self.stage.numbers[key] = actions.log_ticket(new, self._by(by or requester, at)).pk

        self.stage.at(minutes_ago, does)

    def _do(self, key: str, minutes_ago: float, by: str, act: str, **given: Any) -> None:
        def does(at: datetime) -> None:
            getattr(actions, act)(self.stage.numbers[key], self._by(by, at), **given)

        self.stage.at(minutes_ago, does)

    def _settle_yesterday(self) -> None:
        """Most of what the history left open is finished by now; a dozen goes on."""
        left = list(Ticket.objects.filter(is_open=True).order_by("id").values_list("id", flat=True))
        self.rng.shuffle(left)
        for number in left[9:]:
            ticket = Ticket.objects.select_related("holder", "team").get(pk=number)
            holder = ticket.holder or ticket.team.memberships.first().person  # type: ignore[union-attr]
            self.stage.numbers[f"old{number}"] = number
            minutes = self.rng.uniform(200, 2000)
            self._do(
                f"old{number}", minutes, holder.name, "reply", text="I have it working again here."
            )
            self._do(
                f"old{number}",
                minutes - 5,
                holder.name,
                "resolve",
                what="Restarted the service and watched it for an hour.",
                settled=Settled(is_all=True),
            )

    def _background(self) -> None:
        """The rest of today's work, most of it done already."""
        rng = self.rng
        staff = [p for p in self.people.values() if not p.roles]
        names = [person.name for person in staff]
        teller = Teller(rng, TERMINALS, SHIPS, names)
        for index in range(_BACKGROUND):
            fault = rng.choices(FAULTS, [f.weight for f in FAULTS])[0]
            person = rng.choice(staff)
            told = teller.tell(fault, person.place)
            ago = rng.uniform(60, 1900)
            key = f"bg{index}"
            who, write = rng.choice((("team", "hard"), ("me", "no"), ("me", "hard"), ("me", "yes")))
            self._log(
                key,
                ago,
                requester=person.name,
                title=told.title,
                text=told.text,
                service=fault.service,
                answers={"who": who, "work": write},
                channel=rng.choice((Channel.PORTAL, Channel.MAIL)),
            )
            self._carry_on(key, ago, fault.service, told.fix, teller, person.place)

    def _carry_on(
        self, key: str, ago: float, service: str, fix: str, teller: Teller, place: str
    ) -> None:
        rng = self.rng
        team = self.services[service].team
        if team is None or (ago < 400 and rng.random() < 0.4):
            return
        agent = rng.choice(list(team.memberships.select_related("person"))).person.name
        answered = ago - rng.uniform(4, 45)
        self._do(key, answered, agent, "take", force=True)
        self._do(key, answered - 2, agent, "reply", text=teller.say(FIRST_ANSWERS, place))
        if ago > 300 and rng.random() < 0.85:
            self._do(
                key,
                max(5.0, answered - rng.uniform(20, 250)),
                agent,
                "resolve",
                what=fix,
                settled=Settled(is_all=True),
            )

    def _told(self) -> None:
        """The stories that people of the demo find when they sign in."""
        self._gate_three()
        self._till_two()
        self._link()
        self._cabin_plan()
        self._small_ones()

    def _gate_three(self) -> None:
        self._log(
            "gate",
            156,
            requester="Maeve Tarrant",
            by="Marit Osei",
            channel=Channel.PHONE,
            title="Gate 3 at Kestrel Point rejects every barcode",
            text="Since the first sailing the gate beeps red for every ticket, paper and phone. "
            "We let people through by hand and the queue reaches the ramp.",
            service="Boarding gates",
            answers={"who": "ships", "work": "no"},
            item="Gate 3, Kestrel Point",
        )
        self._do(
            "gate",
            140,
            "Marit Osei",
            "announce",
            public_title="Boarding gates at Kestrel Point reject barcodes",
            next_news=self.stage.now + timedelta(minutes=29),
        )
        self._do(
            "gate",
            139,
            "Marit Osei",
            "note",
            text="Gates 1 and 2 read fine. Spare reader head is in the terminal office.",
        )

    def _till_two(self) -> None:
        self._log(
            "till",
            11,
            requester="Piotr Dallow",
            title="Till 2 prints blank tickets at Orrin Bay",
            text="The roll is new and the right way round, the tickets come out white.",
            service="Ticket office tills",
            answers={"who": "team", "work": "no"},
            item="Till 2, Orrin Bay",
        )

    def _link(self) -> None:
        self._log(
            "link",
            130,
            requester="Ines Corrado",
            channel=Channel.MAIL,
            title="Ship-to-shore link drops near Farrow Sound",
            text="The link to shore cut out twice between Kestrel Point and Farrow Sound. "
            "Manifests would not send.",
            service="Ship-to-shore link",
            answers={"who": "team", "work": "no"},
            item="Bridge router, Skerry Light",
        )
        self._do("link", 121, "Signe Hallam", "take", force=True)
        self._do(
            "link",
            117,
            "Signe Hallam",
            "reply",
            text="Thank you, Ines. I will ask Ship Systems to look at the mast log while you are "
            "alongside. Did it come back by itself?",
        )
        self._do(
            "link",
            116,
            "Signe Hallam",
            "wait",
            on=Waiting.REQUESTER,
            reason="asked whether it came back",
        )
        self._do(
            "link",
            80,
            "Ines Corrado",
            "requester_writes",
            text="It came back after we passed the point.",
        )
        self.stage.at(
            74,
            lambda at: actions.hand_over(
                self.stage.numbers["link"],
                self._by("Signe Hallam", at),
                team=self.teams["Ship Systems"],
                person=self.people["Joss Levering"],
                comment="The mast again, I think: see the log of the 9th.",
            ),
        )
        self._do(
            "link",
            60,
            "Joss Levering",
            "note",
            text="Same mast as last month. Workaround is to pin the second carrier.",
        )
        self._do(
            "link",
            16,
            "Ines Corrado",
            "requester_writes",
            text='It dropped again. The bridge tablet says "no route".',
        )

    def _cabin_plan(self) -> None:
        self._log(
            "cabin",
            300,
            requester="Lena Okoro",
            title="Roster shows Tuesday's crew twice",
            text="Both watches stand on the same line for Tuesday and the total is wrong.",
            service="Crew roster",
            answers={"who": "team", "work": "hard"},
        )
        self.stage.at(
            280,
            lambda at: actions.hand_over(
                self.stage.numbers["cabin"],
                self._by("Marit Osei", at),
                team=self.teams["Harbour Desk"],
                person=self.people["Signe Hallam"],
                comment="You fixed the same week in autumn; Lena knows you.",
            ),
        )

    def _small_ones(self) -> None:
        small = [
            ("scan", 95, "Owen Setchell", "Label printer in the stores smears", "Workplace laptops", "me", "yes",
             "Every third label is unreadable, I write them by hand."),
            ("phone", 66, "Maeve Tarrant", "Handset at the gate office rings once and stops", "Terminal phones", "me", "hard",
             "Callers say it goes dead. The one in the kitchen works."),
            ("azores", 240, "Nuno Ferrer", "Expenses claim 317 stuck", "Payroll", "me", "hard",
             "It has said waiting for a check since Thursday."),
            ("laptop", 50, "Rosalind Hathersage", "Laptop loses both screens in meetings", "Workplace laptops", "me", "hard",
             "They go dark for some seconds several times an hour."),
            ("lounge", 410, "Ines Corrado", "Lounge Wi-Fi is slow on sailing days", "Passenger Wi-Fi", "team", "yes",
             "Passengers complain on every full crossing."),
        ]  # fmt: skip
        for key, ago, requester, title, service, who, write, text in small:
            self._log(
                key, ago, requester=requester, title=title, text=text, service=service,
                answers={"who": who, "work": write},
            )  # fmt: skip
        self._for_signe()
        for key, ago in (("laptop", 44), ("scan", 80)):
            self._do(key, ago, "Signe Hallam", "take", force=True)
        self._do(
            "laptop",
            40,
            "Signe Hallam",
            "reply",
            text="Thank you, Rosalind. I come by with another dock at your next break.",
        )
        self._do(
            "scan",
            75,
            "Signe Hallam",
            "reply",
            text="Which labels are they: the narrow ones or the wide ones?",
        )
        self._do(
            "scan", 74, "Signe Hallam", "wait", on=Waiting.REQUESTER, reason="asked which labels"
        )
        self._do("azores", 215, "Signe Hallam", "take", force=True)
        self._do(
            "azores",
            210,
            "Signe Hallam",
            "reply",
            text="Olá Nuno, I see it. The check runs again on Thursday night.",
        )
        self.stage.at(209, lambda at: actions.wait(
            self.stage.numbers["azores"], self._by("Signe Hallam", at), on=Waiting.DATE,
            reason="the check runs again then",
            until=self.stage.now + timedelta(days=2) - timedelta(minutes=seconds_of(self.stage.now) // 60 % 60),
        ))  # fmt: skip

    def _for_signe(self) -> None:
        """All hours are covered for these, so they are close or answered at any hour."""
        mine = [
            ("plan", 207, "Berth plan for Vell Island does not save", "Berth planner", "team", "no",
             "I move a ship and the plan jumps back after a minute."),
            ("hand", 96, "Handheld 4 shows yesterday's sailing", "Boarding gates", "team", "hard",
             "It still has yesterday's list and will not fetch a new one."),
            ("slow", 175, "Gate 5 slow since the update", "Boarding gates", "team", "no",
             "Each ticket takes several seconds, the queue reaches the ramp."),
            ("tide", 260, "Tide table not in the berth planner", "Berth planner", "me", "hard",
             "The tide line is flat at zero for the whole week."),
        ]  # fmt: skip
        callers = [p.name for p in self.people.values() if p.department == "Terminals"]
        for key, ago, title, service, who, write, text in mine:
            requester = self.rng.choice(callers)
            self._log(
                key, ago, requester=requester, title=title, text=text, service=service,
                answers={"who": who, "work": write},
            )  # fmt: skip
            self._do(key, ago - 6, "Signe Hallam", "take", force=True)
            self._do(
                key,
                ago - 9,
                "Signe Hallam",
                "reply",
                text="Thank you, I have it and am looking at it now.",
            )
            if key == "slow":
                self._do(
                    key,
                    ago - 12,
                    "Signe Hallam",
                    "wait",
                    on=Waiting.REQUESTER,
                    reason="asked which tickets are slow",
                )
                self._do(
                    key,
                    13,
                    requester,
                    "requester_writes",
                    text="All of them, paper and phone. It began with the update on Saturday.",
                )
        self._log(
            "ramp",
            8,
            requester=self.rng.choice(callers),
            title="Two gates at Saltgate open without a ticket",
            text="Gates 1 and 2 stay open after each passenger, we have put a steward there.",
            service="Boarding gates",
            answers={"who": "team", "work": "no"},
            item="Gate 1, Saltgate",
        )
