"""Who changed which entry of the rulebook, when, and what names it.

An edition keeps what it changes in the one before. Editions that were made otherwise than
by publishing a draft (the first, the demo's) are compared when they are first asked about.
"""

from collections.abc import Mapping
from datetime import datetime
from functools import lru_cache
from typing import Any

from gannet.people.models import Person
from gannet.rulebook.models import Draft, Edition
from gannet.trials.checking import differences_of, named_outside
from gannet_core import rulebook
from gannet_core.instants import seconds_of
from gannet_core.uses import used_by

# Whose hand changed an entry of a draft last: (section, key) -> (their name, when).
Hands = Mapping[tuple[str, str], tuple[str, int]]


def hands_of(draft: Draft) -> dict[tuple[str, str], tuple[str, int]]:
    """Who edited which entries of the draft last."""
    found: dict[tuple[str, str], tuple[str, int]] = {}
    edits = draft.edits.filter(is_undone=False).select_related("person").order_by("id")
    for edit in edits:
        name = edit.person.name if edit.person else "Gannet"
        several = edit.after if edit.section.startswith("(several") else [vars(edit)]
        for one in several or ():
            found[one["section"], one["key"]] = (name, seconds_of(edit.at))
    return found


def changes_of(
    before: Edition, document: Mapping[str, Any], hands: Hands, person: Person | None, now: datetime
) -> list[dict[str, Any]]:
    """What a document changes in an edition, entry by entry, with whose hand that was."""
    by = (person.name if person else "Gannet", seconds_of(now))
    found = []
    for one in differences_of(before.document, document):
        name, at_s = hands.get((one.section, one.key), by)
        found.append(
            {
                "section": one.section,
                "key": one.key,
                "by": name,
                "at_s": at_s,
                "sentences": list(one.sentences),
            }
        )
    return found


@lru_cache(maxsize=256)
def _compared(number: int, published_at: datetime) -> list[dict[str, Any]]:
    """What an edition changed that did not say so when it was made."""
    edition = Edition.objects.select_related("published_by").get(number=number)
    before = Edition.objects.filter(number__lt=number).order_by("-number").first()
    if before is None:
        return []
    return changes_of(before, edition.document, {}, edition.published_by, published_at)


def _changes() -> list[tuple[int, dict[str, Any]]]:
    """Every change with its edition, the earliest first."""
    rows = Edition.objects.order_by("number").values_list("number", "published_at", "changes")
    return [
        (number, one)
        for number, at, changes in rows
        for one in (_compared(number, at) if changes is None else changes)
    ]


def entries_of(document: Mapping[str, Any], draft: Draft | None) -> list[dict[str, Any]]:
    """Every entry of a document's lists: its name, what names it, its last change."""
    last: dict[tuple[str, str], dict[str, Any]] = {
        (one["section"], one["key"]): _change(number, one) for number, one in _changes()
    }
    for place, (by, at_s) in (hands_of(draft) if draft else {}).items():
        last[place] = {"edition": None, "at_s": at_s, "by": by, "sentences": []}
    used = used_by(document)
    outside: dict[tuple[str, str], list[str]] = {}
    for section_name, key, who in named_outside():
        outside.setdefault((section_name, key), []).append(who)
    found = []
    for section in rulebook.SECTIONS:
        if not section.is_list:
            continue
        for one in rulebook.entries(document, section.name):
            key = one["key"]
            uses = [
                {"section": use.by_section, "key": use.by_key, "name": use.by_name,
                 "place": use.place}
                for use in used.get(section.name, {}).get(key, ())
            ]  # fmt: skip
            uses += [
                {"section": "", "key": "", "name": who, "place": ""}
                for who in outside.get((section.name, key), ())
            ]
            found.append(
                {
                    "section": section.name,
                    "one": section.one,
                    "key": key,
                    "name": rulebook.name_of(section.name, one),
                    "uses": uses,
                    "changed": last.get((section.name, key)),
                }
            )
    return found


def history_of(section: str, key: str) -> list[dict[str, Any]]:
    """What the editions changed in one entry, the latest first."""
    return [
        _change(number, one)
        for number, one in reversed(_changes())
        if (one["section"], one["key"]) == (section, key)
    ]


def _change(number: int, one: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "edition": number,
        "at_s": one["at_s"],
        "by": one["by"],
        "sentences": one["sentences"],
    }
