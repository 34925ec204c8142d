"""The registry of fields that conditions can ask about, with their two readings.

Each field says its name, type and label, how it is read from a ticket, and how it is
expressed in the ORM. Lists, scopes and reports all read from here.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from gannet.estate.models import Life
from gannet.rulebook.book import Book, current
from gannet.tickets.field import COMPARED_AS, Field
from gannet.tickets.item_fields import item_fields, item_group_field, services_field
from gannet.tickets.models import MoveCode, Ticket
from gannet.tickets.states import state_name, state_names
from gannet_core import item_groups
from gannet_core.instants import format_instant, instant_of


def _instant(seconds: int | None) -> str | None:
    return None if seconds is None else format_instant(instant_of(seconds))


def _name(thing: Any) -> str | None:
    return None if thing is None else thing.name


_MOVES = {code.label: int(code) for code in MoveCode}

_FIELDS = [
    Field("number", "number", "number", "id", lambda t: t.pk),
    Field("kind", "choice", "kind", "kind", lambda t: t.kind),
    Field("approval", "choice", "approval", "approval", lambda t: t.approval),
    Field(
        "beneficiary",
        "choice",
        "for whom",
        "beneficiary__name",
        lambda t: _name(t.beneficiary),
        is_nullable=True,
    ),
    Field(
        "title",
        "text",
        "title",
        "title",
        lambda t: t.title,
        folded="title_folded",
        is_settable=True,
    ),
    Field("state", "choice", "state", "state", lambda t: state_name(t.state)),
    Field("open", "yes/no", "is open", "is_open", lambda t: t.is_open),
    Field("move", "choice", "move", "move", lambda t: MoveCode(t.move).label, choices=_MOVES),
    Field(
        "priority",
        "choice",
        "priority",
        "priority",
        lambda t: f"P{t.priority}",
        is_settable=True,
    ),
    Field("impact", "number", "impact", "impact", lambda t: t.impact, is_settable=True),
    Field("urgency", "number", "urgency", "urgency", lambda t: t.urgency, is_settable=True),
    Field(
        "service",
        "choice",
        "service",
        "service__name",
        lambda t: _name(t.service),
        is_nullable=True,
        is_settable=True,
    ),
    Field(
        "service.criticality",
        "number",
        "service's criticality",
        "service__criticality",
        lambda t: t.service.criticality if t.service else None,
        is_nullable=True,
    ),
    Field("category", "choice", "category", "category", lambda t: t.category, is_settable=True),
    Field(
        "ci",
        "choice",
        "CI",
        "ci__name",
        lambda t: _name(t.ci),
        is_nullable=True,
        is_settable=True,
    ),
    Field("place", "choice", "place", "place", lambda t: t.place, is_settable=True),
    Field(
        "ci.kind",
        "choice",
        "kind of CI",
        "ci__kind",
        lambda t: t.ci.kind if t.ci else None,
        is_nullable=True,
    ),
    Field(
        "ci.place",
        "text",
        "item’s place",
        "ci__place",
        lambda t: t.ci.place if t.ci else None,
        is_nullable=True,
    ),
    Field(
        "ci.life",
        "choice",
        "item’s life",
        "ci__life",
        lambda t: t.ci.life if t.ci else None,
        is_nullable=True,
        values=lambda: list(Life.values),
    ),
    Field(
        "ci.criticality",
        "number",
        "item’s criticality",
        "ci__criticality",
        lambda t: t.ci.criticality if t.ci else None,
        is_nullable=True,
    ),
    Field("status", "choice", "status", "status", lambda t: t.status, is_settable=True),
    Field(
        "supplier",
        "choice",
        "waiting on supplier",
        "waiting_supplier",
        lambda t: t.waiting_supplier,
    ),
    Field("template", "choice", "template", "template", lambda t: t.template),
    Field("tags", "several choices", "tags", "tags_folded", lambda t: list(t.tags)),
    Field("child of", "number", "child of", "parent_id", lambda t: t.parent_id, is_nullable=True),
    Field(
        "suggested as major",
        "yes/no",
        "suggested as major",
        "is_major_suggested",
        lambda t: bool(t.is_major_suggested),
        is_settable=True,
    ),
    Field(
        "impact assumed",
        "yes/no",
        "impact assumed",
        "is_impact_assumed",
        lambda t: bool(t.is_impact_assumed),
    ),
    Field(
        "urgency assumed",
        "yes/no",
        "urgency assumed",
        "is_urgency_assumed",
        lambda t: bool(t.is_urgency_assumed),
    ),
    Field(
        "confidential",
        "yes/no",
        "confidential",
        "is_confidential",
        lambda t: bool(t.is_confidential),
        is_settable=True,
    ),
    Field(
        "next step",
        "instant",
        "next escalation",
        "next_step_s",
        lambda t: _instant(t.next_step_s),
        is_instant=True,
        is_nullable=True,
    ),
    Field(
        "next step does",
        "text",
        "what the next escalation does",
        "next_step",
        lambda t: t.next_step,
    ),
    Field(
        "service owner",
        "person",
        "service's owner",
        "service__owner__name",
        lambda t: _name(t.service.owner) if t.service else None,
        folded="service__owner__name_folded",
        is_nullable=True,
    ),
    Field("channel", "choice", "channel", "channel", lambda t: t.channel),
    Field("team", "team", "team", "team__name", lambda t: t.team.name if t.team_id else None),
    Field(
        "holder",
        "person",
        "assignee",
        "holder__name",
        lambda t: _name(t.holder),
        folded="holder__name_folded",
        is_nullable=True,
    ),
    Field(
        "requester",
        "person",
        "requester",
        "requester__name",
        lambda t: t.requester.name,
        folded="requester__name_folded",
    ),
    Field(
        "requester.department",
        "choice",
        "requester's department",
        "requester__department",
        lambda t: t.requester.department,
    ),
    Field(
        "requester.job", "choice", "requester's job", "requester__job", lambda t: t.requester.job
    ),
    Field("care tier", "choice", "care tier", "care_tier", lambda t: t.care_tier),
    Field("agreement", "choice", "SLA", "agreement", lambda t: t.agreement),
    Field("waiting on", "choice", "waiting on", "waiting_on", lambda t: t.waiting_on),
    Field("unread", "yes/no", "unread", "is_unread", lambda t: bool(t.is_unread)),
    Field("needs reply", "yes/no", "needs a reply", "needs_reply", lambda t: bool(t.needs_reply)),
    Field("answered", "yes/no", "answered", "is_answered", lambda t: bool(t.is_answered)),
    Field("announced", "yes/no", "announced", "is_announced", lambda t: t.is_announced),
    Field(
        "due",
        "instant",
        "due",
        "due_s",
        lambda t: _instant(t.due_s),
        is_instant=True,
        is_nullable=True,
    ),
    Field(
        "late since",
        "instant",
        "overdue since",
        "late_from_s",
        lambda t: _instant(t.late_from_s),
        is_instant=True,
        is_nullable=True,
    ),
    Field(
        "opened", "instant", "opened", "opened_s", lambda t: _instant(t.opened_s), is_instant=True
    ),
    Field(
        "changed",
        "instant",
        "changed",
        "changed_s",
        lambda t: _instant(t.changed_s),
        is_instant=True,
    ),
    Field(
        "first answer",
        "instant",
        "first reply",
        "answered_s",
        lambda t: _instant(t.answered_s),
        is_instant=True,
        is_nullable=True,
    ),
    Field(
        "resolved",
        "instant",
        "resolved",
        "resolved_s",
        lambda t: _instant(t.resolved_s),
        is_instant=True,
        is_nullable=True,
    ),
    Field(
        "closed",
        "instant",
        "closed",
        "closed_s",
        lambda t: _instant(t.closed_s),
        is_instant=True,
        is_nullable=True,
    ),
    Field("hand-overs", "number", "hand-overs", "hand_overs", lambda t: t.hand_overs),
    Field(
        "waiting since",
        "instant",
        "waiting since",
        "waiting_since_s",
        lambda t: _instant(t.waiting_since_s),
        is_instant=True,
        is_nullable=True,
    ),
    Field(
        "waiting until",
        "instant",
        "waiting until",
        "waiting_until_s",
        lambda t: _instant(t.waiting_until_s),
        is_instant=True,
        is_nullable=True,
    ),
    Field(
        "held since",
        "instant",
        "assigned since",
        "held_s",
        lambda t: _instant(t.held_s),
        is_instant=True,
        is_nullable=True,
    ),
    Field(
        "requester wrote",
        "instant",
        "requester's last message",
        "wrote_s",
        lambda t: _instant(t.wrote_s),
        is_instant=True,
        is_nullable=True,
    ),
    Field(
        "replied",
        "instant",
        "desk's last reply",
        "replied_s",
        lambda t: _instant(t.replied_s),
        is_instant=True,
        is_nullable=True,
    ),
    Field("messages", "number", "number of messages", "messages", lambda t: t.messages),
    Field("tasks", "number", "number of tasks", "all_tasks", lambda t: t.all_tasks),
    Field("open tasks", "number", "open tasks", "open_tasks", lambda t: t.open_tasks),
    Field(
        "open approvals",
        "number",
        "open approvals",
        "open_approvals",
        lambda t: t.open_approvals,
    ),
    Field("minutes", "number", "minutes logged", "minutes", lambda t: t.minutes),
    Field("cost", "number", "cost in pence", "cost_pence", lambda t: t.cost_pence),
    Field("spent", "number", "spent in pence", "spent_pence", lambda t: t.spent_pence),
    Field("score", "number", "satisfaction", "score", lambda t: t.score, is_nullable=True),
    Field("parent", "number", "part of", "parent_id", lambda t: t.parent_id, is_nullable=True),
    Field(
        "duplicate of",
        "number",
        "duplicate of",
        "duplicate_of_id",
        lambda t: t.duplicate_of_id,
        is_nullable=True,
    ),
    Field("cause in words", "choice", "cause", "cause", lambda t: t.cause),
    Field(
        "resolver",
        "person",
        "resolved by",
        "resolver__name",
        lambda t: _name(t.resolver),
        folded="resolver__name_folded",
        is_nullable=True,
    ),
    Field(
        "article",
        "number",
        "resolved with article",
        "article_id",
        lambda t: t.article_id,
        is_nullable=True,
    ),
    Field(
        "requester.place",
        "choice",
        "requester's place",
        "requester__place",
        lambda t: t.requester.place,
    ),
    Field(
        "first line",
        "yes/no",
        "resolved by the first line",
        "is_first_line",
        lambda t: bool(t.is_first_line),
    ),
    Field(
        "not for us",
        "yes/no",
        "not ours",
        "is_spam",
        lambda t: bool(t.is_spam),
    ),
    Field("reopenings", "number", "reopenings", "reopenings", lambda t: t.reopenings),
    services_field(),
]

_known: dict[str, Field] = {field.name: field for field in _FIELDS}


def register(*fields: Field) -> None:
    """Let kinds of record have fields of their own; told twice, it is one still."""
    _known.update({field.name: field for field in fields})


def shipped() -> Mapping[str, Field]:
    """Every field but the rulebook's own; states are those of the kinds that there are."""
    state = replace(_known["state"], choices=state_names())
    return {**_known, "state": state}


def custom_field(entry: Mapping[str, Any]) -> Field:
    """A field of the rulebook as conditions, lists and forms see it."""
    key = entry["key"]
    return Field(
        key,
        COMPARED_AS.get(entry["type"], "text"),
        entry["label"],
        f"values_folded__{key}",
        lambda ticket: ticket.values.get(key),
        choices=dict.fromkeys(entry.get("choices") or (), 0) or None,
        is_nullable=True,
        is_settable=True,
        is_custom=True,
        written=f"values__{key}",
    )


# Both columns of JSON in which such values stand.
_JSON_COLUMNS = ("values_folded", "values", "ci__attributes_folded", "ci__attributes")


def json_parts(path: str) -> tuple[str, str] | None:
    """The column and the key of a value that stands in JSON; nothing for another column."""
    for column in _JSON_COLUMNS:
        if path.startswith(f"{column}__"):
            return column, path[len(column) + 2 :]
    return None


def registry_of(
    entries: Mapping[str, Mapping[str, Any]],
    priorities: Iterable[int],
    item_types: Iterable[Mapping[str, Any]] = (),
    groups: Sequence[Mapping[str, Any]] = (),
) -> Mapping[str, Field]:
    """The shipped fields, with the priorities of a rulebook, and its own fields."""
    choices = {f"P{number}": number for number in priorities}
    priority = replace(_known["priority"], choices=choices)
    custom = {key: custom_field(entry) for key, entry in entries.items()}
    known = {**item_fields(item_types), **shipped(), "priority": priority, **custom}
    return {**known, item_groups.FIELD: item_group_field(groups, known)}


def registry(book: Book | None = None) -> Mapping[str, Field]:
    """Every field there is: those that ship and the rulebook's own; read once per book."""
    book = book or current()
    if "registry" not in book.kept:
        book.kept["registry"] = registry_of(
            book.fields, book.priorities, book.item_types.values(), book.item_groups
        )
    found: Mapping[str, Field] = book.kept["registry"]
    return found


def about_fields(book: Book | None = None) -> Mapping[str, Mapping[str, Any]]:
    """What the core needs to know of each field: type, label, closed choices, settable."""
    book = book or current()
    if "about" not in book.kept:
        book.kept["about"] = {name: field.about() for name, field in registry(book).items()}
    found: Mapping[str, Mapping[str, Any]] = book.kept["about"]
    return found


def record_of(ticket: Ticket, book: Book | None = None) -> dict[str, Any]:
    """A ticket as conditions see it: field -> value."""
    return {name: field.read(ticket) for name, field in registry(book).items()}


class LazyRecord(Mapping[str, Any]):
    """A ticket as conditions see it, each field read only when it is asked for."""

    def __init__(self, ticket: Ticket, book: Book | None = None) -> None:
        self._ticket = ticket
        self._fields = registry(book)

    def __getitem__(self, name: str) -> Any:
        return self._fields[name].read(self._ticket)

    def __iter__(self) -> Iterator[str]:
        return iter(self._fields)

    def __len__(self) -> int:
        return len(self._fields)
