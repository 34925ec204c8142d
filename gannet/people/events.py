"""What happens to people and their access."""

from gannet.audit.kinds import EventKind


class PersonEvent:
    """The kinds of events of people."""

    SIGNED_IN = EventKind("signed in", lambda told: f"{told.who} signed in")
    SIGNED_OUT = EventKind("signed out", lambda told: f"{told.who} signed out")
    SIGN_IN_REFUSED = EventKind("sign-in refused", lambda told: f"{told.who} could not sign in")
    TOKEN_MADE = EventKind("token made", lambda told: f"{told.who} made an access token")
    TOKEN_REVOKED = EventKind("token revoked", lambda told: f"{told.who} revoked an access token")
    PERSON_CHANGED = EventKind(
        "person changed", lambda told: f"{told.who} changed how {told.value('person')} works"
    )
