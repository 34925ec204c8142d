"""What can happen to a major incident and in its room.

What is said in a channel, and written in files, stands in the log by its checksum alone:
that it was said, when, by whom – not what, for not all who read the log may read it.
"""

from gannet.audit.kinds import EventKind, Telling


def _role(told: Telling) -> str:
    after = told.values.get("after")
    words = f" from {after}" if after else ""
    return f"{told.value('person')} has the role {told.value('role')}{words}, by {told.who}"


def _many(count: int, one: str, many: str) -> str:
    return f"{count} {one if count == 1 else many}"


def _addresses(told: Telling) -> str:
    return _many(told.values.get("count", 0), "address", "addresses")


def _update(told: Telling) -> str:
    late = told.values.get("late_minutes")
    return (
        f"{told.who} sent update {told.value('number')} to {told.value('audience')}, "
        f"{_addresses(told)}" + (f", {late} min late" if late else "")
    )


def _gathered(told: Telling) -> str:
    count = _many(told.values.get("count", 0), "incident", "incidents")
    return f"{told.who} {told.value('how')} {count}: {told.listed('numbers')}"


class MajorEvent:
    """The kinds of events of major incidents; those that are moves bear the lifecycle's names."""

    DECLARED = EventKind(
        "declared",
        lambda told: f"{told.who} declared it as {told.value('call_sign')}{told.quote}",
        moments=("declared",),
    )
    # On an incident: it goes on as a major one.
    DECLARED_FROM = EventKind(
        "declared from",
        lambda told: f"{told.who} declared major incident {told.value('major')} from it",
        is_aside=True,
    )
    STOOD_DOWN = EventKind(
        "stood down",
        lambda told: f"{told.who} stood it down{told.quote}",
        moments=("stood down",),
    )
    AGAIN = EventKind(
        "declared again",
        lambda told: f"{told.who} declared it again{told.quote}",
        moments=("declared",),
    )
    REVIEWED = EventKind(
        "reviewed", lambda told: f"{told.who} ended its review", ends=True, moments=("reviewed",)
    )
    REVIEW_WRITTEN = EventKind(
        "review written", lambda told: f"{told.who} wrote the review", is_aside=True
    )
    ROLE = EventKind("role taken", _role, is_aside=True)
    CHANNEL = EventKind(
        "channel opened", lambda told: f"{told.who} opened a channel{told.quote}", is_aside=True
    )
    ASKED_IN = EventKind(
        "asked in", lambda told: f"{told.who} asked {told.listed('people')} in", is_aside=True
    )
    LEFT = EventKind(
        "shown out", lambda told: f"{told.who} showed {told.value('person')} out", is_aside=True
    )
    SAID = EventKind(
        "said in the room",
        lambda told: f"{told.who} said something in the room",
        is_quiet=True,
        is_aside=True,
        touches=False,
        is_apart=True,
    )
    ENTERED = EventKind(
        "timeline written",
        lambda told: f"{told.who} wrote in the timeline",
        is_quiet=True,
        is_aside=True,
        is_apart=True,
    )
    FILED = EventKind(
        "room file kept",
        lambda told: f"{told.who} kept a file in the room",
        is_quiet=True,
        is_aside=True,
        is_apart=True,
    )
    FIGURE = EventKind(
        "impact corrected",
        lambda told: (
            f"{told.who} said {told.value('value')} instead of {told.value('derived')} "
            f"for {told.value('figure')}{told.quote}"
        ),
    )
    SUMMARY = EventKind("summary written", lambda told: f"{told.who} wrote the summary")
    BEGAN = EventKind("time stated", lambda told: f"{told.who} stated when {told.value('what')}")
    RESTORED = EventKind(
        "restored", lambda told: f"{told.who} said that all works again{told.quote}"
    )
    UPDATE_SENT = EventKind("update sent", _update, moments=("update sent",))
    UPDATE_LATE = EventKind(
        "update late",
        lambda told: f"the update to {told.value('audience')} is late",
        moments=("update late",),
        is_aside=True,
        touches=False,
    )
    REMINDED = EventKind(
        "update reminded",
        lambda told: f"the update to {told.value('audience')} is reminded of",
        is_quiet=True,
        is_aside=True,
        touches=False,
    )
    REPORT_SENT = EventKind(
        "situation report sent",
        lambda told: f"{told.who} sent a situation report to {_addresses(told)}",
    )
    GATHERED = EventKind("incidents gathered", _gathered)
    ANSWERED = EventKind(
        "answered together",
        lambda told: (
            f"{told.who} answered {_many(told.values.get('told', 0), 'incident', 'incidents')} "
            f"together and resolved {told.value('resolved')} of them"
        ),
    )
    TICKED = EventKind(
        "checklist ticked", lambda told: f"{told.who} ticked off “{told.text}”", is_aside=True
    )
    CALL_JOINED = EventKind(
        "call joined", lambda told: f"{told.who} joined the call", is_aside=True
    )


# What stands in the timeline by itself, as derived.
IN_TIMELINE = (
    MajorEvent.DECLARED,
    MajorEvent.STOOD_DOWN,
    MajorEvent.AGAIN,
    MajorEvent.REVIEWED,
    MajorEvent.ROLE,
    MajorEvent.FIGURE,
    MajorEvent.RESTORED,
    MajorEvent.UPDATE_SENT,
    MajorEvent.UPDATE_LATE,
    MajorEvent.REPORT_SENT,
    MajorEvent.GATHERED,
    MajorEvent.ANSWERED,
    MajorEvent.CALL_JOINED,
)
