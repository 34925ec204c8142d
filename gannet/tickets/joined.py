"""Several names of a ticket as one value, so that a list can show, order and group by them.

SQLite joins values of a subquery with GROUP_CONCAT, in the order in which the subquery
gives them; another database would say STRING_AGG here.
"""

from typing import Any

from django.db.models import CharField, F, OuterRef, Subquery

from gannet.tickets.field import Field


class _Joined(Subquery):
    template = "(SELECT GROUP_CONCAT(each_of.joined, ', ') FROM (%(subquery)s) AS each_of)"

    def get_group_by_cols(self) -> list[Any]:
        """Grouped by what it says; Django would group by the ticket that it is said of."""
        return [self]


def joined_names(field: Field, is_folded: bool = False) -> Subquery:
    """The names that another table's rows give a ticket, each once and by the alphabet, as
    "Ana Holt, Per Lind"; empty where there are none. `is_folded` reads them as they order."""
    assert field.through is not None
    rows, person = field.through
    name = F(f"{person}__name_folded" if is_folded else f"{person}__name")
    found = rows().filter(ticket_id=OuterRef("pk")).order_by(f"{person}__name_folded")
    return _Joined(found.values(joined=name).distinct(), output_field=CharField(null=True))
