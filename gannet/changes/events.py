"""What can happen to a change."""

from gannet.audit.kinds import EventKind, Telling


def _edited(told: Telling) -> str:
    changes = told.values.get("changes") or {}
    said = ", ".join(f"{name} {before} → {after}" for name, (before, after) in changes.items())
    return f"{told.who} changed {said or 'the plan'}{told.quote}"


def _risk(told: Telling) -> str:
    points, rating = told.values.get("points"), told.values.get("rating")
    return "" if points is None else f", risk {points}, {rating}"


def _started(told: Telling) -> str:
    loud = told.listed("loud")
    return f"{told.who} began it" + (f" – {loud}" if loud else "")


class ChangeEvent:
    """The kinds of events of changes; those that are moves bear the names of the lifecycle."""

    EDITED = EventKind("change edited", _edited)
    SUBMITTED = EventKind(
        "submitted", lambda told: f"{told.who} submitted it{_risk(told)}", moments=("submitted",)
    )
    SENT_BACK = EventKind("sent back", lambda told: f"{told.who} sent it back{told.quote}")
    ASSESSED = EventKind(
        "assessed", lambda told: f"{told.who} assessed it{_risk(told)}{told.quote}"
    )
    JOINED = EventKind(
        "joined release", lambda told: f"{told.who} let it go with release {told.value('release')}"
    )
    LEFT_RELEASE = EventKind("left release", lambda told: f"it left its release{told.quote}")
    CARRIES = EventKind("carries", lambda told: f"{told.who} let it carry {told.value('change')}")
    CARRIES_NO_MORE = EventKind(
        "carries no more",
        lambda told: f"{told.who} let {told.value('change')} leave it{told.quote}",
    )
    PHASES = EventKind(
        "phases set", lambda told: f"{told.who} set its phases: {told.listed('phases')}"
    )
    LINKED = EventKind(
        "steps linked",
        lambda told: f"{told.who} said which steps wait for which: {told.value('count')} links",
    )
    PHASE_OPENED = EventKind(
        "phase opened", lambda told: f"the phase {told.value('phase')} is open"
    )
    GO = EventKind("go", lambda told: f"{told.who} said go for {told.value('phase')}{told.quote}")
    USERS_TOLD = EventKind(
        "users told", lambda told: f"{told.value('count')} people whom it reaches were told"
    )
    STOPPED = EventKind("stopped", lambda told: f"{told.who} stopped it{told.quote}")
    REFERRED = EventKind("referred", lambda told: f"{told.who} referred it to the CAB{told.quote}")
    MOVED_ON = EventKind(
        "moved on", lambda told: f"{told.who} moved it on to {told.value('stage')}{told.quote}"
    )
    PUT_OFF = EventKind(
        "put off by the CAB", lambda told: f"the CAB of {told.value('day')} put it off{told.quote}"
    )
    AUTHORISED = EventKind("authorised", lambda told: "it is authorised", moments=("authorised",))
    ASKED_AGAIN = EventKind(
        "asked again", lambda told: f"what was authorised has changed: {told.listed('stages')}"
    )
    FELL_BACK = EventKind("fell back", lambda told: f"it has to be assessed again{told.quote}")
    REFUSED = EventKind("refused", lambda told: f"it is refused{told.quote}", ends=True)
    STARTED = EventKind("started", _started, moments=("began",))
    IMPLEMENTED = EventKind(
        "implemented", lambda told: f"{told.who} implemented it{told.quote}", moments=("ended",)
    )
    BACKED_OUT = EventKind(
        "backed out", lambda told: f"{told.who} backed it out{told.quote}", ends=True
    )
    REVIEW_DUE = EventKind("change review due", lambda told: "it is time to look back on it")
    STAYS_OPEN = EventKind(
        "stays open after change", lambda told: f"it stays open after its change{told.quote}"
    )
    VERIFIED = EventKind(
        "change verified", lambda told: f"a scan found what was expected: {told.listed('what')}"
    )
    MISMATCH = EventKind(
        "change mismatch", lambda told: f"a scan found it otherwise: {told.listed('what')}"
    )
    LOOKED_BACK = EventKind(
        "looked back",
        lambda told: f"{told.who} looked back: {told.value('outcome')}{told.quote}",
        ends=True,
        moments=("looked back",),
    )
