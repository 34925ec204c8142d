"""Why notes: the parts behind each computed value of a ticket, which add up to it."""

from collections.abc import Iterable
from typing import Any

from gannet.audit.kinds import EventKind
from gannet.audit.models import Event
from gannet.tickets.actions.ladders import ladders_of
from gannet.tickets.events import TicketEvent
from gannet.tickets.history import row_of
from gannet.tickets.models import Clock
from gannet.tickets.record import Reading
from gannet.web.errors import Missing
from gannet_core.clocks import Ledger
from gannet_core.escalation import describe_step
from gannet_core.priority import priority_of
from gannet_core.rules import describe_action


def why(reading: Reading, of: str) -> dict[str, Any]:
    """The parts behind a computed value, which add up to it."""
    if of == "priority":
        return _why_priority(reading)
    if of == "agreement":
        return _why_agreement(reading)
    if of == "team":
        return _why_team(reading)
    if of == "holder":
        return _why_holder(reading)
    if of == "rules":
        return _why_rules(reading)
    if of == "next":
        return _why_next(reading)
    for clock, ledger in reading.ledgers:
        if of == f"clock:{clock.kind}/{clock.holder}":
            return _why_clock(reading, clock, ledger)
    raise Missing("There is nothing to explain by that name.")


def _why_priority(reading: Reading) -> dict[str, Any]:
    ticket = reading.ticket
    override = (ticket.priority, ticket.priority_reason) if ticket.priority_reason else None
    answer = priority_of(reading.book.matrix, ticket.impact, ticket.urgency, override)
    stated = [
        {"label": question["asks"], "value": _answer_label(reading, question)}
        for question in reading.book.questions
        if ticket.answers.get(question["key"]) and question.get("choices")
    ]
    stated += [
        {"label": axis, "value": "assumed: nobody has said it yet"}
        for axis in ("impact", "urgency")
        if getattr(ticket, f"is_{axis}_assumed")
    ]
    return _note(
        f"Why is {ticket.pk} P{ticket.priority}?", [*stated, *answer.explain(reading.book.matrix)]
    )


def _answer_label(reading: Reading, question: Any) -> str:
    given = reading.ticket.answers.get(question["key"])
    labels = {choice["key"]: choice["label"] for choice in question["choices"]}
    return str(labels.get(given, given))


def _why_agreement(reading: Reading) -> dict[str, Any]:
    promised = _last(reading, TicketEvent.PROMISED)
    steps = list(promised.values.get("why", [])) if promised else []
    for clock in reading.clocks:
        if clock.care_tier:
            tier = reading.book.care_tiers[clock.care_tier]
            steps.append(
                {
                    "label": f"{clock.kind}: {tier['name']}, {_percent(tier['share'])}",
                    "from_seconds": clock.normal_seconds,
                    "seconds": clock.target_seconds,
                }
            )
        elif not clock.holder:
            steps.append({"label": f"{clock.kind} target", "seconds": clock.target_seconds})
    return _note(
        f"Why does {reading.book.agreement_name(reading.ticket.agreement)} apply?",
        steps,
        f"rulebook edition {reading.ticket.edition}",
    )


def _why_team(reading: Reading) -> dict[str, Any]:
    event = _last(reading, TicketEvent.LOGGED, TicketEvent.HANDED_OVER, with_team=True)
    ticket = reading.ticket
    if event is None or event.kind == TicketEvent.LOGGED:
        because = event.values.get("why_team", "") if event else ""
        steps = [{"label": ticket.team.name, "value": because, "chosen": True}]
        sure = event.values.get("classified_by") if event else ""
        if sure:
            steps.insert(0, {"label": "Words of the message", "value": sure})
        return _note(f"Why {ticket.team.name}?", steps)
    actor = event.actor.name if event.actor else "Gannet"
    steps = [
        {"label": f"Handed over by {actor}", "value": event.text, "at_s": event.at_s},
    ]
    return _note(f"Why {ticket.team.name}?", steps)


def _why_holder(reading: Reading) -> dict[str, Any]:
    event = _last(reading, TicketEvent.LOGGED, TicketEvent.HANDED_OVER, TicketEvent.TAKEN)
    ticket = reading.ticket
    name = ticket.holder.name if ticket.holder else "nobody"
    if event is None:
        return _note(f"Why {name}?", [])
    if event.kind == TicketEvent.TAKEN:
        steps = [{"label": f"{name} took it", "value": "", "at_s": event.at_s}]
    elif event.values.get("why_person"):
        steps = list(event.values["why_person"])
        steps.append({"label": event.values.get("person", ""), "value": "", "chosen": True})
    else:
        actor = event.actor.name if event.actor else "Gannet"
        words = event.values.get("person") or f"{actor}: {event.text}"
        steps = [{"label": words, "value": "", "at_s": event.at_s}]
    return _note(f"Why is it with {name}?", steps)


def _why_clock(reading: Reading, clock: Clock, ledger: Ledger) -> dict[str, Any]:
    calendar = reading.book.calendar_name(clock.calendar)
    steps: list[dict[str, Any]] = [
        {
            "label": _row_label(reading, str(row.kind), row.start),
            "from_s": row.start,
            "to_s": row.end,
            "seconds": row.seconds,
            "is_apart": row.kind != "counted",
        }
        for row in ledger.rows
    ]
    steps.append({"label": "Target", "seconds": ledger.target})
    steps.append({"label": "Used", "seconds": ledger.consumed})
    label = "Left" if ledger.remaining >= 0 else "Over"
    steps.append({"label": label, "seconds": abs(ledger.remaining)})
    if ledger.due is not None:
        steps.append(
            {
                "label": f"Runs out, on the calendar {calendar}",
                "at_s": ledger.due,
                "is_total": True,
            }
        )
    subtitle = f"{clock.kind}, P{clock.priority}, {calendar}"
    if clock.care_tier:
        subtitle += f", {reading.book.care_tiers[clock.care_tier]['name']}"
    return _note(f"How does the {clock.kind} clock of {reading.ticket.pk} stand?", steps, subtitle)


def _row_label(reading: Reading, kind: str, start: int) -> str:
    if kind == "paused":
        waits = [e for e in reading.events if e.kind == TicketEvent.WAITING and e.at_s <= start]
        on = waits[-1].facts.get("on", "") if waits else ""
        return f"waiting on {reading.ticket.requester.name if on == 'requester' else on}"
    return {"closed": "out of hours", "stopped": "resolved"}.get(kind, kind)


def _last(reading: Reading, *kinds: EventKind, with_team: bool = False) -> Event | None:
    undone = {e.facts["event"] for e in reading.events if e.kind == TicketEvent.UNDONE}
    for event in reversed(reading.events):
        if event.kind not in kinds or event.id in undone:
            continue
        moved = event.facts.get("team") != event.facts.get("from_team")
        if not with_team or moved:
            return event
    return None


def _why_rules(reading: Reading) -> dict[str, Any]:
    """Every run of the rules, latest first: which matched, and why the others did not."""
    steps: list[dict[str, Any]] = []
    for event in reversed(reading.events):
        traces = event.values.get("rules")
        if not traces:
            continue
        steps.append({"label": f"When it was {event.kind}", "at_s": event.at_s})
        for trace in traces:
            did = f" → {'; '.join(trace['did'])}" if trace["matched"] else ""
            over = f" (over {', '.join(trace['overridden'])})" if trace["overridden"] else ""
            steps.append(
                {
                    "label": trace["name"],
                    "value": f"{trace['because']}{did}{over}",
                    "chosen": trace["matched"],
                }
            )
    if not steps:
        steps = [{"label": "No rule waits for anything that has happened here", "value": ""}]
    return _note(f"Which rules ran on {reading.ticket.pk}?", steps)


def _why_next(reading: Reading) -> dict[str, Any]:
    """The escalation steps to come, clock by clock, and those done."""
    rows = [row_of(event) for event in reading.events]
    for clock, ledger in reading.ledgers:
        clock.ledger = ledger  # type: ignore[attr-defined]
    steps: list[dict[str, Any]] = []
    for ladder in ladders_of(reading.ticket, reading.clocks, rows, reading.now_s):
        for moment in ladder.moments:
            is_done = moment.step["key"] in ladder.done
            does = "; ".join(describe_action(action) for action in moment.step["then"])
            steps.append(
                {
                    "label": describe_step(moment.step, ladder.label),
                    "value": f"{does}{' – done' if is_done else ''}",
                    "at_s": moment.at,
                    "chosen": not is_done and moment is ladder.next,
                }
            )
    steps.sort(key=lambda step: step["at_s"])
    return _note(
        "Whom does the next escalation reach?", steps, f"rulebook edition {reading.ticket.edition}"
    )


def _percent(share: str) -> str:
    return f"{float(share) * 100:g} % of the target"


def _note(title: str, steps: Iterable[dict[str, Any]], subtitle: str = "") -> dict[str, Any]:
    return {"title": title, "subtitle": subtitle, "steps": list(steps)}
