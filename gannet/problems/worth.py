"""What a problem costs and what its fix is worth, each figure with what it is made of (§20)."""

from collections.abc import Iterable, Mapping, Sequence
from fractions import Fraction
from typing import Any

from django.conf import settings
from django.db.models import Sum

from gannet.people.acting import Acting
from gannet.problems.events import ProblemEvent
from gannet.problems.models import ProblemFacts, facts_of
from gannet.rulebook.book import Book
from gannet.tickets.actions.frame import writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Clock, Link, LinkKind, Ticket, TimeEntry
from gannet.web.errors import Invalid
from gannet_core.problems import (
    SHIPPED_SHARES,
    Cost,
    Figure,
    LinkedIncident,
    Rates,
    cost_of_going_on,
    cost_so_far,
    pays_back_after,
)

SO_FAR, GOING_ON = "cost so far", "cost of going on"
FIGURES = (SO_FAR, GOING_ON)
_MOST_LISTED = 40


def rates_of(book: Book) -> Rates:
    """What the rulebook assumes of an hour, of people and of shares; else what ships."""
    said = book.problems
    shares = {int(one["urgency"]): Fraction(str(one["share"])) for one in said.get("shares") or ()}
    return Rates(
        lost_hour_pence=int(said.get("lost_hour_pence", 0)),
        desk_hour_pence=int(said.get("desk_hour_pence", 0)),
        people={one["answer"]: int(one["people"]) for one in said.get("people") or ()},
        shares={**SHIPPED_SHARES, **shares},
    )


def linked_incidents(number: int, book: Book, now_s: int) -> list[LinkedIncident]:
    """What of each linked incident counts: how long in service time, how many were stopped."""
    return linked_to_many([number], book, now_s)[number]


def linked_to_many(
    numbers: Sequence[int], book: Book, now_s: int
) -> dict[int, list[LinkedIncident]]:
    """What counts of the incidents of some problems, in as many questions as for one."""
    links = Link.objects.filter(
        kind=LinkKind.CAUSED_BY, target__in=list(numbers), source__kind="incident"
    )
    sources = links.values("source")
    calendars = dict(
        Clock.objects.filter(ticket__in=sources, kind="fix", holder="").values_list(
            "ticket_id", "calendar"
        )
    )
    minutes = dict(
        TimeEntry.objects.filter(ticket__in=sources)
        .values_list("ticket_id")
        .annotate(sum=Sum("minutes"))
    )
    asked = str(book.problems.get("question") or "who")
    found: dict[int, list[LinkedIncident]] = {number: [] for number in numbers}
    rows = links.order_by("source_id").values_list(
        "target_id", *(f"source__{name}" for name in _COUNTS)
    )
    for number, pk, opened_s, resolved_s, closed_s, urgency, answers in rows:
        key = calendars.get(pk) or ""
        calendar = book.calendar(key if book.has_calendar(key) else book.closing["calendar"])
        end_s = max(resolved_s or closed_s or now_s, opened_s)
        found[number].append(
            LinkedIncident(
                id=str(pk),
                opened_s=opened_s,
                service_s=calendar.elapsed_s(opened_s, end_s),
                urgency=urgency,
                stopped=str((answers or {}).get(asked, "")),
                minutes=minutes.get(pk, 0),
            )
        )
    return found


_COUNTS = ("id", "opened_s", "resolved_s", "closed_s", "urgency", "answers")


def worth_of(
    ticket: Ticket, facts: ProblemFacts, incidents: Iterable[LinkedIncident], book: Book, now_s: int
) -> dict[str, Any]:
    """Cost so far, cost of going on, of the fix, and when it pays back, each with its why."""
    listed, rates = list(incidents), rates_of(book)
    so_far, going_on = cost_so_far(listed, rates), cost_of_going_on(listed, rates, now_s)
    figures = {SO_FAR: _figure(SO_FAR, so_far, facts), GOING_ON: _figure(GOING_ON, going_on, facts)}
    months = None
    if facts.fix_pence is not None:
        months = pays_back_after(Fraction(facts.fix_pence), figures[GOING_ON].counts)
    return {
        "figures": [
            _told(SO_FAR, so_far, figures[SO_FAR], facts, rates),
            _told(GOING_ON, going_on, figures[GOING_ON], facts, rates),
        ],
        "fix_pence": facts.fix_pence,
        "fix_about": facts.fix_about,
        "pays_back_months": None if months is None else round(float(months), 1),
        "never_pays": facts.fix_pence is not None and months is None,
        "lost_hour_pence": rates.lost_hour_pence,
        "desk_hour_pence": rates.desk_hour_pence,
    }


def _figure(name: str, cost: Cost, facts: ProblemFacts) -> Figure:
    said = facts.instead.get(name)
    if said is None:
        return Figure(cost.pence)
    return Figure(cost.pence, Fraction(said["pence"]), said["reason"])


def _told(
    name: str, cost: Cost, figure: Figure, facts: ProblemFacts, rates: Rates
) -> dict[str, Any]:
    most = sorted(cost.incidents, key=lambda one: (-one.pence, one.id))
    return {
        "name": name,
        "pence": round(float(figure.counts)),
        "computed_pence": round(float(cost.pence)),
        "instead": facts.instead.get(name),
        "lost_hours": round(float(cost.lost_hours), 1),
        "desk_hours": round(float(cost.desk_hours), 1),
        "count": len(most),
        "incidents": [
            {
                "id": int(one.id),
                "people": one.people,
                "share": float(one.share),
                "lost_hours": round(float(one.lost_hours), 2),
                "desk_hours": round(float(one.desk_hours), 2),
                "pence": round(float(one.pence)),
            }
            for one in most[:_MOST_LISTED]
        ],
        "rest_pence": round(float(sum((one.pence for one in most[_MOST_LISTED:]), Fraction(0)))),
    }


def replace_figure(
    number: int, acting: Acting, name: str, pence: int | None, reason: str, book: Book
) -> Ticket:
    """Let another figure count instead of the computed one, with a reason; None: no more."""
    if name not in FIGURES:
        raise Invalid("There is no such figure.", fields={"figure": "Choose one."})
    if pence is not None and not reason.strip():
        raise Invalid("Say why another figure counts.", fields={"reason": "A few words will do."})
    with writing(number, acting, TicketEvent.CHANGED) as write:
        facts = ProblemFacts.objects.select_for_update().get(ticket=number)
        listed = linked_incidents(number, book, acting.now_s)
        shown = worth_of(write.ticket, facts, listed, book, acting.now_s)["figures"]
        computed = next(one["computed_pence"] for one in shown if one["name"] == name)
        kept = {key: value for key, value in facts.instead.items() if key != name}
        if pence is not None:
            kept[name] = {
                "pence": pence,
                "reason": reason.strip()[:200],
                "who": acting.person.name if acting.person else "",
                "at_s": acting.now_s,
            }
        if kept == facts.instead:
            return write.ticket
        facts.instead = kept
        facts.save(update_fields=["instead"])
        write.record(
            ProblemEvent.FIGURE,
            values={
                "figure": name,
                "amount": "the computed figure" if pence is None else pounds(pence),
                "computed": pounds(computed),
            },
            text=reason.strip()[:200],
        )
    return write.ticket


def cost_fix(number: int, acting: Acting, about: str, pence: int) -> Ticket:
    """Say what the fix would be and cost."""
    if not about.strip():
        raise Invalid("Say what the fix is.", fields={"about": "This is empty."})
    with writing(number, acting, TicketEvent.CHANGED) as write:
        facts = ProblemFacts.objects.select_for_update().get(ticket=number)
        facts.fix_about, facts.fix_pence = about.strip()[:300], pence
        facts.save(update_fields=["fix_about", "fix_pence"])
        write.record(
            ProblemEvent.FIX_COSTED, values={"amount": pounds(pence)}, text=facts.fix_about
        )
    return write.ticket


def figures_of(ticket: Ticket, book: Book, now_s: int) -> Mapping[str, Any]:
    """The figures in pence on which something is decided now, as they count."""
    facts = facts_of(ticket)
    worth = worth_of(ticket, facts, linked_incidents(ticket.pk, book, now_s), book, now_s)
    return {
        **{one["name"]: one["pence"] for one in worth["figures"]},
        "cost of the fix": facts.fix_pence,
        "pays back after months": worth["pays_back_months"],
    }


def pounds(pence: int) -> str:
    return f"{settings.CURRENCY_SIGN}{pence / 100:,.2f}".removesuffix(".00")
