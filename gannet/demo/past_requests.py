"""Two years of requests: asked for, approved or not, brought; told like the incidents."""

from typing import TYPE_CHECKING, Any

from gannet.demo.stories import Story
from gannet.people.models import Person
from gannet.requests.models import RequestFacts, facts_of
from gannet.tickets.approval_events import ApprovalEvent
from gannet.tickets.directory import about_person, case_of, directory_of, route_in_ids
from gannet.tickets.events import TicketEvent
from gannet.tickets.known import item_named
from gannet.tickets.models import Approval, ApprovalState, Channel, RouteStage, StageState, Ticket
from gannet_core import approvals, catalogue, forms
from gannet_core.conditions import fold

if TYPE_CHECKING:
    from gannet.demo.history import History

HOUR = 3600
_WHY = (
    "The old one is worn out.",
    "I have changed to another team.",
    "For the season.",
    "Two of us share one at the moment.",
    "I need it on the ship.",
    "",
    "",
)
_BROUGHT = (
    "It is on your desk.",
    "It was handed over at the terminal office.",
    "It is set up; tell us if something is missing.",
    "Done, you can begin.",
)
_NO = ("Yours is a year old.", "Not in this budget year.", "Please share the one of your team.")
_SHARE = 0.17
_WORDS = {
    "counter": ("1", "2", "3"),
    "account_name": ("quay.two", "stores", "crew.office"),
    "shared_name": ("Stores list", "Berth changes", "Summer plan"),
    "shared_who": ("Everybody of the stores", "The crew planners"),
    "program": ("Chart reader", "Route planner"),
    "move_to": ("Room 12", "The counter office"),
    "old_laptop_tag": ("NM-2107", "NM-1834"),
    "old_number": ("4417", "4102"),
}
_OTHER = ("As before",)
_THINGS = ("Gate 2, Kestrel Point", "Gate 5, Orrin Bay", "Gate 1, Saltgate")


def is_wish(history: "History") -> bool:
    """Whether the next thing somebody wants is a thing, not a repair."""
    return bool(history.book.items) and history.wishes.random() < _SHARE


def wish(history: "History", number: int, opened_s: int) -> tuple[Ticket, Story]:
    """A request for something of the catalogue, as somebody would have asked for it."""
    rng = history.wishes
    requester = rng.choice(history.people)
    offered = [
        item
        for item in history.book.items.values()
        if catalogue.may_ask(item, about_person(requester)) and item.get("is_alone", True)
    ]
    item = rng.choice(offered)
    service = history.services.get(item.get("service", ""))
    teams = {team.name: team for team in history.teams.values()}
    values = _answers(history, item)
    name = str(item["name"])
    ticket = Ticket(
        id=number,
        kind="request",
        title=name,
        title_folded=fold(name),
        requester=requester,
        beneficiary=requester,
        route=str(item.get("route") or ""),
        ci=item_named(values, history.book.fields),
        values=values,
        values_folded={
            key: fold(value) if isinstance(value, str) else value for key, value in values.items()
        },
        service=service,
        category=service.category if service else "",
        place=requester.place,
        channel=Channel.PORTAL,
        impact=3,
        urgency=2,
        priority=3,
        team=teams.get(item.get("team", "")) or history.teams["harbour-desk"],
        edition=history.book.number,
        opened_s=opened_s,
        changed_s=opened_s,
    )
    history.request_facts.append(
        RequestFacts(
            ticket=ticket,
            item=item["key"],
            item_name=name,
            once_pence=int(item.get("once_pence") or 0),
            monthly_pence=int(item.get("monthly_pence") or 0),
            delivery=str(item.get("delivery") or ""),
        )
    )
    return ticket, Story(name, rng.choice(_WHY), rng.choice(_BROUGHT), "")


def _answers(history: "History", item: Any) -> dict[str, Any]:
    rng, found = history.wishes, {}
    form = history.book.forms.get(item.get("form") or "") or {"fields": []}
    for entry in form["fields"]:
        about = history.book.fields.get(entry["field"], {})
        if about.get("choices"):
            found[entry["field"]] = rng.choice(about["choices"])
        elif about.get("type") == "yes/no":
            found[entry["field"]] = rng.random() < 0.3
        elif about.get("type") == "date":
            found[entry["field"]] = "2026-12-01"
        elif about.get("type") == "money":
            found[entry["field"]] = rng.randrange(40, 600, 20)
        elif about.get("type") == "person":
            found[entry["field"]] = rng.choice(history.people).name
        elif about.get("type") == "ci":
            found[entry["field"]] = rng.choice(_THINGS)
        elif about.get("type") != "attachment":
            found[entry["field"]] = rng.choice(_WORDS.get(entry["field"], _OTHER))
    if not form["fields"]:
        return found
    return forms.kept_answers(forms.resolve(form, found, "requester", "submitting"))


class Route:
    """The approval route of a past request: who was asked, when they decided, what it came to."""

    def __init__(self, history: "History", ticket: Ticket) -> None:
        self.rows: list[RouteStage] = []
        self.asked: list[Approval] = []
        self.refusal = ""
        rng, book = history.wishes, history.book
        route = book.routes.get(ticket.route)
        at_s = ticket.opened_s
        if route is None:
            ticket.approval = "automatic"
            return
        in_ids = route_in_ids(dict(route), history.by_mail)
        key = (ticket.requester_id, ticket.service_id, ticket.ci_id)
        if key not in history.directories:
            history.directories[key] = directory_of(ticket, history.relations)
        stages = approvals.ask_all(in_ids, case_of(ticket, book), history.directories[key])
        for position, one in enumerate(stages):
            row = RouteStage(
                ticket=ticket,
                position=position,
                key=one.key,
                name=one.name[:120],
                because=one.because[:300],
                notes=list(one.notes),
                quorum=one.quorum,
                state=StageState.SKIPPED if one.is_skipped or self.refusal else StageState.APPROVED,
            )
            self.rows.append(row)
            if one.is_skipped or self.refusal:
                row.state = StageState.SKIPPED if one.is_skipped else StageState.DROPPED
                continue
            row.since_s = at_s
            wanted = approvals.needed(one.quorum, len(one.people))
            is_refused = rng.random() < 0.06
            for n, approver in enumerate(one.approvers):
                at_s = book.calendar("offices").due_s(
                    at_s, int(3 * HOUR * rng.lognormvariate(0, 0.8)) + 300
                )
                approves = n < wanted and not self.refusal
                state = ApprovalState.REFUSED if is_refused else ApprovalState.APPROVED
                reason = rng.choice(_NO) if approves and is_refused else ""
                self.asked.append(
                    Approval(
                        ticket=ticket,
                        stage=row,
                        asked_of_id=approver.person,
                        asked_by=ticket.requester,
                        because=approver.because[:300],
                        what=f"{one.name}: {ticket.title}"[:500],
                        cost_pence=facts_of(ticket).once_pence or None,
                        state=state if approves else ApprovalState.NOT_NEEDED,
                        reason=reason,
                        asked_s=row.since_s,
                        decided_s=at_s,
                        decided_by_id=approver.person if approves else None,
                    )
                )
                self.refusal = self.refusal or reason
                if n + 1 >= wanted or self.refusal:
                    break
            row.ended_s = at_s
            if self.refusal:
                row.state = StageState.REFUSED
        decided = any(row.state == StageState.APPROVED for row in self.rows)
        ticket.approval = "refused" if self.refusal else "approved" if decided else "automatic"


def tell_route(teller: Any, route: Route, people: dict[int, Person]) -> bool:
    """The decisions as events, the request waiting meanwhile; False when it was refused."""
    if route.asked:
        names = ", ".join(people[one.asked_of_id].name for one in route.asked[:2])
        teller._wait("approval", f"{names} approves")
        for one in route.asked:
            teller._go(one.decided_s)
            if one.decided_by_id is None:
                continue
            teller._entry(
                TicketEvent.APPROVAL_DECIDED,
                people[one.decided_by_id],
                by_desk=False,
                public=False,
                text=one.reason,
                facts={"decision": str(one.state)},
                values={"what": one.what, "state": str(one.state)},
            )
    words = {"automatic": "pre-approved"}.get(teller.ticket.approval, teller.ticket.approval)
    teller._entry(ApprovalEvent.ROUTE_ENDED, None, text=route.refusal, values={"what": words})
    if route.refusal:
        teller._entry(TicketEvent.CANCELLED, None)
        teller.ticket.closed_s = teller.at
        return False
    if route.asked:
        teller._resume(None)
    return True
