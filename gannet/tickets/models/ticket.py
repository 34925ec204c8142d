"""The ticket: one row a list can be read from.

Everything here that could be derived from events (state, move, markers, due) is written
by the one place that recomputes it, `tickets.actions.frame`, after each act. What lists
sort by and reports group by is kept as integers: SQLite stores datetimes as text, and
boolean columns spoil its use of indexes.
"""

from django.db import models
from django.db.models import F, Q

from gannet.estate.models import ConfigItem, Service
from gannet.people.models import Person, Team
from gannet.web.numbers import is_numbered
from gannet_core.lifecycle import Move, State


class StateCode(models.IntegerChoices):
    """The states that most kinds of record have; see `tickets.states` for those of one kind."""

    NEW = 1, State.NEW.value
    IN_PROGRESS = 2, State.IN_PROGRESS.value
    WAITING = 3, State.WAITING.value
    RESOLVED = 54, State.RESOLVED.value
    CLOSED = 55, State.CLOSED.value
    CANCELLED = 56, State.CANCELLED.value


OPEN_LIMIT = 49  # in states up to this one somebody has something to do


OPEN_COLUMNS = [
    "rank_s",
    "id",
    "is_open",
    "is_confidential",
    "requester",
    "holder",
    "team",
    "service",
    "ci",
    "kind",
    "priority",
    "impact",
    "urgency",
    "state",
    "status",
    "move",
    "category",
    "place",
    "channel",
    "title_folded",
    "opened_s",
    "changed_s",
    "held_s",
    "wrote_s",
    "replied_s",
    "due_s",
    "late_from_s",
    "calendar",
    "waiting_on",
    "is_unread",
    "needs_reply",
    "is_answered",
    "is_major_suggested",
    "is_announced",
    "tags_folded",
    "values_folded",
]


_WHOSE = ["is_confidential", "requester", "holder", "team"]
_WHOSE_BUT = {one: [name for name in _WHOSE if name != one] for one in _WHOSE}
# What decides in which order it is worked on, beside when it runs out.
_TURN = ["move", "late_from_s", "priority", "calendar"]
# What was open when is counted from these alone.
RESOLVED_COLUMNS = ["resolved_s", "opened_s", "closed_s", "kind", *_WHOSE]
CLOSED_COLUMNS = ["closed_s", "kind", "opened_s", "resolved_s", "is_open", *_WHOSE, "priority"]
CANCELLED_COLUMNS = ["closed_s", "resolved_s", "opened_s", *_WHOSE]


class MoveCode(models.IntegerChoices):
    OURS = 1, Move.OURS.value
    REQUESTER = 2, Move.REQUESTER.value
    SUPPLIER = 3, Move.SUPPLIER.value
    APPROVER = 4, Move.APPROVER.value
    SCHEDULED = 5, Move.SCHEDULED.value
    NOBODY = 6, Move.NOBODY.value


class Channel(models.TextChoices):
    PORTAL = "portal"
    MAIL = "e-mail"
    PHONE = "phone"
    API = "api"
    MONITORING = "monitoring"
    DESK = "desk"  # nobody asked for it: the desk opened it by itself


@is_numbered
class Ticket(models.Model):
    """A record of any kind; `id` is its number."""

    kind = models.CharField(max_length=20)
    title = models.CharField(max_length=200)
    title_folded = models.CharField(max_length=200, editable=False)
    requester = models.ForeignKey(Person, models.PROTECT, related_name="asked")
    service = models.ForeignKey(Service, models.PROTECT, null=True)
    ci = models.ForeignKey(ConfigItem, models.PROTECT, null=True)
    category = models.CharField(max_length=80, blank=True)
    place = models.CharField(max_length=80, blank=True)
    channel = models.CharField(max_length=12, choices=Channel)
    answers = models.JSONField(default=dict)
    # Custom fields of the rulebook, as written and as conditions compare them.
    values = models.JSONField(default=dict)
    values_folded = models.JSONField(default=dict, editable=False)
    tags = models.JSONField(default=list)
    tags_folded = models.TextField(blank=True, editable=False)
    template = models.CharField(max_length=60, blank=True)
    parent = models.ForeignKey(
        "self", models.SET_NULL, null=True, db_index=False, related_name="children"
    )

    # For whom it is, when that is somebody else than who asked.
    beneficiary = models.ForeignKey(
        Person, models.PROTECT, null=True, db_index=False, related_name="receives"
    )
    # The approval route and how it ended: "", pending, approved, refused, automatic.
    route = models.CharField(max_length=80, blank=True)
    approval = models.CharField(max_length=12, blank=True)

    impact = models.PositiveSmallIntegerField()
    urgency = models.PositiveSmallIntegerField()
    # What nobody was asked yet is assumed, and says so wherever it is shown.
    is_impact_assumed = models.PositiveSmallIntegerField(default=0)
    is_urgency_assumed = models.PositiveSmallIntegerField(default=0)
    priority = models.PositiveSmallIntegerField()
    priority_reason = models.CharField(max_length=300, blank=True)

    team = models.ForeignKey(Team, models.PROTECT)
    holder = models.ForeignKey(Person, models.PROTECT, null=True, related_name="held")
    edition = models.PositiveIntegerField()
    agreement = models.CharField(max_length=60)
    care_tier = models.CharField(max_length=60, blank=True)

    state = models.PositiveSmallIntegerField(default=StateCode.NEW)
    status = models.CharField(max_length=40, blank=True)
    # A truth, not a number: asked for without a parameter, it picks the indexes of open tickets.
    is_open = models.BooleanField(default=True)
    move = models.PositiveSmallIntegerField(choices=MoveCode, default=MoveCode.OURS)
    waiting_on = models.CharField(max_length=20, blank=True)
    waiting_supplier = models.CharField(max_length=60, blank=True)
    waiting_reason = models.CharField(max_length=300, blank=True)
    waiting_since_s = models.BigIntegerField(null=True)
    waiting_until_s = models.BigIntegerField(null=True)

    is_unread = models.PositiveSmallIntegerField(default=1)
    needs_reply = models.PositiveSmallIntegerField(default=1)
    is_answered = models.PositiveSmallIntegerField(default=0)
    handed_to = models.ForeignKey(
        Person, models.SET_NULL, null=True, db_index=False, related_name="+"
    )

    # The next target of the customer's clocks: what lists sort by.
    due_kind = models.CharField(max_length=20, blank=True)
    due_s = models.BigIntegerField(null=True)
    late_from_s = models.BigIntegerField(null=True)
    left_seconds = models.BigIntegerField(null=True)
    calendar = models.CharField(max_length=60, blank=True)
    rank_s = models.BigIntegerField(default=0)
    # Who is told next by an escalation step, and when.
    next_step = models.CharField(max_length=160, blank=True)
    next_step_s = models.BigIntegerField(null=True)

    opened_s = models.BigIntegerField()
    changed_s = models.BigIntegerField()
    answered_s = models.BigIntegerField(null=True)
    resolved_s = models.BigIntegerField(null=True)
    closed_s = models.BigIntegerField(null=True)
    resolution = models.TextField(blank=True)
    resolver = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    is_first_line = models.PositiveSmallIntegerField(default=0)
    cause = models.CharField(max_length=80, blank=True)
    article = models.ForeignKey(
        "knowledge.Article",
        models.SET_NULL,
        null=True,
        related_name="resolved",
        db_index=False,
    )
    hand_overs = models.PositiveSmallIntegerField(default=0)
    handed_why = models.CharField(max_length=300, blank=True)
    reopenings = models.PositiveSmallIntegerField(default=0)

    # How much was said, by whom last, and since when it has been where it is.
    messages = models.PositiveIntegerField(default=0)
    wrote_s = models.BigIntegerField(null=True)
    replied_s = models.BigIntegerField(null=True)
    held_s = models.BigIntegerField(null=True)
    # Counted from the rows that hang on it, in the transaction that changes them.
    all_tasks = models.PositiveSmallIntegerField(default=0)
    open_tasks = models.PositiveSmallIntegerField(default=0)
    open_approvals = models.PositiveSmallIntegerField(default=0)
    minutes = models.PositiveIntegerField(default=0)
    cost_pence = models.BigIntegerField(default=0)
    spent_pence = models.BigIntegerField(default=0)
    score = models.PositiveSmallIntegerField(null=True)
    duplicate_of = models.ForeignKey(
        "self", models.SET_NULL, null=True, db_index=False, related_name="duplicates"
    )
    is_spam = models.PositiveSmallIntegerField(default=0)
    alert_key = models.CharField(max_length=160, blank=True)

    is_major_suggested = models.PositiveSmallIntegerField(default=0)
    is_confidential = models.PositiveSmallIntegerField(default=0)
    public_title = models.CharField(max_length=200, blank=True)
    is_announced = models.BooleanField(default=False)
    next_news_s = models.BigIntegerField(null=True)

    version = models.PositiveIntegerField(default=1)
    # Of what people set: at which version it last changed, and by whom; see tickets.seen.
    changed_at_version = models.JSONField(default=dict, editable=False)

    class Meta:
        indexes = [
            # All that lists of open tickets are chosen, ordered, grouped and counted by: they
            # are read from here alone, however many tickets are closed.
            models.Index(fields=OPEN_COLUMNS, condition=Q(is_open=True), name="ticket_open"),
            *(
                models.Index(
                    fields=[column, "id"], condition=Q(is_open=True), name=f"open_{column}"
                )
                for column in ("opened_s", "changed_s", "title_folded", "priority")
            ),
            # With all that decides whose turn it is, and whose eyes: Lookout reads nothing else
            # of what somebody holds, or of what nobody in their teams does.
            *(
                models.Index(
                    fields=[one, "rank_s", "id", *_TURN, *_WHOSE_BUT[one]],
                    condition=Q(is_open=True),
                    name=f"ticket_{one}_rank",
                )
                for one in ("team", "holder")
            ),
            models.Index(
                fields=["service", "rank_s", "id"],
                condition=Q(is_open=True),
                name="ticket_service",
            ),
            models.Index(
                fields=["requester", "opened_s"],
                condition=Q(is_open=True),
                name="ticket_requester_open",
            ),
            models.Index(fields=["requester", "opened_s"], name="ticket_requester"),
            # Few tickets point at another; of the rest there is nothing to look up.
            *(
                models.Index(
                    fields=[column],
                    condition=Q(**{f"{column}__isnull": False}),
                    name=f"ticket_{column}",
                )
                for column in ("parent", "beneficiary", "handed_to", "duplicate_of", "article")
            ),
            models.Index(fields=["title_folded", "id"], name="ticket_title"),
            # Counted by item, but for what is confidential.
            models.Index(fields=["ci", "opened_s", "is_confidential"], name="ticket_of_ci"),
            models.Index(fields=["opened_s", "id"], name="ticket_opened"),
            models.Index(fields=["rank_s", "id"], name="ticket_rank"),
            models.Index(fields=["changed_s", "id"], name="ticket_changed"),
            models.Index(fields=RESOLVED_COLUMNS, name="ticket_resolved"),
            # What reports of closed work are chosen, seen and grouped by.
            models.Index(
                fields=CLOSED_COLUMNS, condition=Q(closed_s__isnull=False), name="ticket_closed"
            ),
            models.Index(
                fields=CANCELLED_COLUMNS,
                condition=Q(resolved_s__isnull=True),
                name="ticket_cancelled",
            ),
            models.Index(fields=["alert_key"], condition=~Q(alert_key=""), name="ticket_alert_key"),
            models.Index(
                fields=["next_news_s"], condition=Q(is_announced=True), name="ticket_announced"
            ),
        ]
        constraints = [
            models.CheckConstraint(
                condition=Q(state__lte=OPEN_LIMIT, is_open=True)
                | Q(state__gt=OPEN_LIMIT, is_open=False),
                name="open_means_open_state",
            ),
            models.CheckConstraint(
                condition=Q(version__gte=1) & Q(changed_s__gte=F("opened_s")),
                name="changed_after_opened",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.kind} {self.pk}"

    @property
    def is_undecided(self) -> bool:
        """Whether approvers are still to let it go ahead: no date is promised before."""
        return bool(self.route) and self.approval in ("", "pending")
