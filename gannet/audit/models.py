"""The event log: append-only, numbered, chained.

Each row's hash covers the hash before it, what the row says in the open (number,
instant, kind, actor, ticket, facts) and a *digest* of what can be redacted (its text
and its values, with a salt of the row's own). Redacting removes text, values and salt
and keeps the digest: the chain still holds, and the removed text cannot be guessed.

`facts` say what happened to the record (which team, what it waits on) and stay, because
clocks and lifelines are read from them; `values` are what people wrote or chose.
"""

from django.conf import settings
from django.db import models


class Kind(models.TextChoices):
    """Everything that is recorded, with the sentence it is told in."""

    LOGGED = "logged", "reported this"
    TAKEN = "taken", "took it"
    HANDED_OVER = "handed over", "handed it over"
    REPLIED = "replied", "replied"
    NOTED = "noted", "left a note for the desk"
    REQUESTER_WROTE = "requester wrote", "wrote"
    WAITING = "waiting", "set it waiting"
    RESUMED = "resumed", "took it up again"
    RESOLVED = "resolved", "resolved it"
    REOPENED = "reopened", "reopened it"
    CLOSED = "closed", "closed it"
    CANCELLED = "cancelled", "cancelled it"
    CHANGED = "changed", "changed"
    OPENED = "opened", "opened it"
    PROMISED = "promised", "targets were set"
    TARGET_MISSED = "target missed", "a target was missed"
    ESCALATED = "escalated", "an escalation step ran"
    STEP_PASSED = "step passed over", "an escalation step was passed over"
    RULE_ACTED = "rule acted", "a business rule acted"
    RE_APPLIED = "re-applied", "another edition of the rulebook was applied"
    TASKS_ADDED = "tasks added", "tasks were added"
    TASK_DONE = "task done", "did a task"
    CHILD_OPENED = "child opened", "opened a child record"
    CHILD_ENDED = "child ended", "a part of it ended"
    MAJOR_SUGGESTED = "major suggested", "suggested it as a major incident"
    HOOK_CALLED = "webhook called", "posted it to another system"
    TASK_CHANGED = "task changed", "changed a task"
    LINKED = "linked", "linked it"
    UNLINKED = "unlinked", "took a link away"
    MERGED = "merged", "merged a duplicate into it"
    APPROVAL_ASKED = "approval asked", "asked for an approval"
    APPROVAL_DECIDED = "approval decided", "decided what was asked"
    ROUTE_BEGAN = "route began", "the approval route began"
    ROUTE_ENDED = "route ended", "the approval route ended"
    ASKED_BACK = "asked back", "asked back before deciding"
    PASSED_ON = "passed on", "passed the decision on"
    ANSWERS_CHANGED = "answers changed", "changed the answers"
    TIME_LOGGED = "time logged", "logged time"
    SET_UNWANTED = "set unwanted", "said that it is not for us"
    PASSED_OUT = "passed out", "passed it to another system"
    OUTSIDE_CHANGED = "outside changed", "changed in the other system"
    RUNBOOK_RAN = "runbook ran", "ran a runbook"
    SURVEY_ASKED = "survey asked", "the requester was asked how it was"
    SURVEY_ANSWERED = "survey answered", "said how it was"
    ALERTED = "alerted", "monitoring reported"
    IMPORTED = "imported", "imported it"
    TOKEN_MADE = "token made", "made an access token"
    TOKEN_REVOKED = "token revoked", "revoked an access token"
    ATTACHED = "attached", "attached a file"
    FOLLOWED = "followed", "follows it"
    UNFOLLOWED = "unfollowed", "no longer follows it"
    ANNOUNCED = "announced", "announced it as a known outage"
    ANNOUNCEMENT_ENDED = "announcement ended", "ended the announcement"
    UNDONE = "undone", "took back the last act"
    MAILED = "mailed", "a message went out"
    MAIL_FAILED = "mail failed", "a message could not be sent"
    REDACTED = "redacted", "removed a text"
    SIGNED_IN = "signed in", "signed in"
    SIGNED_OUT = "signed out", "signed out"
    SIGN_IN_REFUSED = "sign-in refused", "could not sign in"
    DENIED = "denied", "was refused"
    PUBLISHED = "published", "published an edition of the rulebook"
    DRAFT_EDITED = "draft edited", "changed the draft of the rulebook"
    REHEARSAL_KEPT = "rehearsal kept", "changed a rehearsal"
    PERSON_CHANGED = "person changed", "changed how somebody is served or works"
    ITEM_CHANGED = "item changed", "changed a configuration item"


class Audience(models.IntegerChoices):
    """Who may read an event of a ticket."""

    EVERYBODY = 1
    DESK = 2


class Event(models.Model):
    """One thing that happened. Rows are only ever added."""

    id = models.BigIntegerField(primary_key=True)
    at = models.DateTimeField()
    at_s = models.BigIntegerField()
    kind = models.CharField(max_length=30)  # registered with its sentence, not listed here
    actor = models.ForeignKey(
        settings.AUTH_USER_MODEL, models.DO_NOTHING, null=True, db_constraint=False
    )
    by_desk = models.SmallIntegerField(default=0)
    is_automatic = models.SmallIntegerField(default=0)
    audience = models.SmallIntegerField(choices=Audience, default=Audience.DESK)
    ticket = models.ForeignKey(
        "tickets.Ticket",
        models.DO_NOTHING,
        null=True,
        db_constraint=False,
        db_index=False,
        related_name="events",
    )
    facts = models.JSONField(default=dict)
    values = models.JSONField(default=dict)
    text = models.TextField(blank=True)
    salt = models.CharField(max_length=32, blank=True)
    digest = models.CharField(max_length=64)
    hash = models.CharField(max_length=64)
    redacted_by = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["id"]
        indexes = [models.Index(fields=["ticket", "id"], name="event_ticket")]
