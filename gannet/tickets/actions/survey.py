"""How it was: asked once after closing, answered with one click from the mail."""

from collections.abc import Mapping
from typing import Any

from gannet.people import mail_keys
from gannet.people.acting import Acting
from gannet.tickets.actions import endings
from gannet.tickets.actions.endings import Ending
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import SurveyAnswer, Ticket
from gannet.tickets.telling import messenger
from gannet.web.errors import Conflict, Invalid, Missing

BEST = 5
LOW = 2
MAX_TEXT = 4_000
OPEN_SECONDS = 30 * 86_400


def _ask_survey(write: RecordWrite, ending: Ending) -> None:
    """Ask the requester, in the act of closing: not for spam, and each ticket once."""
    ticket = write.ticket
    if ending.kind != TicketEvent.CLOSED:
        return
    if ticket.is_spam or ticket.duplicate_of_id or not ticket.requester.is_active:
        return
    if SurveyAnswer.objects.filter(ticket=ticket).exists():
        return
    SurveyAnswer.objects.create(
        ticket=ticket,
        questions=list(ticket.service.survey) if ticket.service else [],
        asked_s=write.acting.now_s,
    )
    write.record(TicketEvent.SURVEY_ASKED, by_desk=False, is_automatic=True)
    write.tell(ticket.requester, "survey")


endings.register(endings.EndingPart(name="survey", drop=_ask_survey))


def answer_survey(
    survey: SurveyAnswer,
    acting: Acting,
    *,
    score: int | None,
    text: str = "",
    answers: Mapping[str, Any] | None = None,
) -> SurveyAnswer:
    """Take the answer; a low score opens a conversation with the desk, not the ticket."""
    if score is not None and not 1 <= score <= BEST:
        raise Invalid(f"A score is 1 to {BEST}.", fields={"score": "Choose one."})
    if acting.now_s - survey.asked_s > OPEN_SECONDS:
        raise Conflict("This was asked too long ago to be answered.")
    with writing(survey.ticket_id, acting) as write:
        survey.refresh_from_db()
        first = survey.answered_s is None
        survey.score = score if score is not None else survey.score
        known = {question["key"] for question in survey.questions}
        given = {key: value for key, value in (answers or {}).items() if key in known}
        survey.answers = {**survey.answers, **given}
        survey.text = text.strip()[:MAX_TEXT] or survey.text
        survey.answered_s = acting.now_s
        survey.save()
        write.ticket.score = survey.score
        write.record(
            TicketEvent.SURVEY_ANSWERED,
            values={"score": survey.score, "answers": survey.answers},
            text=text.strip()[:MAX_TEXT],
            by_desk=False,
        )
        if survey.score is not None and survey.score <= LOW:
            _ask_a_lead(write, survey)
        elif not first:
            messenger().gone(acting.now_s, about=f"low:{survey.ticket_id}")
    return survey


def find_survey(key: str, now_s: int) -> SurveyAnswer:
    """What the key of a mail asks about; `Missing` when it is none, or is good no more."""
    row = mail_keys.find(key, mail_keys.SURVEY)
    if row is None:
        raise Missing("There is no such question.")
    if not mail_keys.is_alive(row, now_s):
        raise Conflict("This link is not good any more.")
    found = SurveyAnswer.objects.select_related("ticket__requester").filter(pk=row.what).first()
    if found is None or found.ticket.requester_id != row.person_id:
        raise Missing("There is no such question.")
    return found


def _ask_a_lead(write: RecordWrite, survey: SurveyAnswer) -> None:
    """Somebody of the team talks to them: its leads are told, else whoever resolved it."""
    ticket = write.ticket
    leads = [
        m.person for m in ticket.team.memberships.filter(is_lead=True).select_related("person")
    ]
    people = leads or ([ticket.resolver] if ticket.resolver else [])
    said = f"{survey.score} of {BEST}" + (f": {survey.text}" if survey.text else "")
    for person in people:
        messenger().notify(
            person,
            "low score",
            f"low:{ticket.pk}",
            f"{ticket.requester.name} says {said}",
            write.acting.now_s,
            ticket=ticket,
            text=ticket.title,
        )


def said_of(ticket: Ticket) -> dict[str, Any] | None:
    """What the requester said, for the ticket's page."""
    survey = SurveyAnswer.objects.filter(ticket=ticket).first()
    if survey is None:
        return None
    return {
        "score": survey.score,
        "text": survey.text,
        "asked_s": survey.asked_s,
        "answered_s": survey.answered_s,
        "answers": [
            {"label": question["label"], "answer": str(survey.answers.get(question["key"], ""))}
            for question in survey.questions
        ],
    }
