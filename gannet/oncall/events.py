"""What can happen about being on call."""

from gannet.audit.kinds import EventKind, Telling


def _paged(told: Telling) -> str:
    who = told.value("who")
    after = told.values.get("after")
    why = told.values.get("why")
    said = f" after {after} had not answered" if after else ""
    by = f"{told.who} paged" if told.values.get("by_hand") else f"{told.value('by')}: paged"
    return f"{by} {who}, {told.value('team')}{said}" + (f": {why}" if why else "")


class OnCallEvent:
    """The kinds of events of rotas and pages."""

    ROTA_CHANGED = EventKind(
        "rota changed", lambda told: f"{told.who} changed the rota of {told.value('team')}"
    )
    PAGED = EventKind("paged", _paged, is_aside=True, touches=False)
    ANSWERED = EventKind(
        "page answered",
        lambda told: f"{told.who} answered the page to {told.value('team')}",
        is_aside=True,
    )
    UNANSWERED = EventKind(
        "page unanswered",
        lambda told: f"nobody of {told.value('team')} answered: {told.listed('people')}",
        is_aside=True,
        touches=False,
    )
