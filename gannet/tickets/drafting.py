"""An article out of a record: what happened, why, what was done – without the people in it."""

import re
from collections.abc import Iterator, Sequence

from django.db.models import Q

from gannet.audit.kinds import kind_of
from gannet.audit.models import Event
from gannet.knowledge import actions, pictures
from gannet.knowledge.models import Article, ArticleKind
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import TaskState, Ticket
from gannet.web.errors import Missing, Refused
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
    steps = _steps(ticket)
    text = _Text(ticket, [ticket.title, _account(ticket), ticket.cause, *steps, ticket.resolution])
    title, account = text.plain(ticket.title), text.plain(_account(ticket))
    body = ["## What happens", title]
    body += [account] if account and account != title else []
    body += ["## Why", text.plain(ticket.cause)] if ticket.cause else []
    body += ["## What helps", text.plain(ticket.resolution)]
    said = [f"{n}. {text.plain(step)}" for n, step in enumerate(steps, 1)]
    body += ["\n".join(said)] if said else []
    return text.drafted(acting, title, body, pictures.prepared_of(_files(ticket)))


def draft_of_message(ticket: Ticket, event: int, acting: Acting) -> Article:
    """A draft made of one message of a record and the pictures sent with it."""
    check_may_be_drafted(ticket)
    message = Event.objects.filter(ticket=ticket, pk=event, redacted_by=None).first()
    kind = kind_of(message.kind) if message is not None else None
    if message is None or kind is None or not kind.is_message or not message.text.strip():
        raise Missing("There is no such message, or its text has been removed.")
    text = _Text(ticket, [ticket.title, message.text])
    title = text.plain(ticket.title)
    body = [text.plain(message.text[: actions.MAX_BODY])]
    return text.drafted(acting, title, body, pictures.prepared_of(_files(ticket, event)))


def draft_of_known_error(ticket: Ticket, workaround: str, acting: Acting) -> Article:
    """A draft of a known error; what helps until it is fixed is shown with it as it stands."""
    check_may_be_drafted(ticket)
    text = _Text(ticket, [ticket.title, _account(ticket), ticket.cause, workaround])
    title, account = text.plain(ticket.title), text.plain(_account(ticket))
    body = ["## What happens", title]
    body += [account] if account and account != title else []
    body += ["## Why", text.plain(ticket.cause)] if ticket.cause else []
    return text.drafted(acting, title, body, [], kind=ArticleKind.KNOWN_ERROR)


def draft_of_parts(ticket: Ticket, parts: Sequence[tuple[str, str]], acting: Acting) -> Article:
    """A draft of a record by parts of its own: headings and words, without empty ones."""
    check_may_be_drafted(ticket)
    text = _Text(ticket, [ticket.title, *(words for _, words in parts)])
    body = [
        line for heading, words in parts if words.strip()
        for line in (f"## {heading}", text.plain(words))
    ]  # fmt: skip
    return text.drafted(acting, text.plain(ticket.title), body, [])


def plain_of(ticket: Ticket, words: str) -> str:
    """Words of a record as an article made of it says them."""
    return _Text(ticket, [words]).plain(words)


class _Text:
    """Words of a record without the people in them, and who was taken out."""

    def __init__(self, ticket: Ticket, parts: Sequence[str]) -> None:
        self.ticket, self.names = ticket, _people(ticket, "\n".join(parts))
        self.taken: dict[str, None] = {}

    def plain(self, text: str) -> str:
        found = without_people(text, self.names)
        self.taken.update(dict.fromkeys(found.taken))
        return found.text.strip()

    def drafted(
        self,
        acting: Acting,
        title: str,
        body: Sequence[str],
        shown: Sequence[pictures.Prepared],
        *,
        kind: ArticleKind = ArticleKind.FAULT,
    ) -> Article:
        """The draft; its note says where it is from and what to look at."""
        showing = [f"![{self.plain(_said_of(one.name))}](pictures/{one.name})" for one in shown]
        note = f"From {self.ticket.kind} {self.ticket.pk}"
        if self.taken:
            note += f"; taken out: {', '.join(self.taken)}"
        if shown:
            note += "; look whether its pictures show anybody"
        draft = actions.draft_from(
            acting,
            number=self.ticket.pk,
            title=title,
            body="\n\n".join([*body, *showing]),
            service=self.ticket.service,
            category=self.ticket.category,
            note=note[:200],
            kind=kind,
        )
        for one in shown:
            pictures.keep(acting, draft, one)
        return draft


def _files(ticket: Ticket, event: int | None = None) -> Iterator[tuple[str, bytes]]:
    """The pictures that were sent with its messages or with one of them, the first of them."""
    sent = ticket.attachments.filter(event_id__isnull=False, content_type__startswith="image/")
    if event is not None:
        sent = sent.filter(event_id=event)
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
