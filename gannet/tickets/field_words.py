"""How the shipped fields are said and sought: words of their own in a sentence, synonyms."""

from collections.abc import Mapping
from typing import Any

# See `gannet_core.sentences` for what each word is for.
_SAID: Mapping[str, Mapping[str, Any]] = {
    "open": {"yes": "open", "no": "no longer open"},
    "move": {
        "values": {
            "ours": "waiting for us",
            "requester's": "waiting on the requester",
            "supplier's": "waiting on a supplier",
            "approver's": "waiting on an approver",
            "scheduled": "waiting for a date",
            "nobody's": "waiting on nobody",
        }
    },
    "service": {"empty": "no service chosen", "filled": "a service chosen"},
    "category": {"empty": "no category", "filled": "a category chosen"},
    "ci": {"empty": "no CI", "filled": "a CI named"},
    "holder": {"empty": "unassigned", "filled": "assigned to somebody"},
    "beneficiary": {"empty": "for the requester", "filled": "for somebody else"},
    "supplier": {"empty": "not waiting on a supplier", "filled": "waiting on a supplier"},
    "waiting on": {
        "empty": "not waiting",
        "filled": "waiting",
        "values": {
            "requester": "waiting on the requester",
            "supplier": "waiting on a supplier",
            "approval": "waiting on an approval",
            "date": "waiting for a date",
        },
    },
    "care tier": {"empty": "no care tier", "filled": "a care tier"},
    "agreement": {"empty": "no SLA", "filled": "an SLA"},
    "template": {"empty": "no template", "filled": "a template"},
    "tags": {"empty": "no tags", "filled": "tagged"},
    "impact assumed": {"yes": "impact is only assumed", "no": "impact was stated"},
    "urgency assumed": {"yes": "urgency is only assumed", "no": "urgency was stated"},
    "suggested as major": {"no": "not suggested as major"},
    "unread": {"no": "read"},
    "needs reply": {"yes": "needs a reply", "no": "needs no reply"},
    "announced": {"no": "not announced"},
    "first line": {"no": "resolved beyond the first line"},
    "not for us": {"yes": "rejected as not ours", "no": "not rejected as not ours"},
    "due": {"empty": "nothing due", "filled": "something due"},
    "late since": {"empty": "not overdue", "filled": "overdue", "lead": "went overdue"},
    "first answer": {"empty": "no reply yet", "filled": "replied to", "lead": "first reply came"},
    "resolved": {"empty": "not resolved", "filled": "resolved"},
    "closed": {"empty": "not closed", "filled": "closed"},
    "waiting since": {"empty": "not waiting", "filled": "waiting", "lead": "began to wait"},
    "waiting until": {
        "empty": "waiting without a date",
        "filled": "waiting for a date",
        "lead": "wait ends",
    },
    "held since": {"lead": "came to its team"},
    "requester wrote": {
        "empty": "the requester has not written",
        "filled": "the requester has written",
        "lead": "the requester wrote",
    },
    "replied": {
        "empty": "the desk has not replied",
        "filled": "the desk has replied",
        "lead": "the desk replied",
    },
    "next step": {
        "empty": "no escalation to come",
        "filled": "an escalation to come",
        "lead": "next escalation",
    },
    "score": {"empty": "no satisfaction given", "filled": "satisfaction given"},
    "child of": {"empty": "not a child", "filled": "a child"},
    "parent": {"empty": "not part of another", "filled": "part of another"},
    "duplicate of": {"empty": "not a duplicate", "filled": "a duplicate"},
    "resolver": {"empty": "resolved by nobody", "filled": "resolved by somebody"},
    "article": {"empty": "resolved without an article", "filled": "resolved with an article"},
    "follower": {"empty": "followed by nobody", "filled": "followed by somebody"},
    "marked by": {"empty": "marked by nobody", "filled": "marked for later"},
    "task holder": {"empty": "no open task of anybody", "filled": "an open task of somebody"},
    "approver": {"empty": "waiting for no approval", "filled": "waiting for an approval"},
}

# What else people call a field when they look for it.
_SYNONYMS: Mapping[str, tuple[str, ...]] = {
    "holder": ("assigned to", "agent", "owner", "held by", "technician", "who has it"),
    "team": ("group", "queue", "assignment group", "assigned team"),
    "due": ("SLA", "target", "deadline", "breach", "resolution"),
    "late since": ("SLA", "late", "breach", "missed", "overdue"),
    "agreement": ("agreement", "service level", "contract", "OLA"),
    "opened": ("created", "logged", "reported", "age", "date"),
    "changed": ("updated", "modified", "last change", "age"),
    "resolved": ("fixed", "solved", "completed", "done"),
    "closed": ("ended", "completed"),
    "requester": ("customer", "caller", "user", "reported by", "contact", "client"),
    "requester.department": ("customer", "business unit", "group"),
    "requester.place": ("customer's site", "location", "office"),
    "ci": ("device", "asset", "computer", "equipment", "configuration item", "hardware"),
    "ci.kind": ("device", "asset type"),
    "place": ("location", "site", "office"),
    "state": ("status", "stage"),
    "status": ("substate", "detail of the state"),
    "move": ("waiting", "whose turn", "pending", "ball"),
    "waiting on": ("pending", "on hold", "stopped"),
    "priority": ("severity", "importance"),
    "kind": ("type", "record type"),
    "tags": ("label", "keyword"),
    "care tier": ("VIP", "important person"),
    "hand-overs": ("reassigned", "reassignment count", "assigned", "bounced"),
    "held since": ("assigned", "age in the team", "time with the team"),
    "score": ("survey", "rating", "feedback", "satisfaction"),
    "minutes": ("effort", "time spent", "worklog"),
    "replied": ("answered", "response", "last reply"),
    "first answer": ("response", "SLA", "first response"),
    "channel": ("source", "came by", "origin"),
    "beneficiary": ("on behalf of", "recipient"),
    "parent": ("child", "bundle"),
    "service": ("application", "system", "business service"),
    "category": ("classification", "type", "subcategory"),
    "next step": ("escalation", "SLA"),
    "resolver": ("resolved by", "fixed by"),
    "service owner": ("manager", "responsible"),
    "needs reply": ("unanswered", "waiting for us"),
    "unread": ("new", "unseen"),
}


def said_of(name: str) -> dict[str, Any]:
    """A field's own words in a sentence; none for most."""
    return dict(_SAID.get(name, {}))


def synonyms_of(name: str) -> list[str]:
    """What else a field is sought by."""
    return list(_SYNONYMS.get(name, ()))
