"""Meetings of the change advisory board: the agenda that fills itself, and what is decided."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from zoneinfo import ZoneInfo

from django.db import transaction

from gannet.changes.assessing import assess, meeting
from gannet.changes.events import ChangeEvent
from gannet.changes.models import CabMeeting, CabVerdict, Verdict, facts_of
from gannet.changes.reading import goes_to_cab, visible_changes
from gannet.changes.stages import CONDITION
from gannet.people.acting import Acting
from gannet.people.models import Absence, Person, Role, Team
from gannet.rulebook.book import Book, current
from gannet.tickets.actions import approvals
from gannet.tickets.actions.frame import writing
from gannet.tickets.actions.tasks import add_task
from gannet.tickets.models import Approval, ApprovalState, RouteStage, StageState, Ticket
from gannet.tickets.states import state_code, state_name
from gannet.web.errors import Conflict, Invalid, Missing, Refused, Stale
from gannet_core import schedule
from gannet_core.instants import instant_of
from gannet_core.windows import read_zone

MOST_NOTES, MOST_NOTE, MOST_ITEMS = 20_000, 500, 200
_UNDECIDED = ("assess", "authorise")


@dataclass(frozen=True)
class Sitting:
    """One meeting as it is held: when, of which board, and what is on its agenda."""

    at_s: int
    cutoff_s: int
    minutes: int
    zone: ZoneInfo
    board: str
    kept: CabMeeting
    agenda: Sequence[Ticket]
    verdicts: dict[int, CabVerdict]

    @property
    def when(self) -> datetime:
        """When it begins, in its own zone."""
        return instant_of(self.at_s).astimezone(self.zone)

    @property
    def title(self) -> str:
        """The meeting as mails and minutes name it."""
        return f"{self.board or 'Change advisory board'}, {self.when:%A %-d %B %Y, %H:%M}"


def next_at(book: Book, now_s: int) -> int:
    """When the next meeting is that is not over."""
    cab = book.changes.cab
    if not cab:
        raise Missing("The rulebook names no meeting of the CAB.")
    return _first_from(book, now_s - int(cab.get("minutes", 60)) * 60)


def _first_from(book: Book, at_s: int) -> int:
    """The first meeting that begins at an instant or later."""
    return schedule.next_meeting(replace(meeting(book.changes), cutoff_minutes=0), at_s)


def sitting(book: Book, reader: Person, at_s: int) -> Sitting:
    """A meeting with its agenda, as its reader may know of it."""
    cab = book.changes.cab
    if not cab:
        raise Missing("The rulebook names no meeting of the CAB.")
    kept = CabMeeting.objects.filter(at_s=at_s).first()
    known = kept is not None or _first_from(book, at_s) == at_s
    if not known:
        raise Missing("The CAB does not meet then.")
    kept = kept or CabMeeting(at_s=at_s)
    verdicts = {
        one.ticket_id: one
        for one in (kept.verdicts.select_related("by") if kept.pk else CabVerdict.objects.none())
    }
    agenda = _agenda(book, reader, at_s, set(verdicts), is_sent=kept.sent_s is not None)
    return Sitting(
        at_s,
        at_s - int(cab["cutoff_minutes"]) * 60,
        int(cab.get("minutes", 60)),
        read_zone(cab["zone"]),
        str(cab.get("board") or ""),
        kept,
        agenda,
        verdicts,
    )


def _agenda(
    book: Book, reader: Person, at_s: int, decided: set[int], *, is_sent: bool
) -> list[Ticket]:
    """What was decided there, and what waits for this meeting: the riskiest first.

    Once its minutes went out, a meeting has what it decided and nothing else.
    """
    settings = book.changes
    seen = visible_changes(reader)
    rows = {one.pk: one for one in seen.filter(pk__in=decided)}
    if not is_sent:
        when = meeting(settings)
        codes = [state_code(name) for name in _UNDECIDED]
        for one in seen.filter(state__in=codes, is_open=True).order_by("pk")[:2000]:
            submitted = facts_of(one).submitted_s
            if not goes_to_cab(one, settings) or submitted is None:
                continue
            first = schedule.cab_slot(when, submitted, needs_cab=True, is_emergency=False)
            if first is not None and first <= at_s:
                rows[one.pk] = one
    found = sorted(rows.values(), key=lambda one: (-(facts_of(one).points or 0), one.pk))
    return found[:MOST_ITEMS]


def members(one: Sitting) -> list[tuple[Person, str]]:
    """Who is asked to come and why: the board, and the owners of what is on the agenda."""
    found: dict[int, tuple[Person, str]] = {}
    for team in Team.objects.filter(name=one.board):
        for row in team.memberships.select_related("person").order_by("person__name"):
            if row.person.is_active:
                found[row.person_id] = (row.person, "member")
    for person in Person.objects.filter(is_active=True).order_by("name"):
        if person.has_role(Role.CHANGE_MANAGER):
            found.setdefault(person.pk, (person, "change manager"))
    for ticket in one.agenda:
        for touched in ticket.change_items.select_related("item__owner").order_by("id"):
            owner = touched.item.owner
            if owner is not None and owner.is_active:
                found.setdefault(owner.pk, (owner, f"owner of {touched.item.name}"))
    present = set(one.kept.present) - set(found)
    for person in Person.objects.filter(pk__in=present).order_by("name"):
        found[person.pk] = (person, "guest")
    return list(found.values())


def away(people: Iterable[Person], at_s: int) -> set[int]:
    """Which of them are away then."""
    when = instant_of(at_s)
    rows = Absence.objects.filter(
        person__in=[one.pk for one in people], starts_at__lte=when, ends_at__gt=when
    )
    return set(rows.values_list("person_id", flat=True))


def cab_stage(ticket: Ticket, book: Book, board: str) -> RouteStage | None:
    """The stage of a change's route in which the board decides."""
    route = book.routes.get(ticket.route) or {}
    keys = [
        stage["key"]
        for stage in route.get("stages", ())
        if any(one.get("who") == "board" and one.get("of") == board for one in stage["approvers"])
    ]
    return ticket.stages.filter(key__in=keys).order_by("position").first()


def why_not(ticket: Ticket, book: Book, board: str) -> str:
    """Why the board cannot decide on a change now, in words, or nothing."""
    if state_name(ticket.state) == "assess":
        return "It is not assessed yet."
    if state_name(ticket.state) != "authorise":
        return f"It is {state_name(ticket.state)} already."
    stage = cab_stage(ticket, book, board)
    if stage is None:
        return "Its approval route does not ask the board."
    if stage.state == StageState.TO_COME:
        before = ticket.stages.filter(state=StageState.PENDING).order_by("position").first()
        return f"{before.name if before else 'Another stage'} decides first."
    return "" if stage.state == StageState.PENDING else f"The board has {stage.state} it already."


@transaction.atomic
def keep(
    acting: Acting,
    at_s: int,
    *,
    present: Sequence[int],
    notes: str,
    seen_version: int,
) -> CabMeeting:
    """Keep who is there and what was said; what somebody else has written since is not lost."""
    person = manager(acting)
    one = sitting(current(), person, at_s)
    kept = kept_row(at_s)
    if kept.version != seen_version:
        raise Stale("Somebody else has written into it since you opened it.", version=kept.version)
    if len(notes) > MOST_NOTES:
        raise Invalid("The notes are too long.", fields={"notes": f"At most {MOST_NOTES:,}."})
    known = {each.pk for each, _ in members(one)}
    guests = Person.objects.filter(is_active=True, pk__in=set(present) - known)
    known |= set(guests.values_list("pk", flat=True))
    if set(present) - known:
        raise Invalid("There is no such person.", fields={"present": "Choose another."})
    kept.present, kept.notes = list(dict.fromkeys(present)), notes
    kept.version += 1
    kept.save()
    return kept


@transaction.atomic
def decide(acting: Acting, at_s: int, number: int, verdict: str, note: str) -> CabVerdict:
    """Let the meeting decide on a change: its change manager says so in the board's place."""
    person = manager(acting)
    book = current()
    one = sitting(book, person, at_s)
    ticket = next((each for each in one.agenda if each.pk == number), None)
    if ticket is None:
        raise Missing("That change is not on the agenda of this meeting.")
    words = " ".join(note.split())[:MOST_NOTE]
    if verdict not in Verdict.values:
        raise Invalid("Say what the board decided.", fields={"verdict": "Choose one."})
    if verdict != Verdict.AUTHORISED and not words:
        raise Invalid(_ASKED[Verdict(verdict)], fields={"note": "This is empty."})
    day = f"{one.when:%-d %B}"
    if verdict == Verdict.PUT_OFF:
        with writing(number, acting) as write:
            write.record(ChangeEvent.PUT_OFF, text=words, values={"day": day})
            write.tell(write.ticket.holder, "change put off", words)
    else:
        against = why_not(ticket, book, one.board)
        if against:
            raise Conflict(against)
        stage = cab_stage(ticket, book, one.board)
        assert stage is not None
        if verdict == Verdict.ON_CONDITION:
            holder = ticket.holder_id
            given = {"title": words[:200], "phase": CONDITION, "person": holder}
            add_task(number, acting, given)
        _decide_for_the_board(acting, stage, verdict, f"CAB of {day}: {words or 'authorised'}")
    row, _ = CabVerdict.objects.update_or_create(
        meeting=kept_row(at_s),
        ticket=ticket,
        defaults={"verdict": verdict, "note": words, "by": person, "at_s": acting.now_s},
    )
    return row


_ASKED = {
    Verdict.ON_CONDITION: "Say what has to be done before it begins.",
    Verdict.REJECTED: "Say why not: it is what they can act on.",
    Verdict.PUT_OFF: "Say what the board wants to know before it decides.",
}


def _decide_for_the_board(acting: Acting, stage: RouteStage, verdict: str, reason: str) -> None:
    """Decide once for the board, as one of its members or in the place of one."""
    waiting = Approval.objects.filter(
        stage=stage, round=stage.round, state=ApprovalState.PENDING
    ).order_by("pk")
    own = [each for each in waiting if each.asked_of_id == acting.person_id]
    asked = next(iter([*own, *waiting]), None)
    if asked is None:
        raise Conflict("Nobody of the board is asked any more.")
    approvals.decide(
        acting, asked.pk, approves=verdict != Verdict.REJECTED, reason=reason[:MOST_NOTE]
    )


def kept_row(at_s: int) -> CabMeeting:
    """The kept row of a meeting, locked: made when somebody first writes into it."""
    CabMeeting.objects.get_or_create(at_s=at_s)
    return CabMeeting.objects.select_for_update().get(at_s=at_s)


def manager(acting: Acting) -> Person:
    """Who acts, who has to be a change manager."""
    if acting.person is None or not acting.person.has_role(Role.CHANGE_MANAGER):
        raise Refused("Only a change manager runs the meeting.")
    return acting.person


def earlier(ticket: Ticket, at_s: int) -> list[CabVerdict]:
    """What meetings before this one have made of a change."""
    rows = CabVerdict.objects.filter(ticket=ticket, meeting__at_s__lt=at_s)
    return list(rows.select_related("meeting").order_by("meeting__at_s"))


def reasons(ticket: Ticket, book: Book, now_s: int) -> list[str]:
    """What makes most of its risk, in words: the three that add most to its likelihood."""
    weighed = assess(ticket, book, now_s).risk
    parts = sorted(weighed.likelihood_parts, key=lambda part: -part.adds)
    return [part.name for part in parts if part.adds > 0][:3]
