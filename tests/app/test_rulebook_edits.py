"""Random edits of the demo's rulebook: the checks refuse them, or everything still works.

An editor removes, empties, swaps and renames entries as an administrator could. Whatever
the checks let through is put in force, and a day of work is done under it: logging, asking,
approving, waiting, resolving, and every page that people open.
"""

import copy
import json
import random
from collections.abc import Callable
from typing import Any

import pytest
from django.db import transaction

from gannet.rulebook import book, schema
from gannet.rulebook.models import Edition
from gannet.tickets import actions
from gannet.tickets.models import Ticket
from gannet.trials.checking import findings_of
from gannet.web.errors import Problem
from gannet_core.errors import GannetError
from gannet_core.findings import ERROR
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Waiting
from tests.app.conftest import LAPTOP, approve_all
from tests.conftest import NOW
from tests.lengths import up_to

pytestmark = pytest.mark.django_db
LISTED = [
    "states", "waits", "calendars", "questions", "categories", "care_tiers", "suppliers", "item_types",
    "agreements", "rules", "tasks", "fields", "forms", "templates", "starters", "items",
    "bundles", "routes", "messages", "notifications", "hooks",
]  # fmt: skip
SEEDS = range(24 - up_to(12, 24), 24)


def edited(document: dict[str, Any], rng: random.Random) -> tuple[dict[str, Any], str]:
    """One to three legal edits, and what they were."""
    made, said = copy.deepcopy(document), []
    for _ in range(rng.randint(1, 3)):
        section = rng.choice([name for name in LISTED if made.get(name)])
        entries = made[section]
        one = rng.choice(entries)
        kind = rng.choice(["remove", "remove", "empty", "swap", "rename", "clear"])
        said.append(f"{kind} {section} {one['key']}")
        if kind == "remove":
            entries.remove(one)
        elif kind == "clear":
            entries.clear()
        elif kind == "rename":
            one["key"] = f"{one['key']}x"[-60:]
        elif kind == "swap":
            rng.shuffle(entries)
        else:
            name = rng.choice(
                [part for part in one if part not in ("key", "name", "label")] or ["key"]
            )
            if isinstance(one[name], list):
                one[name] = []
            elif name != "key":
                del one[name]
    return made, "; ".join(said)


def is_legal(document: dict[str, Any]) -> bool:
    """Whether the editor could save it at all: what is no rulebook is refused as it is typed."""
    try:
        schema.validate(document)
    except GannetError:
        return False
    return True


@pytest.mark.parametrize("seed", SEEDS)
def test_an_edit_is_refused_or_everything_still_works(
    northmere: None, seed: int, api: Callable[[str], Any], by: Any, log: Any, want: Any
) -> None:
    rng = random.Random(seed)
    inforce = Edition.objects.order_by("-number")[0]
    ticket = log("Maeve", "Boarding gates")
    asked = want("Piotr", "laptop", LAPTOP)
    tried = 0
    while tried < 4:
        document, said = edited(inforce.document, rng)
        if not is_legal(document):
            continue
        tried += 1
        if any(one.severity == ERROR for one in findings_of(document, NOW)):
            continue
        with transaction.atomic():
            number = inforce.number + 1
            Edition.objects.create(
                number=number, document=document, published_at=NOW,
                starts_at_s=seconds_of(NOW) - 60, comment=said,
            )  # fmt: skip
            book.forget()
            try:
                a_day_of_work(api, by, log, want, ticket, asked, said)
            finally:
                transaction.set_rollback(True)
        book.forget()


def a_day_of_work(
    api: Any, by: Any, log: Any, want: Any, before: Ticket, asked: Ticket, said: str
) -> None:
    may_refuse = (Problem,)
    offered = {"items": [], "bundles": [], **book.current().document}
    keys = {one["key"] for one in [*offered["items"], *offered["bundles"]]}
    new = log("Maeve", "Ticket office tills")
    for one in (before, new):
        actions.take(one.pk, by("Signe"), force=True)
        actions.reply(one.pk, by("Signe"), "Looking at it.")
        if any(wait["on"] == "requester" for wait in book.current().document["waits"]):
            actions.wait(one.pk, by("Signe"), on=Waiting.REQUESTER, reason="asked which")
        actions.requester_writes(one.pk, by("Maeve"), "The left one.")
        try:
            actions.resolve(one.pk, by("Signe"), "Changed its cable, and tried it with the clerk.")
        except may_refuse as refused:
            # A form of the draft may ask something more first, and says what.
            assert refused.fields, f"{said}: {refused}"
    approve_all(asked)
    if "laptop" in keys:
        try:
            approve_all(want("Piotr", "laptop", LAPTOP))
        except may_refuse as refused:
            assert refused.fields, f"{said}: {refused}"
    pages = {
        "Signe": [
            "/api/lookout", "/api/tickets", "/api/tickets/figures", f"/api/tickets/{new.pk}",
            f"/api/tickets/{asked.pk}", f"/api/tickets/{new.pk}/help", "/api/fields",
            "/api/calendars", "/api/choices",
        ],
        "Maeve": [
            "/api/portal", f"/api/portal/tickets/{new.pk}", "/api/portal/offers?q=laptop",
            "/api/catalogue",
        ],
        "Anneke": ["/api/rulebook/documents/current", "/api/rulebook/words"],
    }  # fmt: skip
    for name, paths in pages.items():
        client = api(name)
        for path in paths:
            answer = client.get(path)
            assert answer.status_code in (200, 404), f"{said}: {path}: {answer.content[:300]!r}"


def test_an_administrators_removal_of_a_calendar_in_use_is_refused_and_not_a_crash(
    api: Callable[[str], Any],
) -> None:
    anneke = api("Anneke")
    anneke.post("/api/rulebook/draft", "{}", "application/json")
    one = next(
        entry for entry in Edition.objects.order_by("-number")[0].document["calendars"]
        if entry["key"] == "offices"
    )  # fmt: skip
    body = {"section": "calendars", "key": "offices", "before": one, "after": None}
    answer = anneke.post("/api/rulebook/draft/edits", json.dumps(body), "application/json")
    assert answer.status_code == 200
    said = anneke.post(
        "/api/rulebook/draft/publish",
        json.dumps({"comment": "tidy up", "version": 2}),
        "application/json",
    )
    assert said.status_code == 409 and "calendar “offices”" in said.json()["detail"]
