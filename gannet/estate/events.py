"""What happens to services and configuration items."""

from gannet.audit.kinds import EventKind, Telling, in_words


def _changed(told: Telling, what: str = "item") -> str:
    pairs = (told.values.get("changes") or {}).items()
    said = ", ".join(
        f"{name.removeprefix('attribute ')} {in_words(old)} → {in_words(new)}"
        for name, (old, new) in pairs
    )
    how = told.values.get("how", "changed")
    return f"{told.who} {how} {_named(told, what)}{f': {said}' if said else ''}{told.quote}"


def _named(told: Telling, what: str = "item") -> str:
    """A thing by its name; the facts beside it have its key."""
    return in_words(told.values.get(what))


class EstateEvent:
    """The kinds of events of the estate."""

    ITEM_CHANGED = EventKind("item changed", _changed)
    SERVICE_CHANGED = EventKind("service changed", lambda told: _changed(told, "service"))
    DEPENDENCY_CHANGED = EventKind(
        "dependency changed",
        lambda told: (
            f"{told.who} {told.value('how')}: {_named(told)} stands on {_named(told, 'on')}"
            f" ({told.value('strength')}){told.quote}"
        ),
    )
    ITEM_SEEN = EventKind(
        "item seen otherwise",
        lambda told: f"a scan found {_named(told)} otherwise: {told.value('what')}",
    )
    DRIFT_DECIDED = EventKind(
        "drift decided",
        lambda told: f"{told.who} {told.value('how')} of {_named(told)}{told.quote}",
    )
