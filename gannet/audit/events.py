"""What happens to the log itself."""

from gannet.audit.kinds import EventKind


class AuditEvent:
    """The kinds of events of the log."""

    REDACTED = EventKind("redacted", lambda told: f"{told.who} removed a text")
    DENIED = EventKind("denied", lambda told: f"{told.who} was refused", is_quiet=True)
