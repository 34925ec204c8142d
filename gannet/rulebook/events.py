"""What happens to the rulebook."""

from gannet.audit.kinds import EventKind


class RulebookEvent:
    """The kinds of events of the rulebook."""

    PUBLISHED = EventKind(
        "published", lambda told: f"{told.who} published an edition of the rulebook"
    )
    DRAFT_EDITED = EventKind("draft edited", lambda told: f"{told.who} changed the draft")
    REHEARSAL_KEPT = EventKind("rehearsal kept", lambda told: f"{told.who} changed a rehearsal")
