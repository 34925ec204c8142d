"""Entries of the rulebook as a list: what names each, who changed it, many edited at once."""

import copy
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest

from gannet.rulebook import book
from gannet.rulebook.models import Draft, Edition
from gannet.trials import drafts
from gannet_core import rulebook
from gannet_core.uses import uses_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


@pytest.fixture
def admin(api: Callable[[str], Any]) -> Any:
    book.forget()
    return api("Anneke")


def ask(client: Any, path: str, body: Any = None, status: int = 200) -> Any:
    got = client.post(path, body, "application/json") if body is not None else client.get(path)
    assert got.status_code == status, got.content
    return got.json()


def entries(client: Any, which: str = "force") -> dict[tuple[str, str], Any]:
    rows = ask(client, f"/api/rulebook/entries/{which}")
    return {(one["section"], one["key"]): one for one in rows}


def inforce() -> dict[str, Any]:
    return {**rulebook.empty(), **Edition.objects.order_by("-number")[0].document}


def change(section: str, key: str, **properties: Any) -> dict[str, Any]:
    before = rulebook.entry(inforce(), section, key)
    return {"key": key, "before": before, "after": {**before, **properties}}


def test_each_entry_says_what_names_it(admin: Any) -> None:
    found = entries(admin)
    document = inforce()
    assert {key for section, key in found if section == "items"} == {
        one["key"] for one in document["items"]
    }
    named = [use for use in uses_of(document) if use.section == "routes"]
    for use in named:
        told = found["routes", use.key]["uses"]
        assert {"section": use.by_section, "key": use.by_key, "name": use.by_name,
                "place": use.place} in told  # fmt: skip
    assert all(one["name"] for one in found.values())


def test_who_changed_it_is_the_one_whose_hand_it_was(admin: Any, person: Any) -> None:
    before = inforce()["routes"][0]
    key = before["key"]
    assert entries(admin)["routes", key]["changed"] is None

    drafts.edit(
        person("Anneke"),
        drafts.Change(section="routes", key=key, before=before, after={**before, "name": "New"}),
        NOW,
    )
    in_draft = entries(admin, "draft")["routes", key]["changed"]
    assert (in_draft["edition"], in_draft["by"]) == (None, "Anneke Dray")

    later = NOW + timedelta(hours=5)
    drafts.publish(person("Anneke"), "Renamed", later)
    changed = entries(admin)["routes", key]["changed"]
    assert changed["by"] == "Anneke Dray"
    assert changed["at_s"] == int(NOW.timestamp()), "when it was edited, not when published"
    assert any("New" in line for line in changed["sentences"])
    history = ask(admin, f"/api/rulebook/entry-history?section=routes&key={key}")
    assert [one["edition"] for one in history] == [changed["edition"]]
    untouched = entries(admin)["routes", inforce()["routes"][1]["key"]]
    assert untouched["changed"] is None


def test_an_edition_that_says_nothing_of_its_changes_is_compared(admin: Any) -> None:
    document = copy.deepcopy(inforce())
    document["categories"].append({"key": "Brass band", "skills": []})
    number = Edition.objects.order_by("-number")[0].number + 1
    Edition.objects.create(number=number, document=document, published_at=NOW, starts_at_s=1)
    book.forget()
    changed = entries(admin)["categories", "Brass band"]["changed"]
    assert changed["edition"] == number
    assert changed["sentences"] == ["Brass band: a new category"]
    assert changed["by"] == "Gannet"


def test_many_are_changed_at_once_and_taken_back_at_once(admin: Any) -> None:
    before = inforce()
    keys = [one["key"] for one in before["items"][:4]]
    body = {"section": "items", "changes": [change("items", key, is_on=False) for key in keys]}
    draft = ask(admin, "/api/rulebook/draft/many-edits", body)
    assert draft["edits"] == 1
    assert draft["last_edit"] == "Catalogue items › 4 at once"
    made = {**rulebook.empty(), **Draft.objects.get().document}
    assert [rulebook.entry(made, "items", key)["is_on"] for key in keys] == [False] * 4
    changed = entries(admin, "draft")
    assert all(changed["items", key]["changed"]["by"] == "Anneke Dray" for key in keys)
    undone = ask(admin, "/api/rulebook/draft/undo", {})
    assert undone["what"] == "Catalogue items › 4 at once"
    assert {**rulebook.empty(), **Draft.objects.get().document} == before


def test_many_removed_come_back_to_their_places(admin: Any) -> None:
    before = inforce()
    keys = [before["items"][at]["key"] for at in (0, 2, 3, -1)]
    changes = [
        {"key": key, "before": rulebook.entry(before, "items", key), "after": None} for key in keys
    ]
    ask(admin, "/api/rulebook/draft/many-edits", {"section": "items", "changes": changes})
    left = [one["key"] for one in Draft.objects.get().document["items"]]
    assert not set(left) & set(keys)
    ask(admin, "/api/rulebook/draft/undo", {})
    assert Draft.objects.get().document["items"] == before["items"]


@pytest.mark.parametrize(
    ("spoil", "status", "says"),
    [
        (lambda one: one.update(before={"key": one["key"]}), 409, "Somebody has changed this"),
        (lambda one: one["after"].update(once_pence=-5), 422, "this must be 0 or more"),
        (lambda one: one["after"].update(name=""), 422, "name: this is empty"),
        (lambda one: one["after"].update(name="n" * 200), 422, "longer than 160 characters"),
        (lambda one: one["after"].update(is_on="perhaps"), 422, "must be yes or no"),
        (lambda one: one.update(after={"key": "another"}), 422, "its key must be"),
    ],
)
def test_one_that_cannot_be_changed_changes_none(
    admin: Any, spoil: Callable[[dict[str, Any]], Any], status: int, says: str
) -> None:
    first, second = (one["key"] for one in inforce()["items"][:2])
    changes = [change("items", first, is_on=False), change("items", second, is_on=False)]
    spoil(changes[1])
    body = {"section": "items", "changes": changes}
    refused = ask(admin, "/api/rulebook/draft/many-edits", body, status)
    assert says in refused["detail"]
    kept = Draft.objects.first()
    assert kept is None or kept.document["items"] == inforce()["items"]


def test_renaming_a_category_renames_it_everywhere_and_back(admin: Any) -> None:
    before = inforce()
    use = next(one for one in uses_of(before) if one.section == "categories")
    old = rulebook.entry(before, "categories", use.key)
    body = {"section": "categories", "key": use.key, "before": old,
            "after": {**old, "key": "Renamed"}, "is_rename": True}  # fmt: skip
    made = ask(admin, "/api/rulebook/draft/edits", body)
    assert made["entry"]["key"] == "Renamed"
    draft = Draft.objects.get().document
    assert any(one.key == "Renamed" and one.by_key == use.by_key for one in uses_of(draft))
    assert not any(one.section == "categories" and one.key == use.key for one in uses_of(draft))
    ask(admin, "/api/rulebook/draft/undo", {})
    assert {**rulebook.empty(), **Draft.objects.get().document} == before


def test_a_name_that_is_taken_is_refused(admin: Any) -> None:
    first, second = inforce()["categories"][:2]
    body = {"section": "categories", "key": first["key"], "before": first,
            "after": {**first, "key": second["key"]}, "is_rename": True}  # fmt: skip
    assert "is taken" in ask(admin, "/api/rulebook/draft/edits", body, 422)["detail"]


@pytest.mark.parametrize(
    ("section", "properties", "says"),
    [
        ("rules", {"then": [{"do": "fly"}]}, "action 1, do: “fly” is none of"),
        ("agreements", {"targets": {"2": {"fix": "soon"}}}, "target, P2, resolution"),
        ("calendars", {"weeks": [{"from": "x"}]}, "season 1"),
        ("items", {"group": ""}, "group: this is empty"),
    ],
)
def test_what_cannot_be_kept_is_said_as_people_see_it(
    admin: Any, section: str, properties: dict[str, Any], says: str
) -> None:
    key = inforce()[section][0]["key"]
    body = {"section": section, **change(section, key, **properties)}
    said = ask(admin, "/api/rulebook/draft/edits", body, 422)["detail"]
    assert says in said
    assert "[" not in said and "then" not in said.split()


@pytest.mark.parametrize("who", ["Signe", "Maeve"])
@pytest.mark.parametrize("path", ["entries/force", "entry-history?section=items&key=laptop"])
def test_the_rulebook_is_for_administrators(api: Any, who: str, path: str) -> None:
    ask(api(who), f"/api/rulebook/{path}", status=403)
