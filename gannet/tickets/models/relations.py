"""What ties a ticket to others: links, approvals asked by hand, other systems, answers."""

from django.db import models
from django.db.models import F, Q

from gannet.people.models import Person
from gannet.tickets.models.ticket import Ticket


class LinkKind(models.TextChoices):
    """How one record relates to another, with the words for the other way round."""

    CAUSED_BY = "caused by", "caused"
    DUPLICATE_OF = "duplicate of", "has the duplicate"
    RELATED = "related to", "related to"
    BLOCKS = "blocks", "is blocked by"


class Link(models.Model):
    """One record is caused by, a duplicate of, related to, or blocks another."""

    source = models.ForeignKey(Ticket, models.CASCADE, related_name="links_out")
    target = models.ForeignKey(Ticket, models.CASCADE, related_name="links_in")
    kind = models.CharField(max_length=20, choices=LinkKind)
    made_by = models.ForeignKey(Person, models.PROTECT, null=True)
    made_s = models.BigIntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["source", "target", "kind"], name="linked_once"),
            models.CheckConstraint(condition=~Q(source=F("target")), name="not_to_itself"),
        ]


class ApprovalState(models.TextChoices):
    PENDING = "pending"
    APPROVED = "approved"
    REFUSED = "refused"
    WITHDRAWN = "withdrawn"
    PASSED_ON = "passed on"
    NOT_NEEDED = "not needed"


class StageState(models.TextChoices):
    TO_COME = "to come"
    SKIPPED = "skipped"
    PENDING = "pending"
    APPROVED = "approved"
    REFUSED = "refused"
    DROPPED = "dropped"


class RouteStage(models.Model):
    """One stage of a request's approval route, as it was worked out for this request."""

    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="stages")
    position = models.PositiveSmallIntegerField()
    key = models.CharField(max_length=80)
    name = models.CharField(max_length=120)
    state = models.CharField(max_length=12, choices=StageState, default=StageState.TO_COME)
    # Why it is asked or skipped, and what was said of who can decide.
    because = models.CharField(max_length=300, blank=True)
    notes = models.JSONField(default=list)
    # Answers changed after a decision make another round of the same stage.
    round = models.PositiveSmallIntegerField(default=1)
    quorum = models.JSONField(default=str)
    since_s = models.BigIntegerField(null=True)
    ended_s = models.BigIntegerField(null=True)
    remind_s = models.BigIntegerField(null=True)
    decide_by_s = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["ticket", "position"]
        constraints = [
            models.UniqueConstraint(fields=["ticket", "position"], name="stage_position")
        ]
        indexes = [
            models.Index(
                fields=["remind_s"],
                condition=Q(state="pending", remind_s__isnull=False),
                name="stage_remind",
            ),
            models.Index(
                fields=["decide_by_s"],
                condition=Q(state="pending", decide_by_s__isnull=False),
                name="stage_decide_by",
            ),
        ]


class Through(models.TextChoices):
    """How a decision came."""

    SIGNED_IN = "signed in", "signed in"
    LINK = "link", "by the link of the mail"
    MAIL = "mail", "by answering the mail"


class Approval(models.Model):
    """Something asked of one person: by hand ("4,000 for a licence") or by a stage."""

    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="approvals")
    asked_of = models.ForeignKey(Person, models.PROTECT, related_name="approvals")
    asked_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    stage = models.ForeignKey(RouteStage, models.CASCADE, null=True, related_name="asked")
    # Whom they stand in for, and why it is they who are asked.
    instead_of = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    because = models.CharField(max_length=300, blank=True)
    round = models.PositiveSmallIntegerField(default=1)
    # Those of a board to which one question was passed on share its number: the first decides.
    seat = models.BigIntegerField(null=True)
    # A question put back to the requester, or a date it is put off to.
    question = models.CharField(max_length=500, blank=True)
    until_s = models.BigIntegerField(null=True)
    # What was asked back and how it was answered: [{"question", "answer"}].
    answered = models.JSONField(default=list)
    what = models.CharField(max_length=500)
    cost_pence = models.BigIntegerField(null=True)
    state = models.CharField(max_length=12, choices=ApprovalState, default=ApprovalState.PENDING)
    reason = models.CharField(max_length=500, blank=True)
    asked_s = models.BigIntegerField()
    decided_s = models.BigIntegerField(null=True)
    decided_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    through = models.CharField(max_length=12, choices=Through, blank=True)

    class Meta:
        ordering = ["id"]
        indexes = [
            models.Index(fields=["asked_of"], condition=Q(state="pending"), name="approval_pending")
        ]


class Affected(models.Model):
    """Somebody whom an announced outage hits too; they hear when it is over."""

    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="hits")
    person = models.ForeignKey(Person, models.CASCADE, related_name="+")
    at_s = models.BigIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["ticket", "person"], name="hit_once")]


class ExternalWorkKind(models.TextChoices):
    DEVELOPMENT = "development", "development tracker"
    REMOTE = "remote help", "remote help"
    RUNBOOK = "runbook", "runbook"


class ExternalWork(models.Model):
    """Something in another system that a ticket led to, and how it stands there."""

    ticket = models.ForeignKey(Ticket, models.CASCADE, related_name="outward")
    kind = models.CharField(max_length=20, choices=ExternalWorkKind)
    key = models.CharField(max_length=80)
    title = models.CharField(max_length=200)
    state = models.CharField(max_length=40)
    inputs = models.JSONField(default=dict)
    log = models.JSONField(default=list)
    started_by = models.ForeignKey(Person, models.PROTECT, null=True)
    made_s = models.BigIntegerField()
    changed_s = models.BigIntegerField()
    ended_s = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["kind", "key"], name="outward_key")]


class SurveyAnswer(models.Model):
    """How it was, as the requester says after closing; asked once for each ticket."""

    ticket = models.OneToOneField(Ticket, models.CASCADE, related_name="survey")
    questions = models.JSONField(default=list)
    score = models.PositiveSmallIntegerField(null=True)
    answers = models.JSONField(default=dict)
    text = models.TextField(blank=True)
    asked_s = models.BigIntegerField()
    answered_s = models.BigIntegerField(null=True)


class Alert(models.Model):
    """One fault as monitoring reports it, told apart by its key."""

    key = models.CharField(max_length=160, unique=True)
    ticket = models.ForeignKey(Ticket, models.SET_NULL, null=True, related_name="alerts")
    ci = models.ForeignKey("estate.ConfigItem", models.SET_NULL, null=True)
    title = models.CharField(max_length=200)
    is_firing = models.PositiveSmallIntegerField(default=1)
    count = models.PositiveIntegerField(default=1)
    first_s = models.BigIntegerField()
    last_s = models.BigIntegerField()
