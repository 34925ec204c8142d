"""Two years of changes at Northmere Ferries: planned, done, and how each turned out."""

import random
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from django.db import transaction

from gannet.audit import log as audit
from gannet.audit.models import Audience
from gannet.changes.events import ChangeEvent
from gannet.changes.models import KIND, ChangeFacts, ChangeItem
from gannet.changes.planning import read_steps
from gannet.demo.rulebook_changes import TEMPLATES
from gannet.estate.models import ConfigItem, Service
from gannet.people.models import Person, Team
from gannet.tickets import search
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Channel, Link, LinkKind, MoveCode, Ticket
from gannet.tickets.states import state_code
from gannet.web.numbers import next_number
from gannet_core.conditions import fold
from gannet_core.instants import instant_of, seconds_of

_LONDON = ZoneInfo("Europe/London")
_DAY = 86_400
COUNT = 900
# What was done by no template: title with a place for the item, service, steps.
_FREE: Sequence[tuple[str, str]] = (
    ("New certificate for {}", "Web booking"),
    ("More memory for {}", "Berth planner"),
    ("Move {} to another host", "Crew roster"),
    ("Firewall rule for {}", "Safe computing"),
    ("Change of a line: {}", "Ship-to-shore link"),
    ("New channel plan near {}", "Passenger Wi-Fi"),
    ("Rounding of swapped shifts on {}", "Crew roster"),
    ("Larger mailbox store on {}", "Mail and calendar"),
    ("New card reader software, {}", "Ticket office tills"),
    ("Manifest format of the customs office on {}", "Freight manifest"),
    ("Overtime table of the year on {}", "Payroll"),
    ("Call groups of {}", "Terminal phones"),
)
_STEPS = (
    {"part": "implement", "says": "Copy what is there", "minutes": 15},
    {"part": "implement", "says": "Change it and write down what was set", "minutes": 40},
    {"part": "test", "says": "Use it once as its users do", "minutes": 15},
    {"part": "back out", "says": "Set it back as it was written down", "minutes": 20},
)
_WRONG = (
    "One of the ends still had the old settings.",
    "The copy was older than we thought.",
    "It took twice as long as the maker says.",
    "Nobody had told the terminal.",
    "The new version forgets its time zone.",
)


class PastChanges:
    """Makes them in bulk: rows, events and links, as the acts would have left them."""

    def __init__(self, now: datetime, seed: int) -> None:
        self.now, self.now_s, self.rng = now, seconds_of(now), random.Random(seed)
        self.services = {one.name: one for one in Service.objects.select_related("team")}
        self.items: dict[int, list[ConfigItem]] = {}
        for item in ConfigItem.objects.exclude(service=None):
            self.items.setdefault(item.service_id or 0, []).append(item)
        self.members = {
            team.pk: [one.person for one in team.memberships.select_related("person")]
            for team in Team.objects.filter(is_board=False)
        }
        self.templates = [*TEMPLATES[:3] * 4, *TEMPLATES[3:]]
        self.tickets: list[Ticket] = []
        self.facts: list[ChangeFacts] = []
        self.touched: list[ChangeItem] = []
        self.entries: list[audit.Entry] = []

    @transaction.atomic
    def make(self, count: int) -> None:
        """So many, the latest a fortnight ago, each looked back on."""
        number = next_number()
        for back in range(count):
            share = (back + self.rng.random()) / count
            opened_s = self.now_s - int((21 + share * 700) * _DAY)
            self._one(number + count - 1 - back, opened_s)
        self.tickets.reverse()
        Ticket.objects.bulk_create(self.tickets, batch_size=200)
        ChangeFacts.objects.bulk_create(self.facts, batch_size=200)
        ChangeItem.objects.bulk_create(self.touched, batch_size=400)
        self.entries.sort(key=lambda entry: entry.at)
        audit.append(self.entries)
        for ticket, facts in zip(self.tickets, reversed(self.facts), strict=True):
            search.add(ticket.pk, ticket.title, [facts.why, facts.learned])
        self._blame()

    def _one(self, number: int, opened_s: int) -> None:
        rng = self.rng
        if rng.random() < 0.55:
            template: dict[str, Any] = rng.choice(self.templates)
            service, steps = self.services[template["service"]], template["steps"]
            item = self._item(service)
            title = str(template["title"]) + (f": {item.name}" if item else "")
        else:
            template = {}
            words, name = rng.choice(_FREE)
            service, steps, item = self.services[name], _STEPS, self._item(self.services[name])
            title = words.format(item.name if item else name)
        team = service.team or Team.objects.get(key="harbour-desk")
        holder = rng.choice(self.members[team.pk])
        starts_s = _night(opened_s + rng.randrange(3, 16) * _DAY, rng)
        minutes = sum(one["minutes"] for one in steps if one["part"] != "back out")
        ends_s = starts_s + max(30, minutes) * 60
        is_standard = bool(template.get("is_preauthorised"))
        outcome = rng.choices(
            ("done", "with issues", "backed out", "failed"),
            (94, 4, 1, 1) if is_standard else (84, 9, 5, 2),
        )[0]
        slower = rng.lognormvariate(0.05, 0.25) * (1.6 if outcome != "done" else 1)
        began_s = starts_s + rng.randrange(0, 300)
        ended_s = began_s + int((ends_s - starts_s) * slower)
        closed_s = min(ended_s + rng.randrange(7, 10) * _DAY, self.now_s - 3600)
        state = "backed out" if outcome == "backed out" else "done"
        points = rng.choices((rng.randrange(0, 8), rng.randrange(8, 25), rng.randrange(25, 45)),
                             (9, 1, 0) if is_standard else (5, 4, 1))[0]  # fmt: skip
        if outcome == "backed out":
            closed_s = ended_s
        rating = "low" if points < 8 else "moderate" if points < 25 else "high"
        learned = "" if outcome == "done" else rng.choice(_WRONG)
        ticket = Ticket(
            id=number, kind=KIND, title=title[:200], title_folded=fold(title[:200]),
            requester=holder, holder=holder, team=team, service=service, ci=item,
            category=service.category, place=item.place if item else "",
            channel=Channel.DESK, impact=3, urgency=3, priority=4, edition=1,
            state=state_code(state), is_open=False, move=MoveCode.NOBODY,
            approval="automatic" if is_standard else "approved",
            opened_s=opened_s, changed_s=closed_s, closed_s=closed_s,
        )  # fmt: skip
        self.tickets.append(ticket)
        weighed = {
            "stage": "assessed", "at_s": opened_s + _DAY // 2, "points": points, "rating": rating,
            "type": "Standard" if is_standard else "Normal", "in_freeze": False,
            "consequence": 40.0, "likelihood": round(points / 0.4, 1), "parts": [],
        }  # fmt: skip
        self.facts.append(
            ChangeFacts(
                ticket_id=number, template=str(template.get("key") or ""),
                why=str(template.get("why") or ""), tried=str(template.get("tried") or ""),
                steps=read_steps(steps), starts_s=starts_s, ends_s=ends_s,
                submitted_s=opened_s + 7200, began_s=began_s, ended_s=ended_s,
                review_s=ended_s + 7 * _DAY, points=points, rating=rating, weighed=[weighed],
                outcome=outcome, learned=learned,
            )
        )  # fmt: skip
        if item is not None:
            self.touched.append(ChangeItem(ticket_id=number, item=item))
        self._tell(number, title, holder, self.facts[-1], opened_s, closed_s, team)

    def _item(self, service: Service) -> ConfigItem | None:
        there = self.items.get(service.pk)
        return self.rng.choice(there) if there else None

    def _tell(
        self, number: int, title: str, who: Person, facts: ChangeFacts, opened_s: int,
        closed_s: int, team: Team,
    ) -> None:  # fmt: skip
        risk = {"points": facts.points, "rating": facts.rating}

        def say(kind: Any, at_s: int | None, **more: Any) -> None:
            assert at_s is not None
            automatic = more.pop("is_automatic", False)
            self.entries.append(
                audit.Entry(
                    kind=kind, at=instant_of(at_s), ticket_id=number, by_desk=True,
                    actor_id=None if automatic else who.pk, is_automatic=automatic, **more,
                )
            )  # fmt: skip

        say(
            TicketEvent.LOGGED, opened_s, audience=Audience.EVERYBODY,
            facts={"team": team.key, "person": str(who.pk)},
            values={"title": title, "channel": Channel.DESK, "why_team": "", "why_person": ""},
        )  # fmt: skip
        say(ChangeEvent.SUBMITTED, facts.submitted_s, values=risk)
        say(ChangeEvent.ASSESSED, opened_s + _DAY // 2, values=risk)
        say(ChangeEvent.AUTHORISED, opened_s + _DAY, is_automatic=True)
        say(ChangeEvent.STARTED, facts.began_s, values={"loud": []})
        if facts.outcome == "backed out":
            say(ChangeEvent.BACKED_OUT, facts.ended_s, text=facts.learned)
            return
        say(ChangeEvent.IMPLEMENTED, facts.ended_s)
        say(
            ChangeEvent.LOOKED_BACK, closed_s, text=facts.learned,
            values={"outcome": facts.outcome},
        )  # fmt: skip

    def _blame(self) -> None:
        """Some incidents of the days after are linked as caused by what did not go well."""
        links = []
        for ticket, facts in zip(self.tickets, reversed(self.facts), strict=True):
            if facts.outcome == "done" or facts.ended_s is None:
                continue
            near = Ticket.objects.filter(
                kind="incident", service=ticket.service, opened_s__gte=facts.ended_s,
                opened_s__lt=facts.ended_s + 3 * _DAY, is_confidential=0,
            ).exclude(links_out__kind=LinkKind.CAUSED_BY)  # fmt: skip
            links += [
                Link(
                    source=incident, target=ticket, kind=LinkKind.CAUSED_BY,
                    made_by=ticket.holder, made_s=facts.ended_s + 3 * _DAY,
                )
                for incident in near.order_by("opened_s")[: self.rng.randrange(0, 3)]
            ]  # fmt: skip
        known: set[int] = set()
        fresh = []
        for link in links:
            if link.source_id not in known:
                known.add(link.source_id)
                fresh.append(link)
        Link.objects.bulk_create(fresh, batch_size=200)


def _night(near_s: int, rng: random.Random) -> int:
    """A Thursday or Sunday night near an instant, or an office evening: its local beginning."""
    day = datetime.fromtimestamp(near_s, _LONDON)
    if rng.random() < 0.5:
        wanted = rng.choice((3, 6))
        day += timedelta(days=(wanted - day.weekday()) % 7)
        start = day.replace(hour=1, minute=30, second=0, microsecond=0)
    else:
        day += timedelta(days=(rng.randrange(4) - day.weekday()) % 7)
        start = day.replace(hour=18, minute=30, second=0, microsecond=0)
    return seconds_of(start)


def make_past_changes(now: datetime, seed: int, count: int = COUNT) -> None:
    """The changes of two years that are over."""
    PastChanges(now, seed).make(count)
