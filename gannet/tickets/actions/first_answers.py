"""The first answer: articles offered when something is reported, which the requester can say
were it.

Only where a rule of the rulebook says so, and only what surely has the words. An offer is no
reply of the desk: it meets no target. When the requester says that an article was it, the
record is resolved with it and closed, by themselves.
"""

from collections.abc import Mapping
from typing import Any

from gannet.audit.models import Audience, Event
from gannet.knowledge.models import Article
from gannet.knowledge.search import readable, search
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions.closing import use_article
from gannet.tickets.actions.effects import carries_out
from gannet.tickets.actions.endings import end
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import StateCode, Ticket
from gannet.web.errors import Conflict, Invalid, Refused
from gannet_core import knowledge as core
from gannet_core.lifecycle import Act

MOST_OFFERED = 3
_LEAST_WORDS = 2  # of a title that says what is wrong


def sure_of(title: str, requester: Person, service: int | None, now_s: int) -> list[Article]:
    """The articles that a requester may read and that surely have what they said, best first."""
    services = [] if service is None else [service]
    found = search(title, requester, now_s, most=8, any_word=True, services=services)
    good = [one for one in found if core.is_sure(one.coverage, one.asked, _LEAST_WORDS)]
    return [one.article for one in good[:MOST_OFFERED]]


@carries_out("offer articles")
def _offer(write: RecordWrite, parts: Mapping[str, Any], by: str) -> None:
    """Offer them in a message; nothing is said where nothing fits."""
    ticket = write.ticket
    if ticket.is_confidential or not ticket.is_open or offered_on(ticket):
        return
    found = sure_of(ticket.title, ticket.requester, ticket.service_id, write.acting.now_s)
    if not found:
        return
    write.record(
        TicketEvent.ARTICLES_OFFERED,
        is_automatic=True,
        by_desk=False,
        values={
            "articles": [one.pk for one in found],
            "titles": [one.title for one in found],
            "by": by,
        },
    )
    write.tell(ticket.requester, "articles offered", _in_words(found), message=parts["message"])


def _in_words(found: list[Article]) -> str:
    from django.conf import settings

    return "\n\n".join(
        f"{place}. {one.title}\n   {settings.PUBLIC_URL}/articles/{one.pk}?found=1"
        for place, one in enumerate(found, 1)
    )


def offered_on(ticket: Ticket) -> list[dict[str, Any]]:
    """What was offered last on a record: numbers and titles, in their order."""
    if ticket.pk is None:
        return []
    rows = Event.objects.filter(ticket=ticket.pk, kind=TicketEvent.ARTICLES_OFFERED)
    last = rows.order_by("-id").first()
    if last is None:
        return []
    pairs = zip(last.values["articles"], last.values["titles"], strict=True)
    return [{"id": number, "title": title} for number, title in pairs]


def still_offered(ticket: Ticket, person: Person) -> list[dict[str, Any]]:
    """Of what was offered what the requester can still say was it."""
    if not ticket.is_open or person.pk != ticket.requester_id:
        return []
    offered = offered_on(ticket)
    if not offered:
        return []
    known = readable(person).filter(pk__in=[one["id"] for one in offered], state="published")
    titles = dict(known.values_list("pk", "title"))
    return [{"id": one["id"], "title": titles[one["id"]]}
            for one in offered if one["id"] in titles]  # fmt: skip


def was_it(
    ticket_id: int, acting: Acting, *, article: int | None = None, place: int = 1, said: str = ""
) -> Ticket:
    """The requester says that an offered article was it: resolved with it, and closed.

    `article` is its number, else `place` says which of those offered; `said` is what they
    wrote, if they wrote.
    """
    with writing(ticket_id, acting, Act.REQUESTER_WROTE) as write:
        ticket, person = write.ticket, acting.person
        if person is None or person.pk != ticket.requester_id:
            raise Refused("Only who reported it says that.")
        if not ticket.is_open:
            raise Conflict(f"This is {write.state_name} already.")
        offered = offered_on(ticket)
        numbers = [one["id"] for one in offered]
        chosen = article if article is not None else dict(enumerate(numbers, 1)).get(place)
        if chosen is None or chosen not in numbers:
            raise Invalid(
                "No such article was offered.", fields={"article": "Choose one that was offered."}
            )
        if ticket.open_approvals or not write.lifecycle.can(write.state_name, Act.RESOLVED):
            raise Conflict("The desk has more to do with it: write to them that it is solved.")
        title = next(one["title"] for one in offered if one["id"] == chosen)
        write.record(
            TicketEvent.REQUESTER_WROTE,
            text=said or f"That was it: “{title}”.",
            by_desk=False,
            audience=Audience.EVERYBODY,
            values={"channel": "e-mail" if acting.by_mail else "portal"},
        )
        write.tell(ticket.holder, "requester wrote", f"That was it: “{title}”.")
        use_article(write, chosen)
        end(
            write,
            TicketEvent.RESOLVED,
            text=f"Solved with the article “{title}”, as {person.name} says.",
            values={"article": chosen},
            is_automatic=True,
        )
        if ticket.state == StateCode.RESOLVED:
            end(write, TicketEvent.CLOSED, is_automatic=True)
    return write.ticket
