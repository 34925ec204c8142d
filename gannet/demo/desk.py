"""What the desk keeps at Northmere: articles, phrases, routines, hints, views, and today's
tasks, questions, reminders and links."""

import random
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from gannet.estate.models import Service
from gannet.knowledge.actions import set_article_state, write_article
from gannet.people.models import Person, Team
from gannet.tickets import actions, prepared
from gannet.tickets.actions import Acting, own, views
from gannet.tickets.models import (
    Phrase,
    Routine,
    StateCode,
    SurveyAnswer,
    Ticket,
    TimeEntry,
)
from gannet_core.instants import seconds_of

# title, service, for everybody, body
ARTICLES: Sequence[tuple[str, str, bool, str]] = (
    (
        "A till prints blank tickets",
        "Ticket office tills",
        True,
        "The roll is in the wrong way round, or it is not heat paper.\n\n1. Open the lid.\n"
        "2. Scratch the paper: a dark line means heat paper.\n3. Put the roll in so that the "
        "paper comes from below.\n4. Print a test slip with the two outer keys.",
    ),
    (
        "Boarding gate rejects every barcode",
        "Boarding gates",
        False,
        "Beep and red for every ticket means that the reader head is dirty or has failed.\n\n"
        "* Wipe the glass with a dry cloth.\n* Restart the gate from its service panel.\n"
        "* Swap the reader head: a spare is in each terminal office.",
    ),
    (
        "The ship-to-shore link is slow in port",
        "Ship-to-shore link",
        False,
        "In port the ship should use the quay network. Check on the bridge panel that *quay* is "
        "lit; if it is not, ask the quay hand to plug in the shore line.",
    ),
    (
        "Reset your own password",
        "Mail and calendar",
        True,
        "At the sign-in page choose *I cannot sign in*, and answer on your phone. It works from "
        "any terminal. After five wrong tries wait a quarter of an hour.",
    ),
    (
        "Connect to the Wi-Fi on board",
        "Passenger Wi-Fi",
        True,
        "Choose *Northmere on board*. A page opens by itself; if it does not, open any page. "
        "Crew use *Northmere crew* and their own sign-in.",
    ),
    (
        "My laptop does not wake up",
        "Workplace laptops",
        True,
        "Hold the power key for ten seconds, let go, press it once. If the light blinks amber, "
        "charge it for half an hour first.",
    ),
    (
        "A manifest does not arrive at the port",
        "Freight manifest",
        False,
        "Look at the outbox of the manifest: a row marked *held* waits for a missing weight. "
        "Fill it in and send again; the port answers within two minutes.",
    ),
    (
        "Dial tone but no outside calls",
        "Terminal phones",
        False,
        "The line has been set to house calls only. Take the handset to the exchange page and "
        "tick *outside*; it takes effect at the next call.",
    ),
)

PHRASES: Sequence[tuple[str, str, str]] = (
    (
        "everybody",
        "Which device",
        "Hello {name},\n\ncould you tell us the name on the sticker of the device? It begins with "
        "NM. Then we look at the right one.\n\n{actor}",
    ),
    (
        "everybody",
        "Still not working?",
        "Hello {name},\n\nwe believe that {number} is solved. Could you try once more and tell us? "
        "If we hear nothing, we close it in three working days.\n\n{actor}",
    ),
    (
        "everybody",
        "We are on it",
        "Hello {name},\n\nwe are looking into this now. You will hear from us by {fix_by} at the "
        "latest.\n\n{actor}, {team}",
    ),
    (
        "harbour-desk",
        "Call back",
        "Hello {name},\n\nwe tried to reach you by phone. When can we call you, and on which "
        "number?\n\n{actor}",
    ),
    (
        "harbour-desk",
        "On-site visit",
        "Hello {name},\n\na colleague from Quayside Support comes by. Please keep the device where "
        "it is.\n\n{actor}",
    ),
    (
        "ship-systems",
        "Next port call",
        "Hello {name},\n\nwe come on board at your next port call. Please tell the mate on watch."
        "\n\n{actor}",
    ),
)

ROUTINES: Sequence[tuple[str, str, list[dict[str, Any]]]] = (
    (
        "harbour-desk",
        "Ask which device, then wait",
        [
            {
                "act": "reply",
                "params": {
                    "text": "Hello {name},\n\ncould you tell us the name on the sticker of the "
                    "device? It begins with NM.\n\n{actor}"
                },
            },
            {"act": "wait", "params": {"on": "requester", "reason": "The name on the sticker"}},
        ],
    ),
    (
        "harbour-desk",
        "Paper roll the wrong way round",
        [
            {"act": "change", "params": {"add_tags": ["paper"]}},
            {
                "act": "resolve",
                "params": {
                    "what": "The paper roll was in the wrong way round; turned it and printed a "
                    "test slip.",
                    "cause": "Handling",
                },
            },
        ],
    ),
    (
        "everybody",
        "Take it and say so",
        [
            {"act": "take", "params": {}},
            {
                "act": "reply",
                "params": {"text": "Hello {name},\n\nI have it and look at it now.\n\n{actor}"},
            },
        ],
    ),
)

HINTS: Sequence[tuple[str, str, str]] = (
    ("Boarding gates", "", "Ask first whether the other gates read: one gate is a reader head, "
     "all gates are the network."),
    ("Ticket office tills", "", "Most blank slips are the roll. Ask for the scratch test before "
     "sending anybody."),
    ("Ship-to-shore link", "", "At sea nobody can swap anything: note the next port call and its "
     "time on the ticket."),
    ("Payroll", "", "Never write amounts into a reply. Payroll tickets stay confidential."),
)  # fmt: skip

CAUSES = {
    "Ticket office tills": ["Handling", "Worn part", "Software fault"],
    "Boarding gates": ["Worn part", "Network", "Software fault"],
    "Ship-to-shore link": ["Network", "Weather", "Supplier"],
    "Mail and calendar": ["Handling", "Wrong rights", "Software fault"],
    "Workplace laptops": ["Worn part", "Software fault", "Handling"],
}
_OTHER_CAUSES = ["Software fault", "Handling", "Wrong rights", "Not found"]

SURVEYS = {
    "Boarding gates": [
        {"key": "queue", "label": "Did passengers have to wait because of it?"},
        {"key": "told", "label": "Did you know what was going on?"},
    ],
    "Ticket office tills": [{"key": "sold", "label": "Could you sell tickets meanwhile?"}],
}
_SAID = {
    5: ["Quick and friendly.", "Perfect, thank you!", "", "", "Solved in one call."],
    4: ["Good, a little slow.", "", "", "Fine."],
    3: ["Had to explain it twice.", "", "It took a day."],
    2: ["Nobody told me for hours.", "Came back the next day."],
    1: ["Closed, but it was not solved."],
}


def make_ready(now: datetime) -> None:
    """Articles, phrases, routines, hints, views – kept by the people of the desk."""
    people = {person.name: person for person in Person.objects.all()}
    services = {service.name: service for service in Service.objects.all()}
    teams = {team.key: team for team in Team.objects.all()}
    lead = Acting(person=people["Marit Osei"], now=now - timedelta(days=200))
    for title, service, is_public, body in ARTICLES:
        kept = write_article(
            lead,
            {
                "title": title,
                "body": body,
                "service": services[service],
                "category": services[service].category,
                "for_everybody": int(is_public),
            },
        )
        set_article_state(lead, kept.pk, "published")
    marit = people["Marit Osei"]
    for model, rows in ((Phrase, PHRASES), (Routine, ROUTINES)):
        for owner, name, what in rows:
            is_all = owner == "everybody"
            row = model(name=name, team=None if is_all else teams[owner])
            if isinstance(row, Phrase):
                row.text = str(what)
            elif isinstance(row, Routine):
                row.acts = prepared.checked_acts(what)  # type: ignore[arg-type]
            row.save()
    for service, category, text in HINTS:
        prepared.keep_hint(
            lead, {"text": text, "service": services[service].pk, "category": category}
        )
    for name, questions in SURVEYS.items():
        Service.objects.filter(name=name).update(survey=questions)
    _views(marit, people["Signe Hallam"], teams, now)


def _views(marit: Person, signe: Person, teams: dict[str, Team], now: datetime) -> None:
    is_open = {"field": "open", "op": "is", "value": True}
    desk = {"field": "team", "op": "is one of", "value": [teams["harbour-desk"].name]}
    rows: list[tuple[Person, str, list[dict[str, Any]], dict[str, Any]]] = [
        (
            marit,
            "Harbour Desk by person",
            [is_open, desk],
            {"group": "holder", "columns": ["service", "requester", "horizon"]},
        ),
        (
            marit,
            "Reassigned often",
            [is_open, {"field": "hand-overs", "op": ">=", "value": 2}],
            {"sort": "-hand-overs,due", "columns": ["hand-overs", "team", "holder", "horizon"]},
        ),
        (
            signe,
            "Ships waiting for port",
            [is_open, {"field": "place", "op": "is one of", "value": ["Merrow", "Tern"]}],
            {"form": "cards"},
        ),
    ]
    for owner, name, leaves, more in rows:
        view = views.keep_view(
            owner,
            now,
            name=name,
            body={"filter": {"all": leaves}, "sort": "due", **more},
            people=[],
            teams=[teams["harbour-desk"].pk] if owner == marit else [],
            is_pinned=True,
        )
        if owner == marit:
            views.pin(signe, view.pk, is_pinned=name == "Reassigned often")


def remember(seed: int, now: datetime) -> None:
    """What two years left behind: causes, minutes logged, what requesters said."""
    rng = random.Random(seed + 5)
    done = list(
        Ticket.objects.filter(state__in=(StateCode.RESOLVED, StateCode.CLOSED)).select_related(
            "service", "team"
        )
    )
    entries, surveys = [], []
    for ticket in done:
        name = ticket.service.name if ticket.service else ""
        ticket.resolver_id = ticket.holder_id
        ticket.is_first_line = int(ticket.team.is_triage and ticket.hand_overs == 0)
        if rng.random() < 0.7:
            ticket.cause = rng.choice(CAUSES.get(name, _OTHER_CAUSES))
        if ticket.holder_id is not None and rng.random() < 0.45:
            spent = max(5, int(rng.lognormvariate(3.1, 0.7)) // 5 * 5)
            ticket.minutes = spent
            entries.append(
                TimeEntry(
                    ticket=ticket,
                    person_id=ticket.holder_id,
                    minutes=spent,
                    what=rng.choice(["", "", "on the phone", "on site", "looking into it"]),
                    made_s=ticket.resolved_s or ticket.changed_s,
                )
            )
        if ticket.state == StateCode.CLOSED and ticket.closed_s and rng.random() < 0.24:
            score = rng.choices([5, 4, 3, 2, 1], [46, 30, 13, 7, 4])[0]
            ticket.score = score
            surveys.append(
                SurveyAnswer(
                    ticket=ticket,
                    score=score,
                    text=rng.choice(_SAID[score]),
                    asked_s=ticket.closed_s,
                    answered_s=min(ticket.closed_s + rng.randint(300, 90_000), seconds_of(now)),
                )
            )
    columns = ["resolver", "is_first_line", "cause", "minutes", "score"]
    Ticket.objects.bulk_update(done, columns, batch_size=400)
    TimeEntry.objects.bulk_create(entries, batch_size=800)
    SurveyAnswer.objects.bulk_create(surveys, batch_size=800)


def make_today(now: datetime) -> None:
    """Tasks, questions, reminders, time and links on what is open today."""
    people = {person.name: person for person in Person.objects.all()}
    teams = {team.key: team for team in Team.objects.all()}
    signe, marit = people["Signe Hallam"], people["Marit Osei"]
    gate = _open("Gate 3 at Kestrel Point")
    till = _open("Till 2 prints blank")
    hers = list(Ticket.objects.filter(holder=signe, is_open=True).order_by("-pk")[:4])

    def by(person: Person, minutes: float) -> Acting:
        return Acting(person=person, now=now - timedelta(minutes=minutes))

    if gate is not None:
        _tasks_of_gate(gate, by(marit, 40), teams, signe)
        actions.log_time(gate.pk, by(marit, 35), 25, "on the phone with the gate")
        actions.pass_out(gate.pk, by(marit, 12), "development", {}, "Reader reports no error code")
    if till is not None and gate is not None:
        actions.link(till.pk, by(marit, 8), "related to", gate.pk)
    if hers:
        first = hers[0]
        actions.log_time(first.pk, by(signe, 20), 15, "looking into it")
        own.mark(signe, first.pk, seconds_of(now), is_marked=True)
        own.remind(
            signe,
            now,
            at=now + timedelta(minutes=55),
            text="Ring back about the spare part",
            ticket_id=first.pk,
        )
    if len(hers) > 1:
        actions.ask_approval(
            hers[1].pk,
            by(signe, 18),
            of=people["Tomas Wray"],
            what="A licence of the drawing program for one year",
            cost_pence=42_000,
            waits=False,
        )
    asked = next((one for one in hers[2:] if one.requester_id != marit.pk), None)
    if asked is not None:
        actions.ask_approval(
            asked.pk,
            by(signe, 9),
            of=marit,
            what="Send somebody to Vell Island for a day",
            cost_pence=18_500,
            waits=False,
        )


def _tasks_of_gate(gate: Ticket, who: Acting, teams: dict[str, Team], signe: Person) -> None:
    quayside = teams["quayside"]
    for given in (
        {"title": "Swap the reader head", "team": quayside.pk, "estimate_minutes": 30},
        {"title": "Tell the terminal lead how long", "person": signe.pk, "estimate_minutes": 10},
        {"title": "Read ten tickets as a test", "team": quayside.pk, "estimate_minutes": 10},
    ):
        actions.add_task(gate.pk, who, given)
    first, _, last = gate.tasks.order_by("position", "id")[:3]
    actions.change_task(gate.pk, who, last.pk, {"after": [first.pk]})


def _open(title: str) -> Ticket | None:
    return Ticket.objects.filter(title__startswith=title, is_open=True).order_by("-pk").first()
