"""What the desk does beside talking: many at once, tasks, time, approvals, ties, removal."""

import re
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest

from gannet.audit.events import AuditEvent
from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.estate.models import Service
from gannet.knowledge.models import Article
from gannet.messages import outbox
from gannet.messages.models import Notification, Outgoing, StandInMessage
from gannet.people.models import Membership, Team
from gannet.tickets import actions, mass, prepared, search
from gannet.tickets.actions import Acting, own, survey
from gannet.tickets.actions.outward import look_outside
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import (
    Alert,
    Approval,
    ApprovalState,
    ExternalWork,
    Follower,
    Link,
    Reminder,
    Routine,
    SurveyAnswer,
    Ticket,
    TimeEntry,
)  # fmt: skip
from gannet.tickets.record import Reading, find
from gannet.tickets.states import state_name
from gannet.web.errors import Conflict, Invalid, Missing, Refused
from gannet_core.instants import instant_of, seconds_of
from gannet_core.lifecycle import Waiting
from tests.app.conftest import fire
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
S = seconds_of(NOW)
By = Callable[[str | None], Any]
Log = Callable[..., Any]


def fresh(ticket: Any) -> Ticket:
    return Ticket.objects.get(pk=ticket.pk)


# Several at once


def test_what_the_preview_says_is_what_happens(log: Log, by: By, person: Any) -> None:
    tickets = [log("Maeve", "Boarding gates") for _ in range(4)]
    actions.resolve(tickets[3].pk, by("Signe"), "It is done.")
    ids = [ticket.pk for ticket in tickets]
    params = {"on": "requester", "reason": "Which gate?"}
    before = Event.objects.count()
    seen = mass.preview(person("Signe"), [*ids, 10**6], "wait", params, NOW)
    assert Event.objects.count() == before, "a preview writes nothing"
    assert [row["id"] for row in seen["will"]] == ids[:3] and seen["unknown"] == 1
    assert [row["id"] for row in seen["refused"]] == ids[3:]
    done = mass.do(person("Signe"), ids, "wait", params, NOW)
    assert done["done"] == ids[:3] and "resolved" in done["refused"][0]["why"]
    for row in seen["will"]:
        ticket = Ticket.objects.get(pk=row["id"])
        said = {change["field"]: change["after"] for change in row["changes"]}
        assert said["state"] == "waiting" == state_name(ticket.state)
        assert said.get("due", ticket.due_s) == ticket.due_s
    assert verify()[1] is None


def test_many_at_once_is_the_same_as_one_by_one(log: Log, by: By, person: Any) -> None:
    one, other = log("Maeve", "Boarding gates"), log("Maeve", "Boarding gates")
    params = {"what": "Swapped the reader head.", "cause": "Worn part"}
    actions.resolve(one.pk, by("Signe"), params["what"], cause="Worn part")
    mass.do(person("Signe"), [other.pk], "resolve", params, NOW)
    names = [f.name for f in Ticket._meta.concrete_fields if f.name not in ("id", "rank_s")]
    assert {n: getattr(fresh(one), n) for n in names} == {
        n: getattr(fresh(other), n) for n in names
    }
    told = lambda t: sorted(Outgoing.objects.filter(ticket=t).values_list("to", "event_name"))  # noqa: E731
    assert told(one) == told(other)


def test_many_are_taken_back_where_nothing_happened_since(log: Log, by: By, person: Any) -> None:
    tickets = [log("Maeve", "Boarding gates") for _ in range(3)]
    ids = [ticket.pk for ticket in tickets]
    mass.do(person("Signe"), ids, "take", {}, NOW)
    actions.note(ids[1], by("Marit"), "I look at this one.")
    back = mass.undo(person("Signe"), ids, NOW + timedelta(minutes=3))
    assert back["done"] == [ids[0], ids[2]] and "since" in back["refused"][0]["why"]
    assert fresh(tickets[0]).holder is None and fresh(tickets[1]).holder == person("Signe")


def test_work_handed_to_a_team_in_turn_goes_round(log: Log, person: Any) -> None:
    from tests.app.test_engine import publish

    team = Team.objects.get(name="Harbour Desk")

    def change(document: dict[str, Any]) -> None:
        for entry in document["routing"]["teams"]:
            if entry["team"] == "Harbour Desk":
                entry["mode"] = "in turn"

    publish(change)
    ids = [log("Maeve", "Mail and calendar").pk for _ in range(4)]
    elsewhere = Team.objects.exclude(pk=team.pk).first()
    Ticket.objects.filter(pk__in=ids).update(holder=None, team=elsewhere)
    params = {"team": team.pk, "person": None, "comment": "yours"}
    done = mass.do(person("Signe"), ids, "hand-over", params, NOW)
    holders = list(Ticket.objects.filter(pk__in=done["done"]).values_list("holder", flat=True))
    assert len(holders) == 4 and len(set(holders)) == 4, holders


# Tasks


def test_tasks_have_an_order_and_no_circles(log: Log, by: By) -> None:
    ticket = log("Maeve", "Boarding gates")
    for title in ("order the part", "fit it", "test it"):
        actions.add_task(ticket.pk, by("Signe"), {"title": title})
    part, fit, test = ticket.tasks.order_by("id")
    actions.change_task(ticket.pk, by("Signe"), fit.pk, {"after": [part.pk]})
    actions.change_task(ticket.pk, by("Signe"), test.pk, {"after": [fit.pk]})
    with pytest.raises(Invalid, match="wait for each other"):
        actions.change_task(ticket.pk, by("Signe"), part.pk, {"after": [test.pk]})
    with pytest.raises(Invalid, match="First comes: order the part"):
        actions.set_task(ticket.pk, by("Signe"), fit.pk, "done")
    assert fresh(ticket).open_tasks == 3


def test_everybody_learns_of_their_tasks_when_it_is_their_turn(
    log: Log, by: By, person: Any
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.take(ticket.pk, by("Signe"))
    joss, marit = person("Joss"), person("Marit")
    actions.add_task(ticket.pk, by("Signe"), {"title": "first", "person": joss.pk})
    first = ticket.tasks.get()
    given = {"title": "second", "person": marit.pk, "after": [first.pk]}
    actions.add_task(ticket.pk, by("Signe"), given)
    waiting = Notification.objects.filter(event_name="task given", gone_s=None)
    assert {row.person for row in waiting} == {joss}, "the second must wait"
    actions.set_task(ticket.pk, by("Joss"), first.pk, "done")
    assert {row.person for row in waiting.all()} == {marit}
    told = Outgoing.objects.filter(event_name="task done").get()
    assert told.person == person("Signe") and "1 to go" in told.body


def test_a_ticket_resolves_by_itself_when_the_rulebook_says_so(log: Log, by: By) -> None:
    from tests.app.test_engine import publish

    left, done = log("Maeve", "Boarding gates"), log("Maeve", "Boarding gates")
    for ticket in (left, done):
        actions.add_task(ticket.pk, by("Signe"), {"title": "swap the head"})
    actions.set_task(left.pk, by("Signe"), left.tasks.get().pk, "done")
    assert fresh(left).is_open, "ready to resolve, no more"
    publish(lambda document: document["closing"].update(when_tasks_done=True, conditions=[]))
    actions.set_task(done.pk, by("Signe"), done.tasks.get().pk, "done")
    after = fresh(done)
    assert state_name(after.state) == "resolved" and "swap the head" in after.resolution


# Time, approvals, reminders


def test_time_is_logged_measured_and_counted(log: Log, by: By, at: Any) -> None:
    one, other = log("Maeve", "Boarding gates"), log("Maeve", "Payroll")
    actions.log_time(one.pk, by("Signe"), 25, "on the phone")
    actions.start_timer(one.pk, by("Signe"))
    at.later(minutes=7, seconds=10)
    actions.start_timer(other.pk, by("Signe"))  # stops the one that ran
    assert fresh(one).minutes == 33, "a begun minute counts"
    at.later(minutes=3)
    actions.stop_timer(other.pk, by("Signe"), "wrong number", minutes=2)
    assert fresh(other).minutes == 2
    entry = TimeEntry.objects.filter(ticket=one).first()
    with pytest.raises(Refused):
        actions.drop_time(one.pk, by("Joss"), entry.pk)
    actions.drop_time(one.pk, by("Signe"), entry.pk)
    assert fresh(one).minutes == 8


def test_an_approval_is_asked_and_decided_once(log: Log, by: By, person: Any, at: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    tomas = person("Tomas")
    for wrong in (person("Maeve"), person("Signe")):
        with pytest.raises(Invalid, match="own request"):
            actions.ask_approval(ticket.pk, by("Signe"), of=wrong, what="x")
    actions.ask_approval(ticket.pk, by("Signe"), of=tomas, what="A licence", cost_pence=400_000)
    asked = Approval.objects.get()
    assert fresh(ticket).waiting_on == Waiting.APPROVAL and fresh(ticket).open_approvals == 1
    assert Notification.objects.filter(person=tomas, about=f"approval:{asked.pk}").exists()
    with pytest.raises(Missing):
        actions.decide(by("Marit"), asked.pk, approves=True, reason="")
    with pytest.raises(Invalid, match="why not"):
        actions.decide(by("Tomas"), asked.pk, approves=False, reason=" ")
    at.later(minutes=2)
    actions.decide(by("Tomas"), asked.pk, approves=True, reason="")
    after = fresh(ticket)
    assert state_name(after.state) == "in progress" and after.open_approvals == 0
    assert not Notification.objects.filter(person=tomas, gone_s=None, event_name="approval asked")
    assert Outgoing.objects.filter(event_name="approval decided", person=person("Signe")).exists()
    with pytest.raises(Conflict, match="already"):
        actions.decide(by("Tomas"), asked.pk, approves=False, reason="changed my mind")
    assert Approval.objects.get().state == ApprovalState.APPROVED


def test_a_reminder_comes_back_once_and_can_be_put_off(log: Log, person: Any) -> None:
    ticket, signe = log("Maeve", "Boarding gates"), person("Signe")
    row = own.remind(signe, NOW, at=NOW + timedelta(hours=1), text="ring", ticket_id=ticket.pk)
    assert fire("reminder", S + 3599) == 0
    assert [fire("reminder", S + 3600), fire("reminder", S + 3600)] == [1, 0]
    assert Notification.objects.get(person=signe, gone_s=None).title == "ring"
    own.put_off_reminder(signe, row.pk, instant_of(S + 3700), instant_of(S + 7200))
    assert not Notification.objects.filter(person=signe, gone_s=None).exists()
    assert fire("reminder", S + 7200) == 1
    own.end_reminder(signe, row.pk, S + 7300)
    assert Reminder.objects.get().done_s == S + 7300
    with pytest.raises(Missing):
        own.end_reminder(person("Joss"), row.pk, S)


def test_a_notification_is_one_for_each_thing_and_goes_when_it_is_read(
    log: Log, by: By, person: Any, client: Any
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.take(ticket.pk, by("Signe"))
    mine = Notification.objects.filter(
        person=person("Signe"), gone_s=None, about__startswith="said"
    )
    for words in ("one", "two"):
        actions.requester_writes(ticket.pk, by("Maeve"), words)
    assert mine.get().count == 2 and mine.get().text == "two"
    backend = "gannet.people.signing.SignedInPeople"
    client.force_login(person("Signe"), backend=backend)
    here = f"/api/tickets/{ticket.pk}/presence"
    assert client.post(here, {}, content_type="application/json").status_code == 200
    assert not mine.exists(), "she has read it"
    actions.reply(ticket.pk, by("Signe"), "We come by.")
    hers = Notification.objects.filter(person=person("Maeve"), gone_s=None)
    assert hers.get().event_name == "replied"
    client.force_login(person("Maeve"), backend=backend)
    assert client.get(f"/api/portal/tickets/{ticket.pk}").status_code == 200
    assert not hers.exists()


# Ties


def test_a_duplicate_goes_on_as_the_other(log: Log, by: By, person: Any) -> None:
    one = log("Maeve", "Boarding gates", title="Gate 3 rejects all")
    twin = log("Piotr", "Boarding gates", title="Gate three is red")
    actions.follow(twin.pk, by("Joss"), person("Joss"))
    actions.reply(twin.pk, by("Signe"), "We look into it.")
    actions.merge(twin.pk, by("Signe"), one.pk)
    ended, goes_on = fresh(twin), fresh(one)
    assert not ended.is_open and ended.duplicate_of == one and goes_on.is_open
    followers = set(Follower.objects.filter(ticket=one).values_list("person__name", flat=True))
    assert {person("Piotr").name, person("Joss").name} <= followers
    told = Outgoing.objects.filter(person=person("Piotr"), event_name="merged").get()
    assert str(one.pk) in told.body
    assert Event.objects.filter(ticket=twin, text="We look into it.").exists(), "kept in place"
    read = Reading(find(one.pk, person("Signe")), person("Signe"), seconds_of(NOW)).as_desk_sees()
    woven = [(said["of"], said["text"]) for said in read["conversation"] if said["is_message"]]
    assert (twin.pk, "We look into it.") in woven and woven[0][0] is None
    hers = Reading(find(one.pk, person("Maeve")), person("Maeve"), seconds_of(NOW))
    told_her = hers.as_requester_sees()["conversation"]
    assert all(said["of"] is None for said in told_her), "what was said to another is not hers"
    with pytest.raises(Conflict):
        actions.merge(log("Ines", "Boarding gates").pk, by("Signe"), twin.pk)


def test_nothing_is_merged_into_what_its_people_may_not_read(log: Log, by: By) -> None:
    hidden = log("Maeve", "Safe computing")
    plain = log("Piotr", "Boarding gates")
    with pytest.raises((Conflict, Invalid)):
        actions.merge(plain.pk, by("Signe"), hidden.pk)
    assert fresh(plain).is_open
    # The other way round the open one would show the hidden title.
    Ticket.objects.filter(pk=hidden.pk).update(team=plain.team, holder=None)
    with pytest.raises(Conflict, match="confidential"):
        actions.merge(hidden.pk, by("Signe"), plain.pk)
    assert not Event.objects.filter(ticket=plain, kind=TicketEvent.MERGED).exists()


def test_a_removed_file_is_gone_and_its_row_does_no_harm(
    log: Log, by: By, person: Any, client: Any
) -> None:
    from django.core.files.uploadedfile import SimpleUploadedFile

    from gannet.tickets.files import keep_upload

    ticket, signe = log("Maeve", "Boarding gates"), person("Signe")
    kept = keep_upload(SimpleUploadedFile("keys.txt", b"swordfish"), signe, NOW)
    actions.note(ticket.pk, by("Signe"), "see the file", [kept.pk])
    client.force_login(signe, backend="gannet.people.signing.SignedInPeople")
    assert client.get(f"/api/attachments/{kept.pk}").status_code == 200
    actions.redact_file(ticket.pk, by("Signe"), str(kept.pk), "keys")
    assert client.get(f"/api/attachments/{kept.pk}").status_code == 404
    assert client.get(f"/api/tickets/{ticket.pk}").status_code == 200


def test_links_read_both_ways_and_leave_no_word_of_what_is_hidden(
    log: Log, by: By, person: Any
) -> None:
    from gannet.tickets.record_parts import links_json

    one, other = log("Maeve", "Boarding gates"), log("Piotr", "Boarding gates")
    actions.link(one.pk, by("Signe"), "caused by", other.pk)
    assert links_json(one, person("Signe"))[0]["says"] == "caused by"
    assert links_json(other, person("Signe"))[0]["says"] == "caused"
    Ticket.objects.filter(pk=other.pk).update(is_confidential=1, team=Team.objects.last())
    assert links_json(one, person("Tomas")) == [], "a manager reads all but what is confidential"
    actions.unlink(one.pk, by("Signe"), Link.objects.get().pk)
    assert not Link.objects.exists()


def test_escalating_follows_the_chain_and_stays_at_its_end(log: Log, by: By) -> None:
    from gannet.rulebook.book import current

    ticket = log("Maeve", "Boarding gates")
    chain = current().chains["Boarding gates"]
    seen = [fresh(ticket).team.name]
    for _ in range(len(chain) + 1):
        try:
            actions.escalate(ticket.pk, by("Signe"), "Tried the other gate.")
        except Conflict as end:
            assert "end of the support chain" in str(end)
            break
        seen.append(fresh(ticket).team.name)
    assert seen[-1] == chain[-1] and [name for name in seen if name in chain] == seen[-len(chain) :]


# Words that should not be there


def test_a_pasted_password_is_removed_everywhere(log: Log, by: By, person: Any) -> None:
    secret = "hunter2-swordfish"
    ticket = log("Maeve", "Boarding gates")
    actions.reply(ticket.pk, by("Signe"), f"Use the password {secret} for now.")
    event = Event.objects.get(ticket=ticket, kind=TicketEvent.REPLIED)
    with pytest.raises(Refused):
        actions.redact_text(ticket.pk, by("Joss"), event.pk, "a password")
    raw = f"Message-ID: <{Outgoing.objects.get(event_id=event.pk).message_id.strip('<>')}>\n"
    sent, other = (
        StandInMessage.objects.create(
            received_at=NOW,
            message_id=head.partition(" ")[2].strip(),
            raw=f"{head}From: a@b.example\n\nUse the\npassword {secret} for now.\n".encode(),
        )
        for head in (raw, "Message-ID: <x@elsewhere.example>\n")
    )
    actions.redact_text(ticket.pk, by("Signe"), event.pk, "a password")
    sent.refresh_from_db(), other.refresh_from_db()
    assert secret.encode() not in bytes(sent.raw), "the copy that went out is emptied too"
    assert secret.encode() in bytes(other.raw), "mail of nothing here is left alone"
    assert search.ranked("swordfish", 5) == []
    for model, columns in ((Event, ("text",)), (Outgoing, ("body", "subject")),
                           (Notification, ("text", "title"))):  # fmt: skip
        for column in columns:
            assert not model.objects.filter(**{f"{column}__contains": secret}).exists(), column
    trace = Event.objects.get(kind=AuditEvent.REDACTED)
    assert trace.actor == person("Signe") and trace.facts["reason"] == "a password"
    assert verify()[1] is None


# Crossing words, how it was, routines, runbooks


def test_words_that_crossed_are_shown_before_anything_is_sent(log: Log, by: By) -> None:
    ticket = log("Maeve", "Boarding gates")
    seen = Event.objects.order_by("-id").values_list("id", flat=True)[0]
    actions.requester_writes(ticket.pk, by("Maeve"), "It works again!")
    with pytest.raises(Conflict) as crossed:
        actions.reply(ticket.pk, by("Signe"), "Is gate 3 on?", seen_event=seen)
    assert crossed.value.extra["crossed"]["text"] == "It works again!"
    assert not Event.objects.filter(ticket=ticket, kind=TicketEvent.REPLIED).exists()
    latest = crossed.value.extra["crossed"]["id"]
    actions.reply(ticket.pk, by("Signe"), "Good to hear.", seen_event=latest)


def test_how_it_was_is_asked_once_and_a_low_score_reaches_a_lead(
    log: Log, by: By, person: Any
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.resolve(ticket.pk, by("Signe"), "It is done.")
    actions.close(ticket.pk, by(None))
    asked = SurveyAnswer.objects.get(ticket=ticket)
    mail = Outgoing.objects.get(event_name="survey")
    body = outbox.with_keys(mail, seconds_of(NOW))
    assert re.search(r"/how#gk-[a-z2-7]{32}\?score=5", body)
    survey.answer_survey(asked, by("Maeve"), score=1, text="It is not solved.")
    after = fresh(ticket)
    assert after.score == 1 and not after.is_open, "a conversation is opened, not the ticket"
    lead = Membership.objects.filter(team=after.team, is_lead=True).first().person
    assert Notification.objects.filter(person=lead, event_name="low score").exists()
    with pytest.raises(Invalid):
        survey.answer_survey(asked, by("Maeve"), score=6)
    late = Acting(person=person("Maeve"), now=NOW + timedelta(days=40))
    with pytest.raises(Conflict):
        survey.answer_survey(asked, late, score=5)


def test_a_service_asks_its_own_questions_whose_answers_stay_with_them(
    log: Log, by: By, person: Any
) -> None:
    gates = log("Maeve", "Boarding gates").service
    for who in ("Maeve", "Signe"):
        with pytest.raises(Refused):
            prepared.keep_questions(person(who), gates.pk, [{"label": "Could you board?"}])
    lead = person("Marit")
    first = prepared.keep_questions(lead, gates.pk, [{"label": " Could  you board? "}]).survey
    assert [one["label"] for one in first] == ["Could you board?"]
    key = first[0]["key"]
    asked = [{"label": "New one"}, {"key": key, "label": "Could you still board?"}]
    again = prepared.keep_questions(lead, gates.pk, asked).survey
    assert again[1]["key"] == key and again[0]["key"] != key
    swapped = prepared.keep_questions(lead, gates.pk, [{"key": key, "label": "a"}] * 2).survey
    assert len({one["key"] for one in swapped}) == 2
    for bad in ([{"label": "  "}], [{"label": "x"}] * 9):
        with pytest.raises(Invalid):
            prepared.keep_questions(lead, gates.pk, bad)
    assert Service.objects.get(pk=gates.pk).survey == swapped


def test_a_routine_does_all_of_its_acts_or_none(log: Log, by: By, person: Any) -> None:
    acts = [
        {"act": "take", "params": {}},
        {"act": "reply", "params": {"text": "Hello {name}, I have it. {actor}"}},
        {"act": "wait", "params": {"on": "requester", "reason": "which one"}},
    ]
    routine = Routine.objects.create(name="x", acts=prepared.checked_acts(acts))
    ticket = log("Maeve", "Boarding gates")
    seen = prepared.preview_routine(fresh(ticket), person("Signe"), routine, by("Signe"))
    assert seen["works"] and state_name(fresh(ticket).state) == "new"
    prepared.run_routine(ticket.pk, by("Signe"), routine)
    after = fresh(ticket)
    assert (after.holder, state_name(after.state)) == (person("Signe"), "waiting")
    said = Event.objects.get(ticket=ticket, kind=TicketEvent.REPLIED).text
    assert said == f"Hello Maeve, I have it. {person('Signe').name}"
    done = log("Maeve", "Boarding gates")
    actions.resolve(done.pk, by("Signe"), "It is done.")
    before = Event.objects.filter(ticket=done).count()
    with pytest.raises(Invalid):
        prepared.run_routine(done.pk, by("Signe"), routine)
    assert Event.objects.filter(ticket=done).count() == before


def test_runbooks_and_other_systems_write_what_they_did(log: Log, by: By, person: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    given = {"runbook": "unlock-account", "account": "maeve"}
    actions.pass_out(ticket.pk, by("Signe"), "runbook", given)
    ran = Event.objects.get(ticket=ticket, kind=TicketEvent.RUNBOOK_RAN)
    assert ran.values["state"] == "done" and "maeve" in ran.values["log"][0]
    with pytest.raises(Invalid, match="Account"):
        actions.pass_out(ticket.pk, by("Signe"), "runbook", {"runbook": "unlock-account"})
    actions.take(ticket.pk, by("Signe"))
    actions.pass_out(ticket.pk, by("Signe"), "development", {})
    states = []
    for minutes in (0, 1, 3, 8):
        at = instant_of(S + minutes * 60)
        look_outside(seconds_of(at))
        states.append(ExternalWork.objects.get(kind="development").state)
    assert states == ["noted", "looked into", "fix in a build", "shipped"]
    assert Notification.objects.filter(
        person=person("Signe"), event_name="outside changed"
    ).exists()


def test_an_article_that_helped_is_counted_and_a_new_one_drafted(log: Log, by: By) -> None:
    from gannet.knowledge.actions import set_article_state, write_article
    from gannet.tickets.drafting import draft_of

    lead = by("Marit")
    article = write_article(lead, {"title": "Gates", "body": "Wipe the glass."})
    ticket = log("Maeve", "Boarding gates")
    with pytest.raises(Invalid, match="article"):
        actions.resolve(ticket.pk, by("Signe"), "Wiped the head clean.", article=article.pk)
    set_article_state(lead, article.pk, "published")
    actions.resolve(
        ticket.pk, by("Signe"), "Wiped the head clean.", article=article.pk, cause="Dirt"
    )
    after = fresh(ticket)
    assert (after.article_id, after.cause, after.is_first_line) == (article.pk, "Dirt", 1)
    draft = draft_of(after, by("Signe"))
    assert draft.state == "draft" and "Wiped the head" in draft.body
    numbers = {
        *Ticket.objects.values_list("pk", flat=True),
        *Article.objects.values_list("pk", flat=True),
    }
    assert len(numbers) == Ticket.objects.count() + Article.objects.count(), "one running number"


# Alerts


def signal(key: str, **more: Any) -> Any:
    from gannet.tickets.actions.alerts import Signal

    return Signal(key=key, title=more.pop("title", key), **more)


def test_alerts_are_told_apart_gathered_and_recover(log: Log, by: By) -> None:
    from gannet.estate.models import ConfigItem
    from gannet.tickets.actions.alerts import take_signal

    item = ConfigItem.objects.filter(service__name="Boarding gates").first()
    first, _ = take_signal(signal("ping", ci=item.name), by("Joss"))
    again, did = take_signal(signal("ping", ci=item.name), by("Joss"))
    assert first.pk == again.pk and again.count == 2 and "already" in did
    other, did = take_signal(signal("disk", ci=item.key), by("Joss"))
    assert other.ticket_id == first.ticket_id and "Gathered" in did
    ticket = Ticket.objects.get(pk=first.ticket_id)
    assert ticket.ci == item and ticket.channel == "monitoring"
    take_signal(signal("ping", is_firing=False), by("Joss"))
    assert fresh(ticket).is_open, "one still fires"
    take_signal(signal("disk", is_firing=False), by("Joss"))
    assert state_name(fresh(ticket).state) == "resolved"
    _, did = take_signal(signal("never seen", is_firing=False), by("Joss"))
    assert "nothing to do" in did
    fired, _ = take_signal(signal("ping", ci=item.name), by("Joss"))
    assert fired.ticket_id != ticket.pk, "a resolved ticket is not woken by a new fault"


def test_a_flood_becomes_one_incident(by: By) -> None:
    from gannet.tickets.actions.alerts import FLOOD_TICKETS, take_signal

    for number in range(FLOOD_TICKETS + 12):
        take_signal(signal(f"fault {number}"), by("Joss"))
    is_open = Ticket.objects.filter(channel="monitoring", is_open=True)
    assert is_open.count() == 1
    assert Alert.objects.filter(ticket=is_open.get()).count() == FLOOD_TICKETS + 12
