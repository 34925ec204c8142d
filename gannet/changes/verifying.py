"""Verifying: what a scan sees after a change is compared with what was expected of it.

What matches becomes what is recorded; what does not is told to those who carry the change,
and stays a difference until somebody decides on it.
"""

from collections.abc import Collection
from typing import Any

from django.db.models import F

from gannet.changes.events import ChangeEvent
from gannet.changes.models import KIND, ChangeItem, facts_of
from gannet.estate.actions import accept_as_recorded, explain
from gannet.estate.models import ConfigItem
from gannet.people.acting import Acting
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.states import state_code
from gannet_core.changes import AS_EXPECTED, NOT_SEEN, verified
from gannet_core.item_types import differing, same

UNDER_WAY, LOOK_BACK = "under way", "look back"
_SOME = 500


def compare(items: Collection[int], acting: Acting) -> int:
    """After a scan of some items: look at the changes that expect something of them.

    Returns how many changes were looked at.
    """
    numbers: set[int] = set()
    listed = list(items)
    for start in range(0, len(listed), _SOME):
        rows = ChangeItem.objects.filter(
            item__in=listed[start : start + _SOME],
            item__seen_s__isnull=False,
            ticket__state__in=[state_code(UNDER_WAY), state_code(LOOK_BACK)],
        ).exclude(expected={})
        numbers |= set(rows.exclude(found_s=F("item__seen_s")).values_list("ticket_id", flat=True))
    for number in sorted(numbers):
        with writing(number, acting) as write:
            look_at(write)
    return len(numbers)


def look_at(write: RecordWrite) -> None:
    """Compare what is expected of a change's items with what scans have seen since."""
    ticket = write.ticket
    if ticket.kind != KIND or write.state_name not in (UNDER_WAY, LOOK_BACK):
        return
    acting = Acting(person=None, now=write.acting.now)
    ended_s = facts_of(ticket).ended_s
    well, badly = [], []
    for row in ticket.change_items.select_related("item").order_by("id"):
        if not row.expected or row.item.seen_s is None:
            continue
        if ended_s is None:
            _explain(row, ticket.pk, acting)
            continue
        found = verified(row.expected, row.item.seen, row.item.seen_s, ended_s)
        seen = {key: row.item.seen[key] for key, is_so in found.items() if is_so != NOT_SEEN}
        if not seen or _is_told(row, seen):
            continue
        before, row.found, row.found_s = row.found, {**row.found, **seen}, row.item.seen_s
        row.save(update_fields=["found", "found_s"])
        for key in seen:
            says = f"{row.item.name}, {key} {_told(seen[key])}"
            if found[key] == AS_EXPECTED:
                well.append(says)
            elif not same(before.get(key), seen[key]):
                badly.append(f"{says} instead of {_told(row.expected[key])}")
        _record(row.item, [key for key in seen if found[key] == AS_EXPECTED], ticket.pk, acting)
    if well:
        _note(write, ChangeEvent.VERIFIED, well)
    if badly:
        _note(write, ChangeEvent.MISMATCH, badly)
        write.tell(ticket.holder, "change mismatch", ", ".join(badly))


def found_json(row: ChangeItem, ended_s: int | None) -> list[dict[str, Any]]:
    """What the first scan after the change has seen of each attribute that was expected."""
    if ended_s is None:
        return []
    found = verified(row.expected, row.found, row.found_s, ended_s)
    return [
        {
            "attribute": key,
            "verdict": verdict,
            "seen": row.found.get(key) if verdict != NOT_SEEN else None,
            "at_s": row.found_s if verdict != NOT_SEEN else None,
        }
        for key, verdict in found.items()
    ]


def _is_told(row: ChangeItem, seen: dict[str, Any]) -> bool:
    """Whether exactly this was seen before: a scan that says the same again tells nothing."""
    return row.found_s is not None and all(
        key in row.found and same(row.found[key], value) for key, value in seen.items()
    )


def _record(item: ConfigItem, keys: list[str], number: int, acting: Acting) -> None:
    """What was found as it was expected is what is recorded from now on."""
    apart = differing(item.attributes, item.seen)
    fresh = [key for key in keys if key in apart]
    if fresh:
        accept_as_recorded(acting, item, fresh, f"as change {number} was to make it")


def _explain(row: ChangeItem, number: int, acting: Acting) -> None:
    """While a change is under way, what it is to make is no drift."""
    for key in differing(row.item.attributes, row.item.seen):
        if key in row.item.explained or key not in row.expected:
            continue
        if same(row.item.seen.get(key), row.expected[key]):
            explain(acting, row.item, key, f"change {number} is changing it")


def _note(write: RecordWrite, kind: Any, what: list[str]) -> None:
    write.record(kind, by_desk=False, is_automatic=True, values={"what": what})


def _told(value: Any) -> str:
    return "yes" if value is True else "no" if value is False else str(value)
