"""Northmere Ferries' messages: what is written to whom, and when it is quiet."""

from typing import Any


def _message(subject: str, *lines: str) -> dict[str, str]:
    return {"subject": f"[Gannet {{number}}] {subject}", "body": "\n\n".join(lines)}


MESSAGES: dict[str, dict[str, str]] = {
    "logged": _message(
        "{title}",
        "Hello {name},",
        "We have your report. It is {kind} {number}.",
        "What we understood: {service}, priority {priority}. It is with {team} ({holder}).\n"
        "You will hear from a person by {answer_by}; it should be solved by {fix_by}.",
        "Reply to this mail to add something, or look at {link}.",
    ),
    "replied": _message(
        "{title}",
        "Hello {name},",
        "{actor} writes:",
        "{text}",
        "Reply to this mail to answer, or look at {link}.",
    ),
    "resolved": _message(
        "{title}",
        "Hello {name},",
        "{actor} has resolved this:",
        "{text}",
        "Is it not solved? Reply to this mail: that reopens it. Otherwise it closes by itself "
        "in three working days.",
    ),
    "cancelled": _message("{title}", "Hello {name},", "{actor} cancelled this:", "{text}"),
    "request refused": _message(
        "not approved: {title}",
        "Hello {name},",
        "{kind} {number} was not approved:",
        "{text}",
        "You can ask again; what you answered is kept: {link}",
    ),
    "change coming": _message(
        "planned work on {service}, {begins}",
        "Hello {name},",
        "{title}. It begins {begins} and ends {ends}; until then {service} may stop for a while.",
        "You need not do anything. What is going on stands on the portal: {link}",
    ),
    "change over": _message(
        "planned work on {service}",
        "Hello {name},",
        "{title}, planned for {begins}: {text}",
        "If something does not work, tell us: {link}",
    ),
    "request approved": _message(
        "approved: {title}",
        "Hello {name},",
        "{kind} {number} is approved and goes ahead with {team}.",
        "{text}",
        "See how far it is: {link}",
    ),
    "asked back": _message(
        "a question about {title}",
        "Hello {name},",
        "{actor} has a question before approving {kind} {number}:",
        "{text}",
        "Answer this mail, or here: {link}",
    ),
    "handed over": _message(
        "handed to you: {title}",
        "Hello {name},",
        "{actor} handed {kind} {number} to {team}:",
        "{text}",
        "{priority}, {service}, to be fixed by {fix_by}. {link}",
    ),
    "yours": _message(
        "yours: {title}",
        "Hello {name},",
        "{kind} {number} of {requester} is yours: {text}.",
        "{priority}, {service}, to be answered by {answer_by} and fixed by {fix_by}. {link}",
    ),
    "taken over": _message(
        "taken over: {title}", "Hello {name},", "{actor} has taken {kind} {number}. {link}"
    ),
    "requester wrote": _message("{actor} wrote: {title}", "{actor} writes:", "{text}", "{link}"),
    "reopened": _message(
        "reopened: {title}",
        "Hello {name},",
        "{requester} says it is not solved:",
        "{text}",
        "{link}",
    ),
    "priority changed": _message(
        "now {priority}: {title}", "{actor} set {kind} {number} to {priority}:", "{text}", "{link}"
    ),
    "date reached": _message(
        "back to you: {title}", "{kind} {number} waited for a date, which has come.", "{link}"
    ),
    "late": _message(
        "overdue: {title}", "The target to {text} {kind} {number} has run out.", "{link}"
    ),
    "followed": _message(
        "you follow: {title}", "{actor} made you a follower of {kind} {number}.", "{link}"
    ),
    "half gone": _message(
        "half the time is gone: {title}",
        "Hello {name},",
        "{text}. {kind} {number} of {requester} has used half of its time.",
        "{priority}, {service}, to be fixed by {fix_by}. {link}",
    ),
    "close to due": _message(
        "close: {title}",
        "{text}. {kind} {number} is about to miss a target.",
        "It is with {holder} ({team}), {priority}, {service}, to be fixed by {fix_by}. {link}",
    ),
    "past due": _message(
        "past its target: {title}",
        "{text}. {kind} {number} has passed its target and is still open.",
        "It is with {holder} ({team}), {priority}, {service}. {link}",
    ),
    "untouched": _message(
        "untouched: {title}",
        "{text}. {kind} {number} has not been worked on for a while.",
        "It is with {holder} ({team}), {priority}. {link}",
    ),
    "still there?": _message(
        "do you still need this? {title}",
        "Hello {name},",
        "We are waiting for your answer about {kind} {number}.",
        "Reply to this mail, or look at {link}. Without an answer we close it.",
    ),
    "closed as stale": _message(
        "closed without an answer: {title}",
        "Hello {name},",
        "We have not heard from you about {kind} {number}, so we have closed it.",
        "Report it again and name {number} if it is not solved: nothing you wrote is lost.",
    ),
    "vital service": _message(
        "a vital service is down: {service}",
        "{requester} reports: {title}.",
        "{priority}, with {holder} ({team}). {link}",
    ),
    "reassigned often": _message(
        "reassigned often: {title}",
        "{kind} {number} has changed hands often and now stands with {team}.",
        "{link}",
    ),
    "supplier late": _message(
        "supplier overdue: {title}",
        "The supplier we wait on for {kind} {number} has missed the target of its contract.",
        "{link}",
    ),
    "major suggested": _message(
        "suggested as a major incident: {title}",
        "{kind} {number} is suggested as a major incident: {text}.",
        "{priority}, {service}. {link}",
    ),
    "paged": _message(
        "you are paged: {title}",
        "Hello {name},",
        "{actor} pages whoever is on call about {kind} {number}: {text}",
        "Open it and answer the page, or the next is paged.",
        "{link}",
    ),
    "major declared": _message(
        "{text}",
        "Hello {name},",
        "{actor} declared {kind} {number}.",
        "{text}",
        "Come to its room: {link}",
    ),
    "major stood down": _message(
        "over: {title}",
        "Hello {name},",
        "{text}",
        "Thank you. The review follows: {link}",
    ),
    "update due": _message("an update is due: {title}", "{text}. {link}"),
    "update late": _message("an update is late: {title}", "{text}. {link}"),
    "asked in": _message("you are asked in: {title}", "Hello {name},", "{text}", "{link}"),
    "page unanswered": _message(
        "nobody answered the page: {title}",
        "Nobody who is on call answered about {kind} {number}: {text}",
        "{link}",
    ),
    "task given": _message(
        "a task for you: {title}",
        "Hello {name},",
        "{actor} gave you a task of {kind} {number}:",
        "{text}",
        "{link}",
    ),
    "task done": _message(
        "a task is done: {title}", "{actor} has done a task of {kind} {number}:", "{text}", "{link}"
    ),
    "part ended": _message(
        "a part of it: {title}", "Of {kind} {number} for {requester}:", "{text}", "{link}"
    ),
    "approval asked": _message(
        "you are asked to approve: {title}",
        "Hello {name},",
        "{requester} asks you to approve:",
        "{asked}",
        "See what is requested, and approve or reject it here: {decide}",
        "Or answer this mail with “approve”, or with “reject” and why. "
        "Leave this line in it: {ref}",
    ),
    "approval decided": _message(
        "approval answered: {title}",
        "{actor} has answered the approval of {kind} {number}:",
        "{text}",
        "{link}",
    ),
    "outside changed": _message(
        "news from outside: {title}", "About {kind} {number}:", "{text}", "{link}"
    ),
    "merged": _message(
        "goes on elsewhere: {title}",
        "Hello {name},",
        "{actor} found that {kind} {number} is about the same thing as another.",
        "{text}",
        "Nothing you wrote is lost. {link}",
    ),
    "problem linked": _message(
        "we look for the cause: {title}",
        "Hello {name},",
        "{kind} {number} is one of several of its kind, so we look for what lies behind them. "
        "You hear from us when we know more.",
        "{link}",
    ),
    "first answer": _message(
        "perhaps this helps: {title}",
        "Hello {name},",
        "the desk has your report and works on it. Perhaps one of these helps you at once:",
        "{text}",
        "If one of them was it, answer with the words “that was it” (or “that was it: 2” for the "
        "second), and your {kind} is closed. Otherwise you need not do anything.",
    ),
    "survey": _message(
        "how was it? {title}",
        "Hello {name},",
        "{kind} {number} is closed. How was it?",
        "Very good: {survey}?score=5\nGood: {survey}?score=4\nSo so: {survey}?score=3\n"
        "Poor: {survey}?score=2\nBad: {survey}?score=1",
        "One click is enough. Answers go to the desk.",
    ),
}


# What people call a message, where its key would not say it.
_NAMES = {
    "change coming": "planned work ahead",
    "change over": "planned work is over",
    "logged": "acknowledgement",
    "request refused": "request rejected",
    "asked back": "an approver’s question",
    "yours": "assigned to you",
    "taken over": "taken by somebody else",
    "late": "overdue",
    "followed": "news for followers",
    "half gone": "half the time gone",
    "untouched": "not worked on",
    "part ended": "a part is finished",
    "outside changed": "changed in the other system",
}


def messages() -> list[dict[str, Any]]:
    return [
        {"key": key, "name": _NAMES.get(key, key), **template} for key, template in MESSAGES.items()
    ]


# event -> to whom it is told, with the message of the same name
_TOLD = {
    "logged": ["requester"],
    "replied": ["requester", "team", "followers"],
    "resolved": ["requester"],
    "cancelled": ["requester", "holder"],
    "request refused": ["requester", "followers"],
    "request approved": ["requester", "followers"],
    "asked back": ["requester"],
    "handed over": ["holder", "team"],
    "yours": ["holder"],
    "taken over": ["team"],
    "requester wrote": ["holder"],
    "reopened": ["holder"],
    "priority changed": ["holder"],
    "date reached": ["holder"],
    "late": ["holder"],
    "followed": ["team", "followers"],
    "major suggested": ["team"],
    "paged": ["holder", "team", "followers", "requester"],
    "page unanswered": ["holder", "team"],
    "major declared": ["holder", "team", "followers", "requester"],
    "major stood down": ["holder", "team", "followers", "requester"],
    "update due": ["holder", "team", "followers", "requester"],
    "update late": ["holder", "team", "followers", "requester"],
    "asked in": ["holder", "team", "followers", "requester"],
    "task given": ["holder", "team", "followers", "requester"],
    "task done": ["holder"],
    "part ended": ["holder"],
    "approval asked": ["team", "followers"],
    "approval decided": ["holder", "team"],
    "outside changed": ["holder"],
    "merged": ["requester", "holder"],
    "problem linked": ["requester", "holder"],
    "survey": ["requester"],
}


def notifications() -> list[dict[str, Any]]:
    return [
        {
            "key": f"{event}-{to}".replace(" ", "-"),
            "event": event,
            "to": to,
            "message": event,
            "is_on": True,
        }
        for event, audiences in _TOLD.items()
        for to in audiences
    ]


QUIET = {
    "from": "22:00",
    "to": "06:00",
    "audiences": ["followers"],
    "except": ["P1"],
    "digest_at": "07:30",
}
