"""A field that conditions can ask about: how it is read from a ticket, and where it stands."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gannet.tickets.field_words import said_of
from gannet.tickets.models import Ticket

if TYPE_CHECKING:
    from gannet.tickets.computing import Computed


@dataclass(frozen=True)
class Field:
    """One field: `path` is its ORM path, `folded` a path to a folded column if it has one.

    `to_column` turns a value of the condition into the column's value; `numbers` says
    that the column is an integer standing for an instant or a code.
    """

    name: str
    type: str
    label: str
    path: str
    read: Callable[[Ticket], Any]
    folded: str = ""
    choices: Mapping[str, int] | None = None
    is_instant: bool = False
    is_nullable: bool = False
    is_listed: bool = True
    is_settable: bool = False
    is_custom: bool = False
    # Where the value of a custom field stands as it was written, and not as it is compared.
    written: str = ""
    # The groups of items among which its value is; it has no column of its own.
    groups: Sequence[Mapping[str, Any]] | None = None
    # The items for which it has one of some values; it has no column of its own.
    items_of: Callable[[Iterable[str]], frozenset[int]] | None = None
    # The values that there are, for a field whose choices are not closed.
    values: Callable[[], list[str]] | None = None
    # Rows of another table that name people: how to select them, and their person's path.
    through: tuple[Callable[[], Any], str] | None = None
    # What it is computed by; it has no column, and the path to its ticket stands in `prefix`.
    computed: "Computed | None" = None
    prefix: str = ""

    def about(self) -> dict[str, Any]:
        found: dict[str, Any] = {
            "type": self.type,
            "label": self.label,
            "settable": self.is_settable,
            "said": said_of(self.name),
        }
        if self.choices:
            found["choices"] = {choice: choice for choice in self.choices}
        return found


# How the types of custom fields are compared in conditions.
COMPARED_AS = {
    "money": "number",
    "number": "number",
    "yes/no": "yes/no",
    "choice": "choice",
    "several choices": "several choices",
    "date": "date",
}
