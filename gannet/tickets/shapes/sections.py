"""What the kinds of record add to a record's answer."""

from typing import Any

from gannet.tickets.kinds import kinds
from gannet.web.shape import Shape


class WithSections(Shape):
    """An answer with the sections of every kind; those of other kinds than its own are null."""

    for_requester = False

    def get_fields(self) -> Any:
        found = super().get_fields()
        for kind in kinds().values():
            for section in kind.sections:
                if section.is_for_requester or not self.for_requester:
                    found[section.key] = section.shape(allow_null=True)
        return found
