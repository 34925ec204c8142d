"""What happens to services and configuration items."""

from gannet.audit.kinds import EventKind


class EstateEvent:
    """The kinds of events of the estate."""

    ITEM_CHANGED = EventKind(
        "item changed", lambda told: f"{told.who} changed {told.value('item')}"
    )
