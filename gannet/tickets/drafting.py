"""An article out of a record: what happened, why, what was done – without the people in it."""

import re
from collections.abc import Iterator

from django.db.models import Q

from gannet.audit.models import Event
from gannet.knowledge import pictures
from gannet.knowledge.actions import draft_from
from gannet.knowledge.models import Article
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import TaskState, Ticket
from gannet.web.errors import Refused
from gannet_core.conditions import fold
from gannet_core.people_words import possible_names, without_people

_MOST_TEXT, _MOST_PICTURES = 4_000, 6


def check_may_be_drafted(ticket: Ticket) -> None:
    """Refuse an article of what only some of the desk may know: a draft is the whole desk's."""
    if ticket.is_confidential:
        raise Refused("Of a confidential record no draft is made: the whole desk would read it.")


def draft_of(ticket: Ticket, acting: Acting) -> Article:
    """A draft made of a resolved record; its note says who was taken out."""
    check_may_be_drafted(ticket)
    parts = [ticket.title, _account(ticket), ticket.cause, *_steps(ticket), ticket.resolution]
    names = _people(ticket, "\n".join(parts))
    taken: dict[str, None] = {}

    def plain(text: str) -> str:
        found = without_people(text, names)
        taken.update(dict.fromkeys(found.taken))
        return found.text.strip()

    title = plain(ticket.title)
    steps = [plain(step) for step in _steps(ticket)]
    body = ["## What happens", title]
    account = plain(_account(ticket))
    body += [account] if account and account != title else []
    body += ["## Why", plain(ticket.cause)] if ticket.cause else []
    body += ["## What helps", plain(ticket.resolution)]
    body += ["\n".join(f"{n}. {step}" for n, step in enumerate(steps, 1))] if steps else []
    shown = pictures.prepared_of(_files(ticket))
    body += [f"![{plain(_said_of(one.name))}](pictures/{one.name})" for one in shown]
    note = f"From {ticket.kind} {ticket.pk}"
    if taken:
        note += f"; taken out: {', '.join(taken)}"
    if shown:
        note += "; look whether its pictures show anybody"
    draft = draft_from(
        acting,
        number=ticket.pk,
        title=title,
        body="\n\n".join(body),
        service=ticket.service,
        category=ticket.category,
        note=note[:200],
    )
    for one in shown:
        pictures.keep(acting, draft, one)
    return draft


def _files(ticket: Ticket) -> Iterator[tuple[str, bytes]]:
    """The pictures that were sent with its messages, the first of them."""
    sent = ticket.attachments.filter(event_id__isnull=False, content_type__startswith="image/")
    for row in sent.exclude(file="").order_by("uploaded_at", "pk")[:_MOST_PICTURES]:
        try:
            with row.file.open("rb") as opened:
                yield row.name, opened.read()
        except OSError:  # it is gone from the disk: the words are what counts
            continue


def _said_of(name: str) -> str:
    """What a file's name says it shows."""
    return re.sub(r"-[0-9a-f]{8}$", "", name.rsplit(".", 1)[0]).replace("-", " ")


def _account(ticket: Ticket) -> str:
    """What was reported first, in the words of whoever did."""
    first = Event.objects.filter(ticket=ticket, kind=TicketEvent.LOGGED).order_by("id").first()
    return first.text[:_MOST_TEXT] if first else ""


def _steps(ticket: Ticket) -> list[str]:
    done = ticket.tasks.filter(state=TaskState.DONE).order_by("position", "pk")
    return list(done.values_list("title", flat=True))


def _people(ticket: Ticket, text: str) -> list[str]:
    """The names of those who had to do with a record, and of anybody here whom it names."""
    wrote = Event.objects.filter(ticket=ticket, actor__isnull=False).values("actor")
    near = Q(pk__in=wrote) | Q(following__ticket=ticket) | Q(tasks__ticket=ticket)
    near |= Q(pk__in=[one for one in (ticket.requester_id, ticket.beneficiary_id,
                                      ticket.holder_id) if one])  # fmt: skip
    named = Q(name_folded__in=[fold(name) for name in possible_names(text)[:400]])
    return list(Person.objects.filter(near | named).distinct().values_list("name", flat=True))
