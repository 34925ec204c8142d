"""What leaves the room on paper: the situation report, and the report of the review."""

from html import escape
from typing import Any
from zoneinfo import ZoneInfo

from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.utils.text import slugify

from gannet.majors import standing
from gannet.majors.events import MajorEvent
from gannet.majors.impact import figures_json, times_json
from gannet.majors.models import MajorFacts, SituationReport, Update
from gannet.majors.reviewing import follow_ups
from gannet.majors.timeline import timeline
from gannet.majors.updates import DRILL
from gannet.messages.letters import Letter, MadeFile, post
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions.frame import writing
from gannet.tickets.events import TicketEvent
from gannet.web.errors import Invalid, Refused
from gannet.web.markdown import as_html
from gannet.web.pdf import CONTENT_TYPE, as_pdf
from gannet_core.instants import instant_of
from gannet_core.tasks import filled

MOST_TEXT, MOST_TO = 20_000, 50
_TIMES = {
    "to_notice": "from the beginning to the first report",
    "to_declare": "from the first report to declaring",
    "to_first_update": "from declaring to the first update",
    "to_restore": "until all worked again",
    "duration": "from declaring to standing down",
}


SHIPPED_REPORT = """## Where it stands

{summary}

## What it does

- People affected: {people}
- Services reached: {services}
- Running for {duration}

## What happened

{timeline}

## What is done next

{tasks}

## Who does what

{roles}"""


def draft_report(facts: MajorFacts, person: Person, now_s: int) -> str:
    """A situation report by the plan's template, from what all of the room may read."""
    zone = ZoneInfo(person.zone or "Europe/London")
    figures = {one["name"]: one["counts"] for one in figures_json(facts, now_s)}
    entries = timeline(facts, person, is_for_all_only=True, most=400)
    told = [one for one in reversed(entries) if one["label"] or one["how"] != "derived"]
    lines = [f"- {_when(one['at_s'], zone)} {_one_line(one['text'])}" for one in told[-25:]]
    tasks = [one for one in follow_ups(facts) if one["state"] == "open"]
    held = facts.held_roles.filter(to_s=None).select_related("person")
    values = {
        "title": facts.ticket.title,
        "call_sign": facts.call_sign,
        "summary": facts.summary or "Say here what is known.",
        "people": str(figures["people"]),
        "services": str(figures["services"]),
        "duration": _length(figures["duration"]),
        "timeline": "\n".join(lines) or "- Nothing is entered yet.",
        "tasks": "\n".join(f"- {one['title']} ({one['person'] or 'open to all'})" for one in tasks)
        or "- Say here what comes next.",
        "roles": "\n".join(f"- {one.role}: {one.person.name}" for one in held),
    }
    text, _ = filled(str(facts.planned.get("report") or "") or SHIPPED_REPORT, values)
    return text


def send_report(number: int, acting: Acting, text: str, to: list[str]) -> SituationReport:
    """Send a situation report as it was edited, with the PDF; it is kept."""
    words = text.strip()
    if not words:
        raise Invalid("The report is empty.", fields={"text": "This is empty."})
    if len(words) > MOST_TEXT:
        raise Invalid("Say it shorter.", fields={"text": f"At most {MOST_TEXT} characters."})
    addresses = _addresses(to)
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        facts.ticket = write.ticket
        assert acting.person is not None
        if facts.is_drill:
            inside = {one.email for one in standing.people_of(facts)}
            strange = [one for one in addresses if one not in inside]
            if strange:
                raise Refused(f"This is a drill: {strange[0]} is not in it.")
        row = SituationReport.objects.create(
            major=facts, text=words, to=addresses, by=acting.person, at_s=acting.now_s
        )
        count = facts.reports.count()
        file = MadeFile(
            f"{slugify(facts.call_sign)}-{count}.pdf", CONTENT_TYPE, report_pdf(facts, row)
        )
        mark = DRILL if facts.is_drill else ""
        letters = [
            Letter(
                f"situation-{row.pk}", one, f"{mark}{facts.call_sign}: situation report {count}",
                f"{mark}{words}", [file], Person.objects.filter(email=one).first(),
            )
            for one in addresses
        ]  # fmt: skip
        post(letters, acting.now_s, "situation report")
        write.record(MajorEvent.REPORT_SENT, values={"count": len(addresses), "report": row.pk})
    return row


def _addresses(to: list[str]) -> list[str]:
    found = list(dict.fromkeys(" ".join(one.split()).casefold() for one in to if one.strip()))
    if not found:
        raise Invalid("Say to whom it goes.", fields={"to": "Nobody is chosen."})
    if len(found) > MOST_TO:
        raise Invalid(f"At most {MOST_TO} at once.", fields={"to": "Choose fewer."})
    for one in found:
        try:
            validate_email(one)
        except ValidationError as error:
            raise Invalid(f"{one} is no address.", fields={"to": "Correct it."}) from error
    return found


def report_pdf(facts: MajorFacts, row: SituationReport) -> bytes:
    """A situation report on paper, as it was sent."""
    zone = ZoneInfo(row.by.zone or "Europe/London")
    head = _head(facts, f"Situation report, {_when(row.at_s, zone, with_day=True)}, {row.by.name}")
    return as_pdf(facts.call_sign, head + as_html(row.text), f"{facts.call_sign} · Gannet")


def review_pdf(facts: MajorFacts, person: Person, now_s: int) -> bytes:
    """The report of a major incident: times, what happened, what was learned, what follows.

    It has what its reader may read: entries of closed channels are in nobody else's copy.
    """
    zone = ZoneInfo(person.zone or "Europe/London")
    figures = {one["name"]: one for one in figures_json(facts, now_s)}
    times = times_json(facts)
    rows = "".join(
        f"<tr><td>{escape(words)}</td><td class='number'>{_length(times[name])}</td></tr>"
        for name, words in _TIMES.items()
        if times[name] is not None
    )
    parts = [
        _head(facts, f"Review, {_when(now_s, zone, with_day=True)}"),
        "<h2>What it did</h2><table><tbody>",
        f"<tr><td>People affected</td><td class='number'>{figures['people']['counts']}</td></tr>",
        f"<tr><td>Services reached</td><td class='number'>"
        f"{figures['services']['counts']}</td></tr>",
        f"<tr><td>Incidents gathered</td><td class='number'>{facts.gathered}</td></tr>",
        f"{rows}</tbody></table>",
        _section("Summary", facts.review.get("summary") or facts.summary),
        _section("What went well", facts.review.get("well", "")),
        _section("What did not", facts.review.get("badly", "")),
        "<h2>What follows</h2>",
        _list(
            f"{one['title']} – {one['person'] or 'nobody yet'}"
            + (" (done)" if one["state"] == "done" else "")
            for one in follow_ups(facts)
        ),
        "<h2>Timeline</h2><table><tbody>",
    ]
    for one in reversed(timeline(facts, person, most=1_000)):
        who = f" <span class='quiet'>{escape(one['who'])}</span>" if one["who"] else ""
        label = f" <span class='quiet'>[{escape(one['label'])}]</span>" if one["label"] else ""
        parts.append(
            f"<tr><td>{_when(one['at_s'], zone, with_day=True)}</td>"
            f"<td>{escape(one['text'])}{who}{label}</td></tr>"
        )
    parts.append("</tbody></table><h2>What was told</h2><table><tbody>")
    sent = Update.objects.filter(hearers__major=facts, sent_s__isnull=False)
    parts += [
        f"<tr><td>{_when(row.sent_s or 0, zone, with_day=True)}</td>"
        f"<td>{escape(row.hearers.name)}, {row.count}</td><td>{escape(row.text)}</td></tr>"
        for row in sent.select_related("hearers").order_by("sent_s")
    ]
    parts.append("</tbody></table>")
    return as_pdf(facts.call_sign, "".join(parts), f"{facts.call_sign} · Gannet")


def _head(facts: MajorFacts, said: str) -> str:
    drill = "<p><b>Drill: nothing has happened.</b></p>" if facts.is_drill else ""
    return (
        f"<h1>{escape(facts.call_sign)}: {escape(facts.ticket.title)}</h1>{drill}"
        f"<p class='quiet'>Major incident {facts.ticket_id}. {escape(said)}</p>"
    )


def _section(title: str, text: str) -> str:
    if not text:
        return ""
    lines = "".join(f"<p>{escape(line)}</p>" for line in text.splitlines() if line.strip())
    return f"<h2>{escape(title)}</h2>{lines}"


def _list(lines: Any) -> str:
    found = "".join(f"<li>{escape(line)}</li>" for line in lines)
    return f"<ul>{found}</ul>" if found else "<p>Nothing yet.</p>"


def _one_line(text: str) -> str:
    return " ".join(text.split())


def _when(at_s: int, zone: ZoneInfo, *, with_day: bool = False) -> str:
    at = instant_of(at_s).astimezone(zone)
    return f"{at:%-d %B %H:%M}" if with_day else f"{at:%H:%M}"


def _length(seconds: int | None) -> str:
    if seconds is None:
        return ""
    hours, minutes = seconds // 3600, seconds % 3600 // 60
    if hours >= 48:
        return f"{hours // 24} d {hours % 24} h"
    return f"{hours} h {minutes:02} min" if hours else f"{minutes} min"
