"""What can happen to any record, each with its sentence and all that follows from it."""

from typing import Any

from gannet.audit.kinds import EventKind, Telling, in_words


def author_of(event: Any, otherwise: str) -> str:
    """Who says it: somebody outside by their own name, else the actor, else nobody in person."""
    outside = event.values.get("from_name")
    if outside:
        return str(outside)
    return str(event.actor.name) if event.actor_id and event.actor else otherwise


UPDATED = ("updated",)
_TASKS = ("task changed",)
_LINKS = ("linked changed",)


def _does(words: str) -> Any:
    """Somebody did something, and perhaps said why."""
    return lambda told: f"{told.who} {words}{told.quote}"


def _handed_over(told: Telling) -> str:
    team, person = told.facts.get("team"), told.facts.get("person")
    to = [told.team(team)] if team else []
    if person:
        to.append(told.person(person))
    return f"{told.who} handed it to {', '.join(to)}{told.quote}"


def _waiting(told: Telling) -> str:
    on, until = told.facts.get("on"), told.facts.get("until")
    if on == "approval":
        return f"waiting for a decision{told.quote}"
    named = {"requester": told.requester, "supplier": told.facts.get("supplier", "a supplier")}
    words = f" until {told.when(int(until))}" if until else ""
    return f"waiting on {named.get(str(on), 'a date')}{words}{told.quote}"


def _changed(told: Telling) -> str:
    pairs = told.values.get("changes", {}).items()
    changes = ", ".join(f"{name} {in_words(a)} → {in_words(b)}" for name, (a, b) in pairs)
    return f"{told.who} changed {changes or 'a fact'}{told.quote}"


# What the shipped clocks are called, for events from before their labels were recorded.
_CLOCK_LABELS = {
    "answer": "response",
    "fix": "resolution",
    "team answer": "team response",
    "team fix": "team resolution",
}


def _target_missed(told: Telling) -> str:
    clock, due_s = str(told.facts.get("clock", "")), told.facts.get("due_s")
    label = told.facts.get("label") or _CLOCK_LABELS.get(clock, clock)
    return f"the {label} target was missed{f', due {told.when(int(due_s))}' if due_s else ''}"


def _rule_acted(told: Telling) -> str:
    done = told.values.get("set") or {}
    words = ", ".join(f"{name} to {in_words(value)}" for name, value in done.items())
    return f"{told.listed('by')}{f' set {words}' if words else ' acted'}"


def _task_done(told: Telling) -> str:
    yielded = told.values.get("outputs") or {}
    said = "".join(f", {name} {value}" for name, value in yielded.items())
    state = told.values.get("state", "done")
    return f"{told.who} set the task “{told.value('title')}” to {state}{said}"


def _task_changed(told: Telling) -> str:
    state = told.values.get("state")
    return f"{told.who} changed the task “{told.value('title')}”{f': {state}' if state else ''}"


def _approval_decided(told: Telling) -> str:
    stands_in = told.values.get("name")
    who = f"{told.who} ({stands_in})" if stands_in else told.who
    through = told.values.get("through")
    how = f" {through}" if through and through != "signed in" else ""
    return f"{who}: {told.value('state')} “{told.value('what')}”{how}{told.quote}"


def _child_ended(told: Telling) -> str:
    state = told.values.get("state")
    return (
        f"{told.value('title')} is {'delivered' if state == 'resolved' else in_words(state)}"
        f": {told.value('by')}"
    )


def _time_logged(told: Telling) -> str:
    what = told.values.get("what")
    return f"{told.who} logged {told.value('minutes')} min{f', {what}' if what else ''}"


def _set_unwanted(told: Telling) -> str:
    sender = told.values.get("sender")
    kept = f"; mail from {sender} is quarantined" if sender else ""
    return f"{told.who} rejected it as not ours{kept}"


def _followed(told: Telling) -> str:
    people = told.listed("people") or told.values.get("person")
    return (
        f"{people} follow{'' if told.values.get('people') else 's'} it now"
        if people
        else (f"{told.who} follows it now")
    )


def _logged(told: Telling) -> str:
    channel = told.values.get("channel")
    how = f" by {channel}" if channel else ""
    # The desk logs for whoever calls: it is the requester's report all the same.
    if told.by_desk and told.requester and told.who != told.requester:
        return f"{told.who} logged this for {told.requester}{how}"
    return f"{told.who} reported this{how}"


class TicketEvent:
    """The kinds of events of the frame."""

    LOGGED = EventKind("logged", _logged, is_message=True, for_requester=True)
    TAKEN = EventKind(
        "taken", _does("took it"), for_requester=True, moments=UPDATED, moves_hands=True
    )
    HANDED_OVER = EventKind(
        "handed over", _handed_over, for_requester=True, moments=UPDATED, moves_hands=True,
        column="handed_why",
    )  # fmt: skip
    REPLIED = EventKind(
        "replied", _does("replied"), is_message=True, for_requester=True, moments=UPDATED,
        answers=True,
    )  # fmt: skip
    NOTED = EventKind(
        "noted", _does("left a note for the desk"), is_message=True, moments=UPDATED, answers=True
    )
    REQUESTER_WROTE = EventKind(
        "requester wrote", _does("wrote"), is_message=True, for_requester=True,
        moments=("requester replied",),
    )  # fmt: skip
    WAITING = EventKind(
        "waiting", _waiting, for_requester=True, moments=UPDATED, answers=True,
        column="waiting_reason",
    )  # fmt: skip
    RESUMED = EventKind(
        "resumed",
        lambda told: "resumed automatically" if told.is_automatic
        else f"{told.who} took it up again{told.quote}",
        for_requester=True, moments=UPDATED,
    )  # fmt: skip
    RESOLVED = EventKind(
        "resolved", _does("resolved it"), for_requester=True, moments=UPDATED, ends=True,
        column="resolution",
    )  # fmt: skip
    REOPENED = EventKind("reopened", _does("reopened it"), for_requester=True, moments=UPDATED)
    CLOSED = EventKind(
        "closed",
        lambda told: "closed by itself after the closing period" if told.is_automatic
        else f"{told.who} closed it",
        for_requester=True, moments=UPDATED, ends=True,
    )  # fmt: skip
    CANCELLED = EventKind(
        "cancelled", _does("cancelled it"), for_requester=True, moments=UPDATED, ends=True
    )
    CHANGED = EventKind("changed", _changed, moments=UPDATED, column="priority_reason")
    OPENED = EventKind("opened", _does("opened it"), is_quiet=True, is_aside=True, touches=False)
    PROMISED = EventKind(
        "promised", lambda told: "targets were set", is_quiet=True, is_aside=True, touches=False
    )
    TARGET_MISSED = EventKind("target missed", _target_missed)
    ESCALATED = EventKind(
        "escalated",
        lambda told: f"escalation, {told.values.get('when', '')}: {told.listed('did')}",
        moments=("clock step",),
    )
    STEP_PASSED = EventKind(
        "step passed over",
        lambda told: (
            f"the escalation step “{told.value('name')}” was passed over: {told.value('why')}"
        ),
    )
    RULE_ACTED = EventKind("rule acted", _rule_acted, is_aside=True)
    RE_APPLIED = EventKind(
        "re-applied", lambda told: f"edition {told.value('edition')} of the rulebook was applied"
    )
    TASKS_ADDED = EventKind(
        "tasks added", lambda told: f"tasks added: {told.listed('titles')}", moments=_TASKS
    )
    TASK_DONE = EventKind("task done", _task_done, moments=_TASKS)
    TASK_CHANGED = EventKind("task changed", _task_changed, moments=_TASKS)
    CHILD_OPENED = EventKind(
        "child opened",
        lambda told: f"a child record was opened: {told.value('title')}",
        moments=("child changed",),
    )
    CHILD_CHANGED = EventKind(
        "child changed",
        lambda told: f"its child {told.value('other')} is {told.value('state')}",
        is_aside=True,
        moments=("child changed",),
    )
    LINKED_CHANGED = EventKind(
        "linked record changed",
        lambda told: f"{told.value('other')}, linked to it, is {told.value('state')}",
        is_aside=True,
        moments=_LINKS,
    )
    CHILD_ENDED = EventKind("child ended", _child_ended, for_requester=True)
    MAJOR_SUGGESTED = EventKind(
        "major suggested", lambda told: f"suggested as a major incident by {told.text}"
    )
    LINKED = EventKind(
        "linked",
        lambda told: f"{told.who} linked it: {told.value('how')} {told.value('other')}",
        moments=_LINKS,
    )
    UNLINKED = EventKind(
        "unlinked",
        lambda told: f"{told.who} took the link to {told.value('other')} away",
        moments=_LINKS,
    )
    MERGED = EventKind(
        "merged",
        lambda told: f"{told.who} merged {told.value('ticket')} into it: {told.value('title')}",
        moments=_LINKS,
    )
    UNMERGED = EventKind(
        "unmerged",
        lambda told: f"{told.who} took merging {told.value('ticket')} into it back",
        moments=_LINKS,
    )
    APPROVAL_ASKED = EventKind(
        "approval asked",
        lambda told: f"{told.who} asked {told.value('name')} to approve: {told.value('what')}",
    )
    APPROVAL_DECIDED = EventKind(
        "approval decided", _approval_decided, moments=("approval decided",)
    )
    TIME_LOGGED = EventKind("time logged", _time_logged)
    SET_UNWANTED = EventKind("set unwanted", _set_unwanted)
    PASSED_OUT = EventKind(
        "passed out",
        lambda told: f"{told.who} forwarded it: {told.value('system')}, {told.value('title')}",
    )
    OUTSIDE_CHANGED = EventKind(
        "outside changed",
        lambda told: f"{told.value('system')}: {told.value('title')} is now {told.value('state')}",
    )
    RUNBOOK_RAN = EventKind(
        "runbook ran",
        lambda told: (
            f"{told.who} ran “{told.value('title')}”, {told.value('state')}: {told.listed('log')}"
        ),
    )
    ARTICLES_OFFERED = EventKind(
        "articles offered",
        lambda told: f"articles were offered to the requester: {told.listed('titles')}",
    )
    SURVEY_ASKED = EventKind("survey asked", lambda told: "the requester was asked how it was")
    SURVEY_ANSWERED = EventKind(
        "survey answered", lambda told: f"{told.who}: {told.value('score')} of 5{told.quote}"
    )
    ALERTED = EventKind("alerted", lambda told: f"monitoring: {told.value('alert')}")
    IMPORTED = EventKind("imported", _does("imported it"))
    FOLLOWED = EventKind("followed", _followed)
    UNFOLLOWED = EventKind(
        "unfollowed",
        lambda told: f"{told.values.get('person', told.who)} no longer follows it",
    )
    ANNOUNCED = EventKind("announced", _does("announced it"))
    ANNOUNCEMENT_ENDED = EventKind(
        "announcement ended", lambda told: "the announcement ended", is_aside=True
    )
    UNDONE = EventKind("undone", _does("took back the last act"))
    MAILED = EventKind("mailed", lambda told: "a message went out", is_quiet=True)
    MAIL_FAILED = EventKind("mail failed", lambda told: f"a message could not be sent{told.quote}")
