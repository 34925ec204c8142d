"""What can happen to a request for something, beyond what happens to any record."""

from gannet.audit.kinds import EventKind


class RequestEvent:
    """The kinds of events of requests."""

    ANSWERS_CHANGED = EventKind(
        "answers changed", lambda told: f"{told.who} changed the answers", for_requester=True
    )
