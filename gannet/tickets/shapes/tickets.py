"""The shapes of the API: what goes in is checked here, what comes out is documented."""

from rest_framework import serializers

from gannet.tickets.shapes import records
from gannet.tickets.shapes.lists import ApprovalShape, RowShape
from gannet.tickets.shapes.plan import PlanShape
from gannet.tickets.shapes.sections import WithSections
from gannet.web.shape import NamedShape, Shape


class ChoiceShape(Shape):
    key = serializers.CharField()
    label = serializers.CharField()
    level = serializers.IntegerField(required=False)


class QuestionShape(Shape):
    key = serializers.CharField()
    asks = serializers.CharField()
    kind = serializers.CharField()
    choices = ChoiceShape(many=True)


class ItemGroupShape(Shape):
    key = serializers.CharField()
    name = serializers.CharField()


class ServiceShape(NamedShape):
    plain = serializers.CharField()
    team = serializers.CharField()


class StarterShape(Shape):
    key = serializers.CharField()
    name = serializers.CharField()
    is_mine = serializers.BooleanField()
    template = serializers.CharField(allow_blank=True)
    values = serializers.DictField()


class TemplateShape(Shape):
    key = serializers.CharField()
    name = serializers.CharField()
    category = serializers.CharField(allow_blank=True)
    prefill = serializers.DictField()


class ManyActShape(Shape):
    """An act that can be done to many tickets."""

    name = serializers.CharField()
    label = serializers.CharField()
    button = serializers.CharField()
    in_routines = serializers.BooleanField()


class ChoicesShape(Shape):
    services = ServiceShape(many=True)
    item_groups = ItemGroupShape(many=True, help_text="for the desk")
    categories = serializers.ListField(child=serializers.CharField())
    places = serializers.ListField(child=serializers.CharField())
    suppliers = serializers.ListField(child=serializers.CharField())
    impact = serializers.ListField(child=serializers.CharField())
    urgency = serializers.ListField(child=serializers.CharField())
    questions = QuestionShape(many=True)
    starters = StarterShape(many=True)
    templates = TemplateShape(many=True)
    waits = ChoiceShape(many=True)
    priorities = serializers.ListField(child=serializers.IntegerField())
    # What can be done to many tickets at once.
    acts_on_many = ManyActShape(many=True)


class FileShape(Shape):
    id = serializers.UUIDField()
    name = serializers.CharField()
    size = serializers.IntegerField()
    content_type = serializers.CharField()
    is_picture = serializers.BooleanField()


class FollowerShape(NamedShape):
    # Somebody who is asked for an approval: they read it, and get no replies unasked.
    only_reads = serializers.BooleanField()


class SentShape(Shape):
    """How one message of a reply fared."""

    to = serializers.CharField()
    state = serializers.ChoiceField(["waiting", "left", "failing", "bounced", "not sent"])
    at_s = serializers.IntegerField()
    problem = serializers.CharField()


class EntryShape(Shape):
    """One entry of a conversation: a message, or something that happened."""

    id = serializers.IntegerField()
    at_s = serializers.IntegerField()
    kind = serializers.CharField()
    is_message = serializers.BooleanField()
    is_desk_only = serializers.BooleanField()
    by_desk = serializers.BooleanField()
    is_automatic = serializers.BooleanField()
    is_undone = serializers.BooleanField()
    is_redacted = serializers.BooleanField()
    actor = serializers.CharField()
    actor_id = serializers.IntegerField(allow_null=True)
    text = serializers.CharField()
    # The text as harmless HTML, where it has marks; else empty.
    html = serializers.CharField()
    # What happened, in a sentence.
    sentence = serializers.CharField()
    channel = serializers.CharField()
    # Why nobody vouches for who wrote it; empty where somebody does.
    unverified = serializers.CharField()
    files = FileShape(many=True)
    # To whom it went by mail, and whether it left; told to the desk.
    sent_to = SentShape(many=True)
    # The duplicate it was said on, where that was merged into the ticket shown.
    of = serializers.IntegerField(allow_null=True)


class LedgerRowShape(Shape):
    from_s = serializers.IntegerField()
    to_s = serializers.IntegerField()
    kind = serializers.CharField()
    seconds = serializers.IntegerField()


class ClockShape(Shape):
    key = serializers.CharField()
    kind = serializers.CharField()
    label = serializers.CharField()
    holder = serializers.CharField()
    state = serializers.CharField()
    target_seconds = serializers.IntegerField()
    normal_seconds = serializers.IntegerField()
    consumed_seconds = serializers.IntegerField()
    remaining_seconds = serializers.IntegerField()
    due_s = serializers.IntegerField(allow_null=True)
    late_from_s = serializers.IntegerField(allow_null=True)
    missed_s = serializers.IntegerField(allow_null=True)
    calendar = serializers.CharField()
    rows = LedgerRowShape(many=True)
    ahead = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))


class HolderShape(Shape):
    from_s = serializers.IntegerField()
    to_s = serializers.IntegerField(allow_null=True)
    team = serializers.CharField()
    person = serializers.CharField()


class MarkShape(Shape):
    at_s = serializers.IntegerField()
    kind = serializers.CharField()


class LifelineShape(Shape):
    from_s = serializers.IntegerField()
    holders = HolderShape(many=True)
    clocks = ClockShape(many=True)
    marks = MarkShape(many=True)


class RequesterShape(NamedShape):
    department = serializers.CharField()
    job = serializers.CharField()
    place = serializers.CharField()
    phone = serializers.CharField()
    zone = serializers.CharField()
    email = serializers.CharField()


class TeamRefShape(NamedShape):
    key = serializers.CharField()


class FactsShape(Shape):
    priority = serializers.IntegerField()
    priority_reason = serializers.CharField()
    impact = serializers.IntegerField()
    impact_label = serializers.CharField()
    is_impact_assumed = serializers.BooleanField(help_text="nobody has stated it yet")
    is_urgency_assumed = serializers.BooleanField(help_text="nobody has stated it yet")
    urgency = serializers.IntegerField()
    urgency_label = serializers.CharField()
    service = NamedShape(allow_null=True)
    ci = NamedShape(allow_null=True)
    category = serializers.CharField()
    place = serializers.CharField()
    requester = RequesterShape()
    team = TeamRefShape()
    holder = NamedShape(allow_null=True)
    agreement = serializers.CharField()
    care_tier = serializers.CharField()
    care_share = serializers.CharField()
    edition = serializers.IntegerField()


class DueShape(Shape):
    kind = serializers.CharField()
    due_s = serializers.IntegerField(allow_null=True)
    late_from_s = serializers.IntegerField(allow_null=True)
    left_seconds = serializers.IntegerField(allow_null=True)
    calendar = serializers.CharField()


class WaitingShape(Shape):
    on = serializers.CharField()
    reason = serializers.CharField()
    since_s = serializers.IntegerField(allow_null=True)
    until_s = serializers.IntegerField(allow_null=True)


class MarkersShape(Shape):
    is_unread = serializers.BooleanField()
    needs_reply = serializers.BooleanField()
    is_answered = serializers.BooleanField()
    is_for_you = serializers.BooleanField()


class AnnouncementShape(Shape):
    title = serializers.CharField()
    next_news_s = serializers.IntegerField(allow_null=True)


class FieldStateShape(Shape):
    """One field of a form for one audience at one moment."""

    field = serializers.CharField()
    label = serializers.CharField()
    type = serializers.CharField()
    hint = serializers.CharField(allow_blank=True)
    is_shown = serializers.BooleanField()
    is_required = serializers.BooleanField()
    is_read_only = serializers.BooleanField()
    value = serializers.JSONField(allow_null=True)
    # Its bounds as the picker keeps to them; what they are stands in the hint.
    limits = serializers.DictField(child=serializers.JSONField())
    choices = serializers.ListField(child=serializers.DictField(child=serializers.CharField()))


class ChildShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()


FOLLOW_UP_FIELDS = {"as": serializers.CharField(), "text": serializers.CharField()}
FollowUpShape = type("FollowUpShape", (Shape,), FOLLOW_UP_FIELDS)


class NextStepShape(Shape):
    says = serializers.CharField()
    at_s = serializers.IntegerField()


class ActFieldShape(Shape):
    """One thing that an act asks for."""

    name = serializers.CharField()
    label = serializers.CharField()
    type = serializers.CharField()
    choices = serializers.ListField(child=serializers.CharField())
    is_needed = serializers.BooleanField()


class ActShape(Shape):
    """An act as a record offers it; `why_not` says in words why it cannot be done now."""

    name = serializers.CharField()
    label = serializers.CharField()
    command = serializers.CharField()
    key = serializers.CharField()
    place = serializers.CharField()
    is_undoable = serializers.BooleanField()
    why_not = serializers.CharField()
    # What it would come to, if that is worth saying before.
    hint = serializers.CharField(allow_blank=True)
    asks = ActFieldShape(many=True)


class PanelRowShape(Shape):
    label = serializers.CharField()
    words = serializers.CharField(allow_blank=True)


class PanelShape(Shape):
    """A part of the page that the record's kind adds."""

    key = serializers.CharField()
    label = serializers.CharField()
    rows = PanelRowShape(many=True)


class TicketShape(WithSections):
    """A ticket as the desk sees it, with the conversation and the lifeline."""

    id = serializers.IntegerField()
    kind = serializers.CharField()
    version = serializers.IntegerField()
    title = serializers.CharField()
    state = serializers.CharField()
    move = serializers.CharField()
    is_open = serializers.BooleanField()
    channel = serializers.CharField()
    opened_s = serializers.IntegerField()
    resolved_s = serializers.IntegerField(allow_null=True)
    closes_s = serializers.IntegerField(allow_null=True)
    resolution = serializers.CharField()
    facts = FactsShape()
    due = DueShape()
    waiting = WaitingShape(allow_null=True)
    status = serializers.CharField(allow_blank=True)
    statuses = ChoiceShape(many=True)
    fields_ = FieldStateShape(many=True)
    tags = serializers.ListField(child=serializers.CharField())
    tasks = records.TaskOutShape(many=True)
    plan = PlanShape(allow_null=True)
    open_children = serializers.ListField(child=serializers.IntegerField())
    time = records.TimeShape()
    approvals = ApprovalShape(many=True)
    links = records.LinkOutShape(many=True)
    merged = records.MergedShape(many=True)
    duplicate_of = serializers.IntegerField(allow_null=True)
    outward = records.ExternalWorkShape(many=True)
    mine = records.MineShape()
    survey = records.SurveySaidShape(allow_null=True)
    escalation = records.EscalationShape(allow_null=True)
    left_open = records.LeftOpenShape(many=True)
    # What the reader may set it waiting on.
    waits = serializers.ListField(child=serializers.CharField())
    cause = serializers.CharField()
    article = records.ArticleLineShape(allow_null=True)
    resolver = serializers.CharField()
    is_first_line = serializers.BooleanField()
    is_spam = serializers.BooleanField()
    # The newest event that this answer knows of.
    last_event = serializers.IntegerField()
    panels = PanelShape(many=True)
    parent = serializers.IntegerField(allow_null=True)
    children = ChildShape(many=True)
    template = serializers.CharField(allow_blank=True)
    follow_ups = FollowUpShape(many=True)
    is_major_suggested = serializers.BooleanField()
    next_step = NextStepShape(allow_null=True)
    markers = MarkersShape()
    announcement = AnnouncementShape(allow_null=True)
    is_confidential = serializers.BooleanField()
    followers = FollowerShape(many=True)
    conversation = EntryShape(many=True)
    lifeline = LifelineShape()
    acts = ActShape(many=True)
    undo_event = serializers.IntegerField(allow_null=True)
    now_s = serializers.IntegerField()


TicketShape._declared_fields["fields"] = TicketShape._declared_fields.pop("fields_")


class StepShape(Shape):
    label = serializers.CharField()
    value = serializers.CharField(required=False)
    chosen = serializers.BooleanField(required=False)
    from_s = serializers.IntegerField(required=False)
    to_s = serializers.IntegerField(required=False)
    at_s = serializers.IntegerField(required=False)
    seconds = serializers.IntegerField(required=False)
    from_seconds = serializers.IntegerField(required=False)
    is_apart = serializers.BooleanField(required=False)
    is_total = serializers.BooleanField(required=False)


class WhyShape(Shape):
    title = serializers.CharField()
    subtitle = serializers.CharField()
    steps = StepShape(many=True)


class LoggedShape(Shape):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    priority = serializers.IntegerField()
    service = serializers.CharField(allow_blank=True)
    team = serializers.CharField()
    holder = serializers.CharField(allow_blank=True)
    answer_due_s = serializers.IntegerField(allow_null=True)
    fix_due_s = serializers.IntegerField(allow_null=True)


class LogShape(Shape):
    """What the desk writes down when somebody calls."""

    # The kind of record; an incident when nothing is said.
    kind = serializers.CharField(max_length=20, allow_blank=True, default="")
    requester = serializers.IntegerField()
    title = serializers.CharField(max_length=200)
    text = serializers.CharField(max_length=50_000, allow_blank=True, default="")
    service = serializers.IntegerField(allow_null=True, default=None)
    ci = serializers.IntegerField(allow_null=True, default=None)
    place = serializers.CharField(max_length=80, allow_blank=True, default="")
    answers = serializers.DictField(child=serializers.CharField(max_length=80), default=dict)
    is_confidential = serializers.BooleanField(default=False)
    template = serializers.CharField(max_length=60, allow_blank=True, default="")
    category = serializers.CharField(max_length=80, allow_blank=True, default="")
    values = serializers.DictField(default=dict)
    attachments = serializers.ListField(child=serializers.UUIDField(), default=list)
    # Who gets it, if not as it would be routed: a team, or a person.
    team = serializers.IntegerField(allow_null=True, default=None)
    person = serializers.IntegerField(allow_null=True, default=None)
    # The ticket that it is to be a part of.
    parent = serializers.IntegerField(allow_null=True, default=None)


class PreviewLogShape(LogShape):
    """As much of it as is typed so far."""

    requester = serializers.IntegerField(allow_null=True, default=None)
    title = serializers.CharField(max_length=200, allow_blank=True, default="")


class ChangeShape(Shape):
    """Facts to change; only those given are changed. `version` is the one that was read."""

    version = serializers.IntegerField()
    title = serializers.CharField(max_length=200, required=False)
    service = serializers.IntegerField(allow_null=True, required=False)
    ci = serializers.IntegerField(allow_null=True, required=False)
    requester = serializers.IntegerField(required=False)
    category = serializers.CharField(max_length=80, allow_blank=True, required=False)
    place = serializers.CharField(max_length=80, allow_blank=True, required=False)
    impact = serializers.IntegerField(required=False)
    urgency = serializers.IntegerField(required=False)
    status = serializers.CharField(max_length=40, allow_blank=True, required=False)
    tags = serializers.ListField(
        child=serializers.CharField(max_length=40), max_length=30, required=False
    )
    values = serializers.DictField(required=False)


class TextShape(Shape):
    text = serializers.CharField(max_length=50_000, allow_blank=True)
    attachments = serializers.ListField(child=serializers.UUIDField(), default=list)


class TakeShape(Shape):
    seen_holder = serializers.IntegerField(allow_null=True, default=None)
    force = serializers.BooleanField(default=False)


class WaitShape(Shape):
    on = serializers.ChoiceField(choices=["requester", "supplier", "date"])
    reason = serializers.CharField(max_length=2000, allow_blank=True)
    until = serializers.DateTimeField(allow_null=True, default=None)
    supplier = serializers.CharField(max_length=60, allow_blank=True, default="")
    version = serializers.IntegerField(allow_null=True, default=None)


class HandOverShape(Shape):
    team = serializers.IntegerField()
    person = serializers.IntegerField(allow_null=True, default=None)
    comment = serializers.CharField(max_length=5000, allow_blank=True)
    version = serializers.IntegerField(allow_null=True, default=None)


class PriorityShape(Shape):
    priority = serializers.IntegerField()
    reason = serializers.CharField(max_length=300, allow_blank=True)
    version = serializers.IntegerField(allow_null=True, default=None)


class ReasonShape(Shape):
    why = serializers.CharField(max_length=5000, allow_blank=True, default="")


class AnnounceShape(Shape):
    public_title = serializers.CharField(max_length=200, allow_blank=True)
    next_news = serializers.DateTimeField()


class FollowShape(Shape):
    person = serializers.IntegerField(allow_null=True, default=None)


class NothingShape(Shape):
    pass


class PresenceShape(Shape):
    is_typing = serializers.BooleanField(default=False)


class OtherShape(Shape):
    name = serializers.CharField()
    is_typing = serializers.BooleanField()


class DraftShape(Shape):
    body = serializers.DictField()
    kept_s = serializers.IntegerField(read_only=True, allow_null=True)


class CalendarSpansShape(Shape):
    key = serializers.CharField()
    name = serializers.CharField()
    spans = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))


class FoundArticleShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    state = serializers.CharField()
    for_everybody = serializers.BooleanField()


class PieceShape(Shape):
    text = serializers.CharField(trim_whitespace=False)
    is_hit = serializers.BooleanField()


class ExcerptShape(Shape):
    id = serializers.IntegerField()
    pieces = PieceShape(many=True)


class FoundShape(Shape):
    tickets = RowShape(many=True)
    articles = FoundArticleShape(many=True)


class AskFormShape(Shape):
    """What has been filled in so far; the answer is the state of each field."""

    audience = serializers.ChoiceField(choices=["requester", "agent"], default="requester")
    template = serializers.CharField(max_length=60, allow_blank=True, default="")
    category = serializers.CharField(max_length=80, allow_blank=True, default="")
    service = serializers.IntegerField(allow_null=True, default=None)
    answers = serializers.DictField(default=dict)


class TaskStateShape(Shape):
    state = serializers.ChoiceField(choices=["open", "done", "skipped"])
    outputs = serializers.DictField(
        child=serializers.CharField(max_length=200, allow_blank=True), default=dict
    )
    spent_pence = serializers.IntegerField(
        min_value=0, max_value=10**11, allow_null=True, default=None
    )


class OwnStarterShape(Shape):
    key = serializers.CharField(max_length=60)
    name = serializers.CharField(max_length=80)
    template = serializers.CharField(max_length=60, allow_blank=True, default="")
    values = serializers.DictField(default=dict)


class OwnStartersShape(Shape):
    starters = OwnStarterShape(many=True)
