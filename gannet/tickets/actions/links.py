"""Links between records, and merging a duplicate into another."""

from django.db import transaction

from gannet.audit.models import Event
from gannet.people.acting import Acting
from gannet.tickets import policies
from gannet.tickets.actions.announce import carry_over, take_off
from gannet.tickets.actions.endings import end
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.kinds import CausedBy, kind_of, usual
from gannet.tickets.models import Follower, Link, LinkKind, Ticket
from gannet.web.errors import Conflict, Invalid, Missing
from gannet_core.lifecycle import Act


@transaction.atomic
def link(ticket_id: int, acting: Acting, kind: str, other_id: int) -> Ticket:
    """Say how a record relates to another; both histories say so."""
    causes = _by_the_kind(ticket_id, kind, other_id)
    if causes is not None:
        with writing(ticket_id, acting, Act.NOTED) as write:
            _other(write, other_id)
        causes.link(other_id, acting, ticket_id)
        return Ticket.objects.get(pk=ticket_id)
    with writing(ticket_id, acting, Act.NOTED) as write:
        other = _other(write, other_id)
        relation = LinkKind(kind)
        _, is_new = Link.objects.get_or_create(
            source=write.ticket,
            target=other,
            kind=relation,
            defaults={"made_by": acting.person, "made_s": acting.now_s},
        )
        if is_new:
            write.record(TicketEvent.LINKED, values={"how": relation.value, "other": other.pk})
    if is_new:
        with writing(other_id, acting) as there:
            there.record(TicketEvent.LINKED, values={"how": relation.label, "other": ticket_id})
    return write.ticket


def unlink(ticket_id: int, acting: Acting, link_id: int) -> Ticket:
    """Take a link away."""
    with writing(ticket_id, acting, Act.NOTED) as write:
        found = Link.objects.filter(pk=link_id).first()
        if found is None or ticket_id not in (found.source_id, found.target_id):
            raise Missing("There is no such link.")
        other = found.target_id if found.source_id == ticket_id else found.source_id
        causes = _by_the_kind(found.source_id, found.kind, found.target_id)
        if causes is not None:
            # It writes to both itself; nothing is left to be written here.
            causes.unlink(found.target_id, acting, found.source_id)
            return write.ticket
        write.record(TicketEvent.UNLINKED, values={"how": found.kind, "other": other})
        found.delete()
    return write.ticket


@transaction.atomic
def merge(ticket_id: int, acting: Acting, into_id: int) -> Ticket:
    """Merge a duplicate into another ticket, which goes on for both.

    The duplicate is cancelled and points to the other; its requester and followers follow
    the other, and hear of it. Its conversation stays in place; the other shows its messages
    among its own, in the order in which they were said. Returns the ticket that goes on.
    """
    if ticket_id == into_id:
        raise Invalid("It cannot be merged into itself.", fields={"into": "Choose another."})
    with writing(ticket_id, acting, Act.CANCELLED) as write:
        ticket = write.ticket
        into = _other(write, into_id)
        if not into.is_open:
            raise Conflict(f"{into.pk} is not open any more: reopen it first, or link them.")
        if into.duplicate_of_id is not None:
            raise Conflict(f"{into.pk} is itself a duplicate of {into.duplicate_of_id}.")
        if bool(into.is_confidential) != bool(ticket.is_confidential):
            hidden, other = (into, ticket) if into.is_confidential else (ticket, into)
            raise Conflict(
                f"{hidden.pk} is confidential and {other.pk} is not: one would tell of the other."
            )
        announced = ticket.next_news_s if ticket.is_announced else None
        was_announced = ticket.is_announced
        people = {ticket.requester_id, *ticket.followers.values_list("person_id", flat=True)}
        moved = list(ticket.duplicates.values_list("pk", flat=True))
        ticket.duplicates.update(duplicate_of=into)
        Link.objects.get_or_create(
            source=ticket,
            target=into,
            kind=LinkKind.DUPLICATE_OF,
            defaults={"made_by": acting.person, "made_s": acting.now_s},
        )
        known = {into.requester_id, *into.followers.values_list("person_id", flat=True)}
        end(
            write,
            TicketEvent.CANCELLED,
            text=f"A duplicate of {into.pk}: it goes on there.",
            # What taking it back has to find again.
            facts={
                "merged_into": into.pk,
                "duplicates": moved,
                "followers": sorted(people - known - {None}),
                "hits": list(ticket.hits.values_list("person_id", flat=True)),
                "announced_there": bool(was_announced and not into.is_announced),
            },
            values={"into": into.pk},
            goes_on_as=into,
        )
        ticket.duplicate_of = into
        write.tell(ticket.requester, "merged", f"Merged into {into.pk}: {into.title}")
        write.tell(ticket.holder, "merged", f"Merged into {into.pk}: {into.title}")
    with writing(into_id, acting, Act.NOTED) as goes_on:
        goes_on.record(
            TicketEvent.MERGED, facts={"ticket": ticket_id}, values={"title": write.ticket.title}
        )
        if was_announced:
            carry_over(write.ticket, goes_on, announced)
        for person_id in people - {goes_on.ticket.requester_id, None}:
            Follower.objects.get_or_create(ticket=goes_on.ticket, person_id=person_id)
    return goes_on.ticket


def unmerge(write: RecordWrite, ended: Event) -> None:
    """Take a merge back: both are again what they were, and whoever followed by it does not."""
    ticket, facts = write.ticket, ended.facts
    into_id = facts["merged_into"]
    ticket.duplicate_of = None
    Ticket.objects.filter(pk__in=facts["duplicates"]).update(duplicate_of=ticket)
    Link.objects.filter(source=ticket, target=into_id, kind=LinkKind.DUPLICATE_OF).delete()

    def there() -> None:
        with writing(into_id, write.acting) as goes_on:
            into = goes_on.ticket
            into.followers.filter(person__in=facts["followers"]).delete()
            into.hits.filter(person__in=facts["hits"]).update(ticket=ticket)
            if facts["announced_there"] and into.is_announced:
                take_off(goes_on)
            goes_on.record(TicketEvent.UNMERGED, values={"ticket": ticket.pk})

    write.afterwards(there)


def _by_the_kind(source_id: int, kind: str, target_id: int) -> CausedBy | None:
    """Who links an incident to what causes it, when the kind of that does so itself."""
    if kind != LinkKind.CAUSED_BY:
        return None
    source, target = (Ticket.objects.filter(pk=pk).first() for pk in (source_id, target_id))
    if source is None or target is None or source.kind != usual().key:
        return None
    return kind_of(target).causes


def _other(write: RecordWrite, other_id: int) -> Ticket:
    person = write.acting.person
    found = Ticket.objects.filter(pk=other_id)
    if person is not None:
        found = policies.visible_to(person).filter(pk=other_id)
    other = found.first()
    if other is None:
        raise Invalid(f"There is no ticket {other_id}.", fields={"other": "Choose another."})
    if other.pk == write.ticket.pk:
        raise Invalid("It cannot be linked to itself.", fields={"other": "Choose another."})
    return other
