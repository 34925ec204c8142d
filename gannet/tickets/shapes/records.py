"""What the acts of a ticket's page take, and what stands around its conversation."""

from rest_framework import serializers

from gannet.tickets.actions import leftovers
from gannet.tickets.shapes.lists import ReminderShape
from gannet.web.shape import NamedShape, Shape
from gannet_core.routing import MODES


class VersionedShape(Shape):
    version = serializers.IntegerField(required=False, allow_null=True, default=None)


class ReplyShape(Shape):
    """A reply, whom it goes to, and the last message its writer has read."""

    text = serializers.CharField(max_length=60_000, allow_blank=True)
    attachments = serializers.ListField(
        child=serializers.UUIDField(), required=False, default=list, max_length=10
    )
    to_requester = serializers.BooleanField(required=False, default=True)
    followers = serializers.ListField(
        child=serializers.IntegerField(), required=False, allow_null=True, default=None
    )
    people = serializers.ListField(
        child=serializers.IntegerField(), required=False, default=list, max_length=20
    )
    outside = serializers.ListField(
        child=serializers.CharField(max_length=254), required=False, default=list, max_length=10
    )
    seen_event = serializers.IntegerField(required=False, allow_null=True, default=None)


class LeftoverShape(Shape):
    """What becomes of one thing that is still open with a record that is resolved."""

    kind = serializers.ChoiceField(leftovers.KINDS)
    id = serializers.IntegerField()
    becomes = serializers.ChoiceField(leftovers.ALL_BECOME)


class LeftOpenShape(Shape):
    """One thing that is still open with a record, and what can become of it."""

    kind = serializers.CharField()
    id = serializers.IntegerField()
    words = serializers.CharField()
    becomes = serializers.ListField(child=serializers.CharField())


class ResolvingShape(VersionedShape):
    what = serializers.CharField(max_length=20_000, allow_blank=True)
    cause = serializers.CharField(max_length=80, allow_blank=True, required=False, default="")
    article = serializers.IntegerField(required=False, allow_null=True, default=None)
    # Make a new article's draft of what was done.
    drafts_article = serializers.BooleanField(required=False, default=False)
    # Of each open task, question and announcement: what becomes of it.
    left = LeftoverShape(many=True, required=False, default=list)


class EscalateShape(VersionedShape):
    comment = serializers.CharField(max_length=2_000, allow_blank=True)
    # The service of a ticket that has none yet.
    service = serializers.IntegerField(required=False, allow_null=True, default=None)


class MarkLaterShape(Shape):
    is_marked = serializers.BooleanField()


class RemindShape(Shape):
    at = serializers.DateTimeField()
    text = serializers.CharField(max_length=300, allow_blank=True, required=False, default="")


class PutOffShape(Shape):
    at = serializers.DateTimeField()


class TaskInShape(Shape):
    title = serializers.CharField(max_length=200, allow_blank=True)
    team = serializers.IntegerField(required=False, allow_null=True)
    person = serializers.IntegerField(required=False, allow_null=True)
    after = serializers.ListField(child=serializers.IntegerField(), required=False, max_length=60)
    estimate_minutes = serializers.IntegerField(required=False, min_value=0, max_value=100_000)
    cost_pence = serializers.IntegerField(required=False, min_value=0, max_value=10**11)
    due_s = serializers.IntegerField(required=False, allow_null=True)
    spent_pence = serializers.IntegerField(
        required=False, allow_null=True, min_value=0, max_value=10**11
    )
    phase = serializers.CharField(required=False, allow_blank=True, max_length=40)
    mode = serializers.ChoiceField(choices=MODES, required=False, allow_blank=True)
    outputs = serializers.ListField(
        child=serializers.CharField(max_length=60), required=False, max_length=10
    )


class FollowUpTaskShape(Shape):
    """A task that is to be done whether its record has ended or not."""

    title = serializers.CharField(max_length=200, allow_blank=True)
    team = serializers.IntegerField(required=False, allow_null=True)
    person = serializers.IntegerField(required=False, allow_null=True)
    estimate_minutes = serializers.IntegerField(required=False, min_value=0, max_value=100_000)
    cost_pence = serializers.IntegerField(required=False, min_value=0, max_value=10**11)
    due_s = serializers.IntegerField(required=False, allow_null=True)


class TaskChangeShape(TaskInShape):
    title = serializers.CharField(max_length=200, allow_blank=True, required=False)


class ValueShape(Shape):
    """What a task reads or yields; the value is empty until it is known."""

    name = serializers.CharField()
    value = serializers.CharField()


class TaskOutShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    team = NamedShape(allow_null=True)
    person = NamedShape(allow_null=True)
    state = serializers.CharField()
    after = serializers.ListField(child=serializers.IntegerField())
    is_ready = serializers.BooleanField()
    phase = serializers.CharField()
    outlives = serializers.BooleanField()
    is_automatic = serializers.BooleanField()
    estimate_minutes = serializers.IntegerField()
    cost_pence = serializers.IntegerField()
    spent_pence = serializers.IntegerField(allow_null=True)
    mode = serializers.CharField()
    inputs = ValueShape(many=True)
    outputs = ValueShape(many=True)
    only_if = serializers.CharField(help_text="what must come of an earlier one, in words")
    due_s = serializers.IntegerField(allow_null=True)
    done_s = serializers.IntegerField(allow_null=True)
    done_by = serializers.CharField()


class LogTimeShape(Shape):
    minutes = serializers.IntegerField(min_value=1, max_value=1440)
    what = serializers.CharField(max_length=200, allow_blank=True, required=False, default="")


class StopTimeShape(Shape):
    what = serializers.CharField(max_length=200, allow_blank=True, required=False, default="")
    minutes = serializers.IntegerField(required=False, allow_null=True, default=None)


class TimeEntryShape(Shape):
    id = serializers.IntegerField()
    person = serializers.CharField()
    is_mine = serializers.BooleanField()
    minutes = serializers.IntegerField()
    what = serializers.CharField()
    at_s = serializers.IntegerField()


class TimeShape(Shape):
    """Time logged: by whom, in all, and since when one's own runs."""

    entries = TimeEntryShape(many=True)
    total_minutes = serializers.IntegerField()
    by_person = serializers.ListField(child=serializers.DictField())
    running_since_s = serializers.IntegerField(allow_null=True)
    others_running = serializers.ListField(child=serializers.CharField())


class AskApprovalShape(VersionedShape):
    of = serializers.IntegerField()
    what = serializers.CharField(max_length=500, allow_blank=True)
    cost_pence = serializers.IntegerField(required=False, allow_null=True, default=None)
    # Nothing said: it waits where the asker may stop its clocks for that.
    waits = serializers.BooleanField(required=False, allow_null=True, default=None)


class DecideShape(Shape):
    approves = serializers.BooleanField()
    reason = serializers.CharField(max_length=500, allow_blank=True, required=False, default="")


class LinkInShape(Shape):
    kind = serializers.ChoiceField(["caused by", "duplicate of", "related to", "blocks"])
    other = serializers.IntegerField()


class LinkOutShape(Shape):
    id = serializers.IntegerField()
    says = serializers.CharField()
    other = serializers.IntegerField()
    title = serializers.CharField()
    state = serializers.CharField()
    kind = serializers.CharField()


class MergeShape(Shape):
    into = serializers.IntegerField()


class UnwantedShape(Shape):
    remembers = serializers.BooleanField(required=False, default=True)


class PassOutShape(Shape):
    kind = serializers.ChoiceField(["development", "remote help", "runbook"])
    title = serializers.CharField(max_length=200, allow_blank=True, required=False, default="")
    inputs = serializers.DictField(
        child=serializers.CharField(max_length=200, allow_blank=True), required=False, default=dict
    )


class ExternalWorkShape(Shape):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    key = serializers.CharField()
    title = serializers.CharField()
    state = serializers.CharField()
    log = serializers.ListField(child=serializers.CharField())
    started_by = serializers.CharField()
    made_s = serializers.IntegerField()
    changed_s = serializers.IntegerField()
    is_over = serializers.BooleanField()


class RedactShape(Shape):
    reason = serializers.CharField(max_length=300, allow_blank=True)


class MineShape(Shape):
    """What only the reader keeps about the ticket."""

    is_marked = serializers.BooleanField()
    reminders = ReminderShape(many=True)


class SurveyAnswerLineShape(Shape):
    label = serializers.CharField()
    answer = serializers.CharField()


class SurveySaidShape(Shape):
    score = serializers.IntegerField(allow_null=True)
    text = serializers.CharField()
    asked_s = serializers.IntegerField()
    answered_s = serializers.IntegerField(allow_null=True)
    answers = SurveyAnswerLineShape(many=True)


class MergedShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    requester = serializers.CharField()


class EscalationShape(Shape):
    """Where *Escalate* would bring it, or why it stays."""

    team = serializers.CharField()
    says = serializers.CharField()
    # It has no service yet, so the act asks for it.
    asks_service = serializers.BooleanField()


class SimilarShape(Shape):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    title = serializers.CharField()
    state = serializers.CharField()
    opened_s = serializers.IntegerField()
    resolution = serializers.CharField()
    is_open = serializers.BooleanField()
    why = serializers.CharField()


class ArticleLineShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    used = serializers.IntegerField()
    for_everybody = serializers.BooleanField()


class HintShape(Shape):
    id = serializers.IntegerField()
    text = serializers.CharField()
    about = serializers.CharField()


class RecentShape(Shape):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    title = serializers.CharField()
    state = serializers.CharField()
    opened_s = serializers.IntegerField()


class TickedArticleShape(Shape):
    """An article of which steps are ticked on a ticket, and by whom last."""

    id = serializers.IntegerField()
    title = serializers.CharField()
    ticked = serializers.IntegerField()
    steps = serializers.IntegerField()
    person = serializers.CharField()
    at_s = serializers.IntegerField()


class TickShape(Shape):
    """The places of the steps that are done, of the version that was read."""

    version = serializers.IntegerField()
    ticked = serializers.ListField(child=serializers.IntegerField(), max_length=500)


class TickedStepsShape(Shape):
    version = serializers.IntegerField()
    steps = serializers.IntegerField()
    ticked = serializers.ListField(child=serializers.IntegerField())
    person = serializers.CharField()
    at_s = serializers.IntegerField(allow_null=True)


class HelpShape(Shape):
    """What may help with a ticket: hints, duplicates, similar and recent ones, articles."""

    hints = HintShape(many=True)
    duplicates = SimilarShape(many=True)
    similar = SimilarShape(many=True)
    articles = ArticleLineShape(many=True)
    linking = ArticleLineShape(many=True, help_text="articles that link to it")
    ticked = TickedArticleShape(many=True)
    of_ci = RecentShape(many=True)
    of_requester = RecentShape(many=True)


class RunbookShape(Shape):
    key = serializers.CharField()
    name = serializers.CharField()
    about = serializers.CharField()
    inputs = serializers.DictField(child=serializers.CharField())


class DraftedShape(Shape):
    """The article that was drafted."""

    number = serializers.IntegerField()
