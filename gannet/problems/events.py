"""What can happen to a problem, and by it to its incidents."""

from gannet.audit.kinds import EventKind, Telling


def _cause(told: Telling) -> str:
    says, how = told.value("says"), told.value("how")
    evidence = told.value("evidence")
    return f"{told.who} {how} the possible cause “{says}”" + (
        f": {evidence}" if evidence != "nothing" else ""
    )


def _found(told: Telling) -> str:
    path = told.listed("path")
    if told.values.get("again"):
        return "it is a known error, as before"
    why = told.value("why")
    return f"{told.who} called it a known error" + (
        f": {path}" if path else f" without a confirmed cause: {why}"
    )


def _linked(told: Telling) -> str:
    count, numbers = told.values.get("count", 0), told.listed("numbers")
    word = "incident" if count == 1 else "incidents"
    how = told.values.get("how", "linked")
    return f"{told.who} {how} {count} {word}: {numbers}"


class ProblemEvent:
    """The kinds of events of problems."""

    INCIDENTS = EventKind("incidents linked", _linked, moments=("linked changed",))
    CAUSE_CHANGED = EventKind("possible cause changed", _cause)
    CAUSE_FOUND = EventKind("cause found", _found)
    CAUSE_DOUBTED = EventKind(
        "cause doubted", lambda told: f"{told.who} is looking for the cause again{told.quote}"
    )
    WORKAROUND = EventKind(
        "workaround written", lambda told: f"{told.who} wrote the workaround{told.quote}"
    )
    TOLD = EventKind(
        "workaround told",
        lambda told: (
            f"{told.who} told the requesters of {told.value('told')} incidents the workaround"
            f" and resolved {told.value('resolved')} of them"
        ),
    )
    FIGURE = EventKind(
        "figure replaced",
        lambda told: (
            f"{told.who} said {told.value('amount')} instead of {told.value('computed')}"
            f" for {told.value('figure')}{told.quote}"
        ),
    )
    FIX_COSTED = EventKind(
        "fix costed", lambda told: f"{told.who} costed the fix: {told.value('amount')}{told.quote}"
    )
    FIX_DECIDED = EventKind(
        "fix decided", lambda told: f"{told.who} decided to {told.value('what')}{told.quote}"
    )
    # On an incident: its requester has the workaround.
    WORKAROUND_GIVEN = EventKind(
        "workaround given",
        lambda told: f"{told.who} gave the workaround of problem {told.value('problem')}",
        is_aside=True,
    )
