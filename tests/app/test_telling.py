"""The frame tells whoever delivers, in the transaction of the act, and knows nobody by name."""

from collections.abc import Callable, Iterator
from typing import Any

import pytest
from django.db import transaction

from gannet.messages import listener
from gannet.people.models import Person
from gannet.tickets import actions, kinds, telling
from gannet.tickets.actions import effects
from gannet.tickets.models import Ticket
from gannet.web import numbers, problems
from gannet.web.errors import Refused
from gannet_core.rules import ACTIONS
from tests.app.test_engine import leaf, publish, rule

pytestmark = pytest.mark.django_db


class Ear:
    """Somebody who delivers nothing, and remembers what they were told."""

    def __init__(self) -> None:
        self.heard: list[tuple[str, tuple[Any, ...], bool]] = []

    def __getattr__(self, name: str) -> Callable[..., Any]:
        def hear(*said: Any, **more: Any) -> Any:
            inside = transaction.get_connection().in_atomic_block
            self.heard.append((name, (*said, *more.values()), inside))
            return {"was_sent": False, "kept": [], "withdraw": 0}.get(name)

        return hear

    def named(self, name: str) -> list[tuple[Any, ...]]:
        return [said for heard, said, _ in self.heard if heard == name]

    def told(self) -> list[tuple[str, str]]:
        """Who was told of which event."""
        return [
            (want.person.name if want.person else want.address, want.name)
            for said in self.named("queue")
            for want in said[4]
        ]


@pytest.fixture
def ear(northmere: None) -> Iterator[Ear]:
    ear = Ear()
    telling.listen(ear)  # type: ignore[arg-type]
    yield ear
    telling._listening.remove(ear)  # type: ignore[arg-type]


def test_an_act_tells_those_whom_it_concerns_and_nobody_of_their_own(
    ear: Ear,
    log: Callable[..., Ticket],
    by: Callable[[str | None], Any],
    person: Callable[[str], Person],
) -> None:
    ticket = log("Maeve", "Boarding gates")
    assert ("Maeve Tarrant", "logged") in ear.told()
    actions.take(ticket.pk, by("Signe"), force=True)
    ear.heard.clear()
    actions.reply(ticket.pk, by("Signe"), "Which gate?")
    assert ear.told() == [("Maeve Tarrant", "replied")]
    actions.requester_writes(ticket.pk, by("Maeve"), "The left one.")
    assert ear.told()[1:] == [("Signe Hallam", "requester wrote")]
    assert all(inside for _, _, inside in ear.heard), "told in the transaction of the act"


def test_what_is_taken_back_is_withdrawn_and_what_is_removed_forgotten(
    ear: Ear, log: Callable[..., Ticket], by: Callable[[str | None], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.take(ticket.pk, by("Signe"), force=True)
    actions.reply(ticket.pk, by("Signe"), "The password is swordfish.")
    said = ticket.events.get(kind="replied")
    ear.heard.clear()
    actions.undo(ticket.pk, by("Signe"))
    assert ear.named("withdraw") == [(said.pk,)]
    actions.redact_text(ticket.pk, by("Signe"), said.pk, "a password")
    (forgotten,) = ear.named("forget")
    assert forgotten[1:] == (said.pk, "The password is swordfish.")
    (place,) = [inside for name, _, inside in ear.heard if name == "kept"]
    assert ear.named("empty") and place is not None


def test_a_rule_posts_by_whoever_posts(
    ear: Ear, log: Callable[..., Ticket], by: Callable[[str | None], Any]
) -> None:
    def change(document: dict[str, Any]) -> None:
        document["hooks"] = [{"key": "ear", "name": "Ear", "url": "http://localhost/ear"}]
        document["rules"].append(
            rule(
                when=["created"],
                then=[{"do": "webhook", "hook": "ear"}],
                **{"if": leaf("kind", "is", "incident")},
            )
        )

    publish(change)
    ticket = log("Maeve", "Boarding gates")
    ((hook, told, why, _),) = ear.named("post")
    assert (hook["key"], told.pk, why) == ("ear", ticket.pk, "the rule “Test”")


def test_without_anybody_who_delivers_it_is_said_what_is_missing(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(telling, "_listening", [])
    with pytest.raises(RuntimeError, match="nobody delivers"):
        telling.messenger()


def test_mail_and_notifications_do_all_that_the_frame_may_ask() -> None:
    asked = {name for name in vars(telling.Messenger) if not name.startswith("_")}
    assert asked - set(listener.__all__) == set()
    assert telling.messenger() is listener


def test_every_action_of_a_rule_is_carried_out_by_somebody() -> None:
    """What is no field and no assignment has to be carried out, and nothing else is."""
    set_by_the_frame = {"set", "assign team", "assign person"}
    assert set(effects._carries_out) == set(ACTIONS) - set_by_the_frame


def test_an_action_of_an_app_that_is_gone_harms_nobody(
    log: Callable[..., Ticket], by: Callable[[str | None], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    with actions.writing(ticket.pk, by("Signe")) as write:
        effects.carry_out(write, "ring a bell", {}, "a rule")
    assert not ticket.events.filter(text__contains="bell").exists()


def test_numbers_are_shared_by_all_that_has_one(
    log: Callable[..., Ticket], by: Callable[[str | None], Any], person: Callable[[str], Person]
) -> None:
    from gannet.knowledge.actions import write_article

    fault = log("Maeve", "Boarding gates")
    article = write_article(by("Signe"), {"title": "Gates", "body": "Turn it off."})
    assert article.pk == fault.pk + 1 == log("Maeve", "Boarding gates").pk - 1
    assert numbers.next_number() == article.pk + 2


def test_a_denial_reaches_everybody_who_wants_to_know(
    northmere: None, monkeypatch: pytest.MonkeyPatch, api: Callable[[str], Any]
) -> None:
    heard: list[Any] = []
    monkeypatch.setattr(problems, "_denial_listeners", [*problems._denial_listeners])
    problems.on_denial(lambda *said: heard.append(said))
    assert api("Maeve").get("/api/working").status_code == 403
    ((who, asked, reason),) = heard
    assert asked == "GET /api/working" and reason == "This part is for the desk." and who


def test_a_kind_that_forbids_is_asked_before_the_frame_allows(
    log: Callable[..., Ticket], by: Callable[[str | None], Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    from dataclasses import replace

    from gannet.tickets.policies import Decision

    def never(person: Person, act: str, ticket: Ticket) -> Decision | None:
        return Decision(False, "Not on a Monday.") if act == "noted" else None

    ticket = log("Maeve", "Boarding gates")
    monkeypatch.setitem(kinds._kinds, "incident", replace(kinds.usual(), may=never))
    with pytest.raises(Refused, match="Not on a Monday"):
        actions.note(ticket.pk, by("Signe"), "for the desk")
    actions.take(ticket.pk, by("Signe"), force=True)
