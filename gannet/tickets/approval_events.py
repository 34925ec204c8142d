"""What can happen while a record is decided on."""

from gannet.audit.kinds import EventKind, Telling


def _route_ended(told: Telling) -> str:
    what = told.values.get("what")
    if what == "refused":
        return f"not approved{told.quote}"
    return "approved: it goes ahead" if what == "approved" else told.value("what")


class ApprovalEvent:
    """The kinds of events of approvals and their routes."""

    ROUTE_BEGAN = EventKind("route began", lambda told: "it needs approval first")
    ROUTE_ENDED = EventKind("route ended", _route_ended, for_requester=True)
    ASKED_BACK = EventKind(
        "asked back", lambda told: f"{told.who} asked a question{told.quote}",
        for_requester=True,
    )  # fmt: skip
    PASSED_ON = EventKind(
        "passed on",
        lambda told: f"{told.who} passed the decision on to {told.value('name')}{told.quote}",
    )
