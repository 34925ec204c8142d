"""Alerts from monitoring: told apart by their key, gathered by CI, a flood made one."""

from dataclasses import dataclass

from django.db import transaction

from gannet.estate.models import ConfigItem
from gannet.people.acting import Acting
from gannet.tickets.actions.endings import end
from gannet.tickets.actions.frame import writing
from gannet.tickets.actions.log import NewTicket, log_ticket
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Alert, Channel, Ticket
from gannet.web.errors import Invalid

FLOOD_TICKETS = 8
FLOOD_SECONDS = 300
FLOOD_KEY = "flood"


@dataclass(frozen=True, kw_only=True)
class Signal:
    """What monitoring says of one fault; `ci` is the key or name of the item it is on."""

    key: str
    title: str
    text: str = ""
    ci: str = ""
    is_firing: bool = True
    impact: int | None = None
    urgency: int | None = None


@transaction.atomic
def take_signal(signal: Signal, acting: Acting) -> tuple[Alert, str]:
    """Take in what monitoring says; returns the alert and in words what became of it."""
    key = " ".join(signal.key.split())[:160]
    if not key:
        raise Invalid("An alert needs its key.", fields={"key": "This is empty."})
    known = Alert.objects.select_for_update().filter(key=key).first()
    if not signal.is_firing:
        if known is None or not known.is_firing:
            known = known or Alert(key=key, title=signal.title[:200], first_s=acting.now_s)
            known.is_firing, known.last_s = 0, acting.now_s
            known.save()
            return known, "It was not firing: nothing to do."
        return known, _recover(known, acting)
    return _fire(signal, key, known, acting)


def _fire(signal: Signal, key: str, known: Alert | None, acting: Acting) -> tuple[Alert, str]:
    if known is not None and known.is_firing and known.ticket and known.ticket.is_open:
        known.count += 1
        known.last_s = acting.now_s
        known.save()
        return known, f"It fires already, {known.count} times now: {known.ticket_id} has it."
    alert = known or Alert(key=key, first_s=acting.now_s)
    alert.title, alert.last_s = " ".join(signal.title.split())[:200] or key, acting.now_s
    alert.is_firing, alert.ci = 1, _item(signal.ci)
    if known is not None:
        alert.count += 1
    ticket = _gathering(alert, acting)
    if ticket is not None:
        alert.ticket = ticket
        alert.save()
        _tell(ticket.pk, acting, f"{alert.title} (fires)", signal.text)
        return alert, f"Gathered in {ticket.pk}."
    alert.ticket = _log(signal, alert, acting)
    alert.save()
    return alert, f"Logged as {alert.ticket_id}."


def _gathering(alert: Alert, acting: Acting) -> Ticket | None:
    """The open ticket that gathers it: of the same item, or that of a flood."""
    is_open = Ticket.objects.filter(is_open=True, channel=Channel.MONITORING)
    if alert.ci_id is not None:
        same = is_open.filter(ci=alert.ci_id).order_by("pk").first()
        if same is not None:
            return same
    flood = is_open.filter(alert_key=FLOOD_KEY).order_by("-pk").first()
    if flood is not None:
        return flood
    lately = is_open.filter(opened_s__gt=acting.now_s - FLOOD_SECONDS)
    if lately.count() < FLOOD_TICKETS:
        return None
    return _start_flood(list(lately.order_by("pk")), acting)


def _start_flood(tickets: list[Ticket], acting: Acting) -> Ticket:
    """The first of many becomes the one; the others are merged into it."""
    from gannet.tickets.actions.links import merge

    first, *others = tickets
    with writing(first.pk, acting) as write:
        write.ticket.alert_key = FLOOD_KEY
        write.record(
            TicketEvent.ALERTED,
            values={"alert": f"{len(tickets)} faults in {FLOOD_SECONDS // 60} minutes: a flood"},
            is_automatic=True,
            by_desk=False,
        )
    for other in others:
        merge(other.pk, Acting(person=None, now=acting.now), first.pk)
        Alert.objects.filter(ticket=other).update(ticket=first)
    return first


def _log(signal: Signal, alert: Alert, acting: Acting) -> Ticket:
    person = acting.person
    if person is None:
        raise Invalid("Alerts come with somebody's token.")
    item = alert.ci
    return log_ticket(
        NewTicket(
            requester=person,
            title=alert.title,
            text=signal.text,
            channel=Channel.MONITORING,
            service=item.service if item else None,
            ci=item,
            place=item.place if item else "",
            impact=signal.impact,
            urgency=signal.urgency,
        ),
        acting,
    )


def _recover(alert: Alert, acting: Acting) -> str:
    """One fault less; with the last of them the ticket is resolved by itself."""
    alert.is_firing, alert.last_s = 0, acting.now_s
    alert.save()
    ticket = alert.ticket
    if ticket is None or not ticket.is_open:
        return "Recovered; its ticket had ended already."
    left = Alert.objects.filter(ticket=ticket, is_firing=1).count()
    if left:
        _tell(ticket.pk, acting, f"{alert.title} (recovered, {left} still fire)", "")
        return f"Recovered; {left} in {ticket.pk} still fire."
    system = Acting(person=None, now=acting.now)
    with writing(ticket.pk, system) as write:
        said = f"Recovered by itself: {alert.title}."
        write.record(
            TicketEvent.ALERTED, values={"alert": f"{alert.title} (recovered)"}, is_automatic=True
        )
        end(write, TicketEvent.RESOLVED, text=said, is_automatic=True)
        write.tell(write.ticket.holder, "resolved", said)
    return f"Recovered: {ticket.pk} is resolved."


def _tell(ticket_id: int, acting: Acting, said: str, text: str) -> None:
    with writing(ticket_id, Acting(person=None, now=acting.now)) as write:
        write.record(
            TicketEvent.ALERTED,
            values={"alert": said},
            text=text[:2_000],
            is_automatic=True,
            by_desk=False,
        )


def _item(name: str) -> ConfigItem | None:
    words = name.strip()
    if not words:
        return None
    rows = ConfigItem.objects.select_related("service", "service__team")
    return rows.filter(key=words).first() or rows.filter(name=words).first()
