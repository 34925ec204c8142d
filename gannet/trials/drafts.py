"""The draft of the next edition: begin, edit, take back, import, publish, go back.

Two people can edit one draft: an edit names what it saw of the one entry it changes, so
edits of different entries never meet, and an edit of an entry that somebody else has
changed meanwhile is refused with what it is now. Nothing is ever written over silently.
"""

import dataclasses
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from gannet.audit import log as audit
from gannet.audit.kinds import EventKind
from gannet.people import roles
from gannet.people.models import Person
from gannet.rulebook import book, schema
from gannet.rulebook.events import RulebookEvent
from gannet.rulebook.models import Draft, DraftEdit, Edition
from gannet.trials.changes import Hands, changes_of, hands_of
from gannet.trials.checking import findings_of
from gannet.web.errors import Conflict, Invalid, Missing, Refused, Stale
from gannet_core import renaming, rulebook
from gannet_core.errors import DocumentError
from gannet_core.findings import ERROR
from gannet_core.instants import seconds_of


@dataclass(frozen=True, kw_only=True)
class Change:
    """An edit as its author means it: what they saw, and what it shall be."""

    section: str
    key: str
    before: Any
    after: Any
    position: int | None = None


def the_draft(*, lock: bool = False) -> Draft | None:
    rows = Draft.objects.select_for_update() if lock else Draft.objects
    return rows.order_by("-id").first()


def begin(person: Person, now: datetime, *, base: int | None = None) -> Draft:
    """The draft, made from an edition (the one in force) if there is none yet."""
    _permit(person)
    with transaction.atomic():
        found = the_draft(lock=True)
        if found is not None:
            return found
        number = book.number_in_force() if base is None else base
        edition = Edition.objects.filter(number=number or 0).first()
        if edition is None:
            raise Missing("There is no such edition.")
        document = {**rulebook.empty(), **edition.document}
        return Draft.objects.create(
            base=edition.number, document=document, made_at=now, changed_at=now
        )


def edit(person: Person, change: Change, now: datetime) -> Draft:
    """Change one entry of the draft; `Stale` carries what it is now if somebody was faster."""
    with transaction.atomic():
        draft = begin(person, now)
        document, done = _apply(draft, draft.document, change)
        document = _valid(document, change)
        if document == draft.document:
            return draft
        _keep(draft, document, now)
        _remember(draft, person, done, now)
    return draft


def edit_many(person: Person, changes: Sequence[Change], now: datetime) -> Draft:
    """Change several entries at once, all or none; one step takes them back together."""
    with transaction.atomic():
        draft = begin(person, now)
        document: Mapping[str, Any] = draft.document
        edits: list[rulebook.Edit] = []
        for change in changes:
            document, done = _apply(draft, document, change)
            edits.append(done)
        try:
            document = schema.validate(document)
        except DocumentError:
            for change in changes:  # which of them it is
                _valid(_apply(draft, draft.document, change)[0], change)
            raise
        if document == draft.document:
            return draft
        _keep(draft, document, now)
        together = [dataclasses.asdict(one) for one in edits]
        _remember(draft, person, rulebook.Edit(_SEVERAL, edits[0].section, None, together), now)
    return draft


def rename(person: Person, change: Change, now: datetime) -> Draft:
    """Give an entry that is called by its key another one, wherever the draft names it."""
    if not isinstance(change.after, Mapping) or not isinstance(change.after.get("key"), str):
        raise Invalid("Give it a name.", fields={"key": "This is empty."})
    with transaction.atomic():
        draft = begin(person, now)
        _check_seen(draft, draft.document, change)
        try:
            named = renaming.renamed(
                draft.document, change.section, change.key, change.after["key"].strip()
            )
        except DocumentError as error:
            said = f"{error.says[:1].upper()}{error.says[1:]}."
            raise Invalid(said, fields={"key": error.says}) from error
        document = _valid(named, change)
        together = [
            dataclasses.asdict(one) for one in renaming.edits_between(draft.document, document)
        ]
        _keep(draft, document, now)
        named_anew = {"renamed": [change.key, change.after["key"].strip()]}
        _remember(draft, person, rulebook.Edit(_SEVERAL, change.section, named_anew, together), now)
    return draft


def renames_of(draft: Draft) -> list[renaming.Rename]:
    """What a draft calls otherwise, in the order in which it was done."""
    edits = draft.edits.filter(is_undone=False, section=_SEVERAL).order_by("id")
    found = []
    for edit in edits:
        if isinstance(edit.before, dict) and "renamed" in edit.before:
            old, new = edit.before["renamed"]
            found.append((edit.key, old, new))
    return found


def _check_seen(draft: Draft, document: Mapping[str, Any], change: Change) -> Any:
    seen = rulebook.entry(document, change.section, change.key)
    if seen != change.before:
        name = f": {rulebook.name_of(change.section, seen)}" if seen else ""
        raise Stale(
            f"Somebody has changed this since you opened it{name}.",
            current=seen,
            version=draft.version,
        )
    return seen


def _apply(
    draft: Draft, document: Mapping[str, Any], change: Change
) -> tuple[dict[str, Any], rulebook.Edit]:
    try:
        seen = _check_seen(draft, document, change)
        was = rulebook.position_of(document, change.section, change.key)
        _check_key(change, seen)
        done = rulebook.Edit(change.section, change.key, seen, change.after, change.position, was)
        return rulebook.apply(document, done), done
    except DocumentError as error:
        raise Invalid(_sentence(error), fields={error.place or "document": error.says}) from error


def _valid(document: Mapping[str, Any], change: Change) -> dict[str, Any]:
    """The document, or what is wrong with the entry in the words of its editor."""
    try:
        return schema.validate(document)
    except DocumentError as error:
        name = change.after.get("name") or change.after.get("label") if change.after else ""
        said = ": ".join(part for part in (error.within, error.says) if part)
        said = f"{name}: {said}." if name else f"{said}."
        raise Invalid(said, fields={error.within or "document": error.says}) from error


def undo(person: Person, now: datetime) -> DraftEdit:
    """Take back the last edit of the draft; `Conflict` when it cannot be taken back."""
    _permit(person)
    with transaction.atomic():
        draft = the_draft(lock=True)
        last = draft.edits.filter(is_undone=False).first() if draft else None
        if draft is None or last is None:
            raise Conflict("There is nothing to take back.")
        done = rulebook.Edit(
            last.section, last.key, last.before, last.after, last.position, last.from_position
        )
        if done.section == _WHOLE:
            document = dict(last.before or {})
        elif done.section == _SEVERAL:
            document = draft.document
            for one in reversed(last.after or []):
                document = rulebook.apply(document, rulebook.Edit(**one).reversed())
        else:
            document = rulebook.apply(draft.document, done.reversed())
        _keep(draft, document, now)
        last.is_undone = True
        last.save(update_fields=["is_undone"])
    return last


def discard(person: Person, now: datetime) -> None:
    """Throw the draft away."""
    _permit(person)
    with transaction.atomic():
        draft = the_draft(lock=True)
        if draft is not None:
            _audit(
                RulebookEvent.DRAFT_EDITED, person, now, {"what": "thrown away", "base": draft.base}
            )
            draft.delete()


# A whole import is one edit, so that one step takes it back; so are edits of several at once.
_WHOLE = "(whole)"
_SEVERAL = "(several)"


def named_edit(edit: DraftEdit) -> str:
    """What an edit changed, as people call it: "Catalogue items › Access to payroll"."""
    if edit.section == _WHOLE:
        return "the whole rulebook"
    if edit.section == _SEVERAL:
        label = rulebook.BY_NAME[edit.key].label
        return f"{label} › {len(edit.after or [])} at once"
    label = rulebook.BY_NAME[edit.section].label
    one = edit.after or edit.before
    return f"{label} › {rulebook.name_of(edit.section, one)}" if edit.key and one else label


def replace_whole(person: Person, text: str, now: datetime, seen_version: int | None) -> Draft:
    """Make the draft what a file says; a file that cannot be read changes nothing."""
    _permit(person)
    try:
        document = schema.parse(text)
    except DocumentError as error:
        raise Invalid(_sentence(error), fields={error.place or "file": error.says}) from error
    with transaction.atomic():
        draft = begin(person, now)
        if seen_version is not None and seen_version != draft.version:
            raise Stale("The draft has changed since you looked.", version=draft.version)
        before = draft.document
        _keep(draft, document, now)
        _remember(draft, person, rulebook.Edit(_WHOLE, "", before, document), now)
    return draft


def publish(
    person: Person,
    comment: str,
    now: datetime,
    *,
    starts_at: datetime | None = None,
    seen_version: int | None = None,
) -> Edition:
    """Publish the draft as the next edition, now or from an instant on."""
    _permit(person)
    if not comment.strip():
        raise Invalid("Say what changes and why.", fields={"comment": "This is empty."})
    if starts_at is not None and starts_at < now:
        raise Invalid("That moment has passed.", fields={"starts_at": "Choose a later one."})
    with transaction.atomic():
        draft = the_draft(lock=True)
        if draft is None:
            raise Conflict("There is no draft to publish.")
        if seen_version is not None and seen_version != draft.version:
            raise Stale(
                "The draft has changed since you looked. Look at the differences again.",
                version=draft.version,
            )
        wrong = [one for one in findings_of(draft.document, now) if one.severity == ERROR]
        if wrong:
            raise Conflict(f"{len(wrong)} to fix first: {wrong[0].name}: {wrong[0].says}")
        _rehearsals_hold(draft)
        edition = _publish(
            person, draft.document, comment.strip(), now, starts_at, hands=hands_of(draft),
            renames=renames_of(draft),
        )  # fmt: skip
        draft.delete()
    return edition


def go_back(person: Person, number: int, comment: str, now: datetime) -> Edition:
    """Publish what an earlier edition said, as a new edition; the draft stays as it is."""
    _permit(person)
    with transaction.atomic():
        earlier = Edition.objects.filter(number=number).first()
        if earlier is None:
            raise Missing("There is no such edition.")
        if number == book.number_in_force(seconds_of(now)):
            raise Conflict(f"Edition {number} is in force already.")
        said = comment.strip() or f"Back to edition {number}."
        since = Edition.objects.filter(number__gt=number, starts_at_s__lte=seconds_of(now))
        done = [
            (section, old, new)
            for row in since.order_by("number")
            for section, old, new in row.renames
        ]
        return _publish(
            person, earlier.document, said, now, None, restores=number,
            renames=renaming.taken_back(done),
        )  # fmt: skip


def withdraw(person: Person, number: int, now: datetime) -> None:
    """Take back an edition that is planned and has not started; no ticket has used it."""
    _permit(person)
    with transaction.atomic():
        planned = Edition.objects.select_for_update().filter(number=number).first()
        if planned is None:
            raise Missing("There is no such edition.")
        if planned.starts_at_s <= seconds_of(now):
            raise Conflict(f"Edition {number} has started: go back to an earlier one instead.")
        _audit(
            RulebookEvent.PUBLISHED, person, now, {"withdrawn": number, "comment": planned.comment}
        )
        planned.delete()


def _publish(
    person: Person,
    document: Mapping[str, Any],
    comment: str,
    now: datetime,
    starts_at: datetime | None,
    restores: int | None = None,
    hands: Hands | None = None,
    renames: Sequence[renaming.Rename] = (),
) -> Edition:
    planned = Edition.objects.filter(starts_at_s__gt=seconds_of(now)).first()
    if planned is not None:
        raise Conflict(
            f"Edition {planned.number} is planned already and would replace this one when it "
            f"starts. Withdraw it first."
        )
    last = Edition.objects.select_for_update().order_by("-number").first()
    edition = Edition.objects.create(
        changes=changes_of(last, document, hands or {}, person, now) if last else [],
        number=(last.number if last else 0) + 1,
        document=document,
        published_at=now,
        starts_at_s=seconds_of(starts_at or now),
        published_by=person,
        comment=comment,
        restores=restores,
        renames=[list(one) for one in renames],
        renames_left=len(renames),
    )
    _audit(RulebookEvent.PUBLISHED, person, now, {"edition": edition.number, "comment": comment})
    return edition


def _rehearsals_hold(draft: Draft) -> None:
    from gannet.trials.rehearse import run_all

    tried = run_all(book.of_document(draft.document), renames_of(draft))
    failing = [one for one in tried if not one.holds]
    if failing:
        names = ", ".join(f"“{one.rehearsal.name}”" for one in failing[:3])
        raise Conflict(
            f"{len(failing)} of the rehearsals come out otherwise: {names}. Accept what they "
            f"show now, or fix the draft."
        )


def _keep(draft: Draft, document: Mapping[str, Any], now: datetime) -> None:
    draft.document = dict(document)
    draft.version += 1
    draft.changed_at = now
    draft.save()


def _remember(draft: Draft, person: Person, done: rulebook.Edit, now: datetime) -> None:
    DraftEdit.objects.create(
        draft=draft,
        person=person,
        at=now,
        section=done.section,
        key=done.key,
        before=done.before,
        after=done.after,
        position=done.position,
        from_position=done.from_position,
    )
    _audit(RulebookEvent.DRAFT_EDITED, person, now, {"section": done.section, "key": done.key})


def _check_key(change: Change, seen: Any) -> None:
    section = rulebook.BY_NAME.get(change.section)
    if section is None or not section.is_list:
        return
    if not change.key.strip():
        raise DocumentError(change.section, "give it a key")
    if seen is None and change.after is None:
        raise DocumentError(f"{change.section} {change.key}", "it is not there")


def _sentence(error: DocumentError) -> str:
    place = f"{error.place}: " if error.place else ""
    return f"{place}{error.says}. Nothing has been changed."


def _permit(person: Person) -> None:
    if not roles.edits_rulebook(person):
        raise Refused("Only administrators change the rulebook.")


def _audit(kind: EventKind, person: Person, now: datetime, values: dict[str, Any]) -> None:
    audit.append([audit.Entry(kind=kind, at=now, actor_id=person.pk, by_desk=True, values=values)])
