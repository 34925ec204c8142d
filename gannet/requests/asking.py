"""Asking for something of the catalogue: one thing, several, or a bundle."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any
from uuid import UUID

from django.db import transaction

from gannet.audit.models import Audience
from gannet.estate.models import Service
from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.requests.events import RequestEvent
from gannet.requests.models import KIND, RequestFacts, facts_of
from gannet.rulebook.book import Book, current, edition
from gannet.tickets import forms
from gannet.tickets.actions import routes
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.log import NewTicket, log_ticket
from gannet.tickets.directory import about_person
from gannet.tickets.files import attach
from gannet.tickets.known import files_in, item_named, without_old_files
from gannet.tickets.models import Channel, Ticket
from gannet.tickets.setting import set_custom
from gannet.web.errors import Conflict, Invalid, Missing, Refused
from gannet_core import catalogue
from gannet_core.approvals import covers

MOST_LINES = 20
# A wish: one person, and work goes on.
_IMPACT, _URGENCY = 3, 2


@dataclass(frozen=True, kw_only=True)
class Line:
    """One thing asked for, with the answers of its form."""

    key: str
    answers: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Wish:
    """What somebody asks for, for whom, and why."""

    lines: Sequence[Line]
    beneficiary: Person | None = None
    reason: str = ""
    # Of a bundle: the parts chosen, and the answers of each part's own form.
    chosen: Sequence[str] = ()
    part_answers: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    attachments: Sequence[UUID] = ()


def ask_for(asker: Person, wish: Wish, acting: Acting) -> Ticket:
    """Take a request, start its approval route, or fulfil it when none is needed.

    Several lines become parts of one request. `Invalid` keeps all that was typed with the
    page: nothing has been made then.
    """
    if not wish.lines:
        raise Invalid("Choose what you need.", fields={"lines": "There is nothing chosen."})
    if len(wish.lines) > MOST_LINES:
        raise Invalid(f"At most {MOST_LINES} things at once.")
    book = current()
    beneficiary = wish.beneficiary or asker
    if not beneficiary.is_active:
        raise Invalid(f"{beneficiary.name} does not work here any more.")
    with transaction.atomic():
        if len(wish.lines) > 1:
            return _several(asker, beneficiary, wish, acting, book)
        line = wish.lines[0]
        if line.key in book.bundles:
            return _bundle(asker, beneficiary, wish, acting, book)
        item = _item(book, line.key, beneficiary)
        return _take(
            asker,
            beneficiary,
            item,
            acting,
            book,
            answers=_accepted(book, item, line.answers),
            reason=wish.reason,
            attachments=_files(wish, book),
        )


def open_part(parent: Ticket, key: str, answers: Mapping[str, Any], acting: Acting) -> Ticket:
    """Open one part of a request as a request of its own, under its one holder's eyes."""
    book = edition(parent.edition)
    item = book.items[key]
    # What the whole was approved with may cover a part; what it does not asks its own people.
    has_route = not (facts_of(parent).is_bundle and _is_covered(book, parent, item))
    return _take(
        parent.requester,
        parent.beneficiary or parent.requester,
        item,
        acting,
        book,
        answers=dict(answers),
        parent=parent,
        has_route=has_route,
        named_for=named_for(book.bundles.get(facts_of(parent).item) or {}, parent.values),
    )


def named_for(bundle: Mapping[str, Any], answers: Mapping[str, Any]) -> str:
    """Whom a bundle and its parts are for, where one of its answers names them: somebody new."""
    return " ".join(str(answers.get(bundle.get("named_by") or "") or "").split())[:80]


def _is_covered(book: Book, parent: Ticket, item: Mapping[str, Any]) -> bool:
    whole, own = book.routes.get(parent.route), book.routes.get(str(item.get("route") or ""))
    return own is None or (whole is not None and covers(whole, own))


def _bundle(asker: Person, beneficiary: Person, wish: Wish, acting: Acting, book: Book) -> Ticket:
    line = wish.lines[0]
    bundle = book.bundles[line.key]
    if not catalogue.may_ask(bundle, about_person(beneficiary)):
        raise Missing("There is no such thing to ask for.")
    common = _accepted(book, bundle, line.answers)
    parts = catalogue.parts_of(bundle, book.items, common, wish.chosen, about_person(beneficiary))
    taken = [part for part in parts if part.is_chosen]
    if not taken:
        raise Invalid("Choose at least one part.", fields={"chosen": "There is nothing chosen."})
    wrong: dict[str, str] = {}
    answers: dict[str, dict[str, Any]] = {}
    for part in taken:
        given = {**part.answers, **wish.part_answers.get(part.item, {})}
        try:
            answers[part.item] = _accepted(book, book.items[part.item], given)
        except Invalid as error:
            wrong.update(
                {
                    f"{part.item}.{name}": says
                    for name, says in error.extra.get("fields", {}).items()
                }
            )
    if wrong:
        raise Invalid("Some of the parts need an answer.", fields=wrong)
    cost = catalogue.total(parts)
    return _take(
        asker,
        beneficiary,
        bundle,
        acting,
        book,
        answers=common,
        reason=wish.reason,
        attachments=_files(wish, book),
        cost=cost,
        parts=answers,
        is_bundle=True,
        named_for=named_for(bundle, common),
    )


def _several(asker: Person, beneficiary: Person, wish: Wish, acting: Acting, book: Book) -> Ticket:
    """Several lines at once: one request whose parts go their own ways."""
    keys = [line.key for line in wish.lines]
    if len(set(keys)) < len(keys):
        raise Invalid("The same thing is in it twice.", fields={"lines": "Leave one out."})
    answers, cost, names = {}, catalogue.Cost(), []
    for line in wish.lines:
        item = _item(book, line.key, beneficiary)
        answers[line.key] = _accepted(book, item, line.answers)
        cost += catalogue.cost_of(item)
        names.append(str(item["name"]))
    name = f"{', '.join(names[:-1])} and {names[-1]}"
    first = book.items[keys[0]]
    offer = {"key": "", "name": name[:120], "team": first.get("team", "")}
    return _take(
        asker,
        beneficiary,
        offer,
        acting,
        book,
        answers={},
        reason=wish.reason,
        attachments=_files(wish, book),
        cost=cost,
        parts=answers,
    )


def _files(wish: Wish, book: Book) -> list[UUID]:
    """Every upload of a request: with its reason, and among its answers."""
    answers = [*(line.answers for line in wish.lines), *wish.part_answers.values()]
    found = [one for given in answers for one in files_in(given, book.fields)]
    return list(dict.fromkeys([*wish.attachments, *found]))


_TOLD = ("choice", "several choices", "text")
_MOST_TOLD, _LONGEST_TOLD = 2, 40


def _telling(answers: Mapping[str, Any], offer: Mapping[str, Any], book: Book, named: str) -> str:
    """The first answers that tell one request for a thing from another: ": 15 inches, Saltgate".

    Whom the title names already (`named`) is not told twice.
    """
    form = book.forms.get(str(offer.get("form") or "")) or {}
    said = []
    for entry in form.get("fields") or ():
        kind = book.fields.get(entry["field"], {}).get("type")
        answer = answers.get(entry["field"])
        words = ", ".join(answer) if isinstance(answer, list) else answer
        if kind not in _TOLD or not isinstance(words, str) or "\n" in words:
            continue
        if 0 < len(words) <= _LONGEST_TOLD and words != named:
            said.append(words)
    return f": {', '.join(said[:_MOST_TOLD])}" if said else ""


def _take(
    asker: Person,
    beneficiary: Person,
    offer: Mapping[str, Any],
    acting: Acting,
    book: Book,
    *,
    answers: Mapping[str, Any],
    reason: str = "",
    attachments: Sequence[UUID] = (),
    cost: catalogue.Cost | None = None,
    parts: Mapping[str, Any] | None = None,
    parent: Ticket | None = None,
    is_bundle: bool = False,
    has_route: bool = True,
    named_for: str = "",
) -> Ticket:
    price = cost or catalogue.cost_of(offer)
    service = Service.objects.select_related("team").filter(name=offer.get("service", "")).first()
    team = Team.objects.filter(name=offer.get("team", "")).first()
    fulfils = team or (service.team if service else None)
    for_whom = f" for {beneficiary.name}" if beneficiary.pk != asker.pk else ""
    if named_for:
        for_whom = f" for {named_for}"
    ticket = log_ticket(
        NewTicket(
            requester=asker,
            title=f"{offer['name']}{for_whom}{_telling(answers, offer, book, named_for)}"[:200],
            text=reason,
            channel=Channel.PORTAL,
            service=service,
            place=beneficiary.place,
            impact=_IMPACT,
            urgency=_URGENCY,
            category=str(offer.get("category") or ""),
            values=answers,
            ci=item_named(answers, book.fields),
            attachments=attachments,
            parent=parent,
            is_part=parent is not None,
            kind=KIND,
            beneficiary=beneficiary,
            route=str(offer.get("route") or "") if has_route else "",
            given_team=(fulfils, f"it fulfils “{offer['name']}”") if fulfils else None,
            # Asking for something is no secret; what is reported to such a service is.
            is_secret_by_service=False,
            facts=lambda ticket: RequestFacts(
                ticket=ticket,
                item=str(offer["key"]),
                item_name=str(offer["name"]),
                is_bundle=int(is_bundle),
                once_pence=price.once_pence,
                monthly_pence=price.monthly_pence,
                delivery=str(offer.get("delivery") or ""),
                parts=dict(parts or {}),
            ),
        ),
        acting,
    )
    with writing(ticket.pk, Acting(person=None, now=acting.now)) as write:
        routes.begin(write)
    ticket.refresh_from_db()
    return ticket


def _item(book: Book, key: str, beneficiary: Person) -> Mapping[str, Any]:
    item: Mapping[str, Any] | None = book.items.get(key)
    if item is None or not catalogue.may_ask(item, about_person(beneficiary)):
        raise Missing("There is no such thing to ask for.")
    return item


def _accepted(
    book: Book, offer: Mapping[str, Any], answers: Mapping[str, Any], *, is_new: bool = True
) -> dict[str, Any]:
    form = book.forms.get(offer.get("form") or "")
    if form is None:
        return {}
    given = without_old_files(answers, book.fields) if is_new else answers
    return forms.accept_form(book, form, "requester", given)


def change_answers(ticket_id: int, acting: Acting, answers: Mapping[str, Any]) -> Ticket:
    """Change what was answered; stages whose conditions or facts it touches are asked again."""
    with writing(ticket_id, acting) as write:
        ticket = write.ticket
        book = edition(ticket.edition)
        person = acting.person
        is_theirs = person is not None and person.pk == ticket.requester_id
        # Nobody: the whole that it is a part of was changed.
        if person is not None and not is_theirs and not write.by_desk():
            raise Refused("Only who asked, or the desk, changes the answers.")
        if not ticket.is_open:
            raise Conflict(f"This is {write.state_name}: ask again instead.")
        facts = facts_of(ticket)
        offer = book.items.get(facts.item) or book.bundles.get(facts.item)
        if offer is None:
            raise Invalid("There is nothing to answer here.")
        accepted = _accepted(book, offer, {**ticket.values, **answers}, is_new=False)
        changed = {
            name: [ticket.values.get(name), accepted.get(name)]
            for name in {*accepted, *ticket.values}
            if ticket.values.get(name) != accepted.get(name)
        }
        if not changed:
            return ticket
        for name in changed:
            set_custom(ticket, name, accepted.get(name), book)
        ticket.ci = item_named(accepted, book.fields) or ticket.ci
        files = files_in(answers, book.fields)
        write.afterwards(lambda: attach(ticket, files, write.events[0].id, acting))
        write.record(
            RequestEvent.ANSWERS_CHANGED,
            audience=Audience.EVERYBODY,
            by_desk=not is_theirs,
            values={
                "set": {str(book.fields[name]["label"]): pair[1] for name, pair in changed.items()}
            },
        )
        if facts.is_bundle:
            _hand_on(write, offer, accepted, set(changed))
        routes.reopen_touched(write, sorted(changed))
    return write.ticket


def _hand_on(
    write: RecordWrite, bundle: Mapping[str, Any], accepted: Mapping[str, Any], changed: set[str]
) -> None:
    """Common answers of a bundle that changed go on to the parts that they are filled into,
    those still to be opened and those that are open."""
    ticket, facts = write.ticket, facts_of(write.ticket)
    filled = {
        part["item"]: {
            name: accepted.get(common)
            for name, common in (part.get("fill") or {}).items()
            if common in changed
        }
        for part in bundle["parts"]
        if part["item"] in facts.parts
    }
    facts.parts = {
        item: {**answers, **filled.get(item, {})} for item, answers in facts.parts.items()
    }
    facts.save(update_fields=["parts"])
    for child in ticket.children.filter(
        is_open=True, request_facts__item__in=[key for key in filled if filled[key]]
    ):
        given = {**child.values, **filled[facts_of(child).item]}
        write.afterwards(
            partial(change_answers, child.pk, replace(write.acting, person=None), given)
        )
