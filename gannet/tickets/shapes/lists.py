"""What lists of tickets and saved views look like in the API."""

from rest_framework import serializers

from gannet.tickets.shapes.approvals import (
    AnsweredShape,
    AnswerShape,
    AskedPartShape,
    BeforeShape,
)
from gannet.tickets.turn_order import turn_name
from gannet.web.shape import NamedShape, Shape
from gannet_core.turn import Turn


class RowShape(Shape):
    """A ticket as lists show it; instants are epoch seconds."""

    id = serializers.IntegerField()
    kind = serializers.CharField()
    title = serializers.CharField()
    priority = serializers.IntegerField()
    state = serializers.CharField()
    move = serializers.CharField()
    place = serializers.CharField()
    opened_s = serializers.IntegerField()
    changed_s = serializers.IntegerField()
    resolved_s = serializers.IntegerField(allow_null=True)
    due_kind = serializers.CharField()
    due_s = serializers.IntegerField(allow_null=True)
    late_from_s = serializers.IntegerField(allow_null=True)
    left_seconds = serializers.IntegerField(allow_null=True)
    rank_s = serializers.IntegerField()
    calendar = serializers.CharField()
    waiting_on = serializers.CharField()
    waiting_reason = serializers.CharField()
    waiting_since_s = serializers.IntegerField(allow_null=True)
    waiting_until_s = serializers.IntegerField(allow_null=True)
    is_unread = serializers.BooleanField()
    needs_reply = serializers.BooleanField()
    is_answered = serializers.BooleanField()
    is_announced = serializers.BooleanField()
    is_confidential = serializers.BooleanField()
    handed_to_id = serializers.IntegerField(allow_null=True)
    holder_id = serializers.IntegerField(allow_null=True)
    version = serializers.IntegerField()
    open_tasks = serializers.IntegerField()
    open_approvals = serializers.IntegerField()
    handed_why = serializers.CharField()
    is_major_suggested = serializers.BooleanField()
    service = serializers.CharField(allow_null=True)
    team = serializers.CharField()
    holder = serializers.CharField(allow_null=True)
    requester = serializers.CharField()
    # Where it stands in the order of work, for a list that has it.
    turn = serializers.ChoiceField(choices=[turn_name(section) for section in Turn], required=False)
    # The extra columns that were asked for: field -> value.
    cells = serializers.DictField(child=serializers.JSONField(allow_null=True), required=False)


class PageShape(Shape):
    rows = RowShape(many=True)
    next_cursor = serializers.CharField(allow_null=True)
    now_s = serializers.IntegerField()
    sentence = serializers.CharField()
    # So many tickets have the words that only the newest of them were looked at.
    is_capped = serializers.BooleanField()


class TaskLineShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    ticket = serializers.IntegerField()
    ticket_title = serializers.CharField()
    is_mine = serializers.BooleanField()
    team = serializers.CharField()
    due_s = serializers.IntegerField(allow_null=True)
    waits_for = serializers.ListField(child=serializers.CharField())
    # What has to be said when it is done.
    outputs = serializers.ListField(child=serializers.CharField())


class ReminderShape(Shape):
    id = serializers.IntegerField()
    text = serializers.CharField()
    at_s = serializers.IntegerField()
    is_fired = serializers.BooleanField()
    ticket = serializers.IntegerField(allow_null=True)
    title = serializers.CharField()


class ApprovalShape(Shape):
    id = serializers.IntegerField()
    ticket = serializers.IntegerField()
    ticket_title = serializers.CharField()
    what = serializers.CharField()
    cost_pence = serializers.IntegerField(allow_null=True)
    state = serializers.CharField()
    asked_of = serializers.CharField()
    asked_by = serializers.CharField()
    requester = serializers.CharField()
    reason = serializers.CharField()
    asked_s = serializers.IntegerField()
    decided_s = serializers.IntegerField(allow_null=True)
    through = serializers.CharField()
    is_mine = serializers.BooleanField()
    # Whether the reader may decide it in their place, with a reason.
    in_place = serializers.BooleanField()
    # What an approver sees beyond the question.
    is_staged = serializers.BooleanField()
    for_whom = serializers.CharField()
    because = serializers.CharField()
    instead_of = serializers.CharField()
    for_deputy = serializers.CharField()
    why = serializers.CharField()
    budget_line = serializers.CharField()
    monthly_pence = serializers.IntegerField()
    answers = AnswerShape(many=True)
    parts = AskedPartShape(many=True)
    question = serializers.CharField()
    answered = AnsweredShape(many=True)
    before = BeforeShape(many=True)


class LoadShape(Shape):
    """A member of a team as its lead sees them; load is weighted as routing counts it."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    is_lead = serializers.BooleanField()
    is_set_aside = serializers.BooleanField()
    is_on = serializers.BooleanField()
    is_here = serializers.BooleanField()
    away_until_s = serializers.IntegerField(allow_null=True)
    next_on_s = serializers.IntegerField(allow_null=True)
    open = serializers.IntegerField()
    load = serializers.FloatField()
    late = serializers.IntegerField()
    cap = serializers.IntegerField(allow_null=True)


class TeamLookoutShape(Shape):
    team = NamedShape()
    people = LoadShape(many=True)
    # All that it has open, in the order of work.
    ours = RowShape(many=True)
    others = RowShape(many=True)
    is_cut = serializers.BooleanField()
    open = serializers.IntegerField()
    answered = serializers.IntegerField()
    unread = serializers.IntegerField()
    tasks = serializers.IntegerField()
    now_s = serializers.IntegerField()


class LedTeamShape(NamedShape):
    # Whether this person leads it: then their Lookout opens on it.
    is_led = serializers.BooleanField()


class LookoutShape(Shape):
    ours = RowShape(many=True)
    others = RowShape(many=True)
    tasks = TaskLineShape(many=True)
    reminders = ReminderShape(many=True)
    approvals = ApprovalShape(many=True)
    # The teams whose own Lookout this person may read.
    teams = LedTeamShape(many=True)
    is_cut = serializers.BooleanField()
    now_s = serializers.IntegerField()


class FiguresShape(Shape):
    late = serializers.IntegerField()
    due_soon = serializers.IntegerField()
    nobodys = serializers.IntegerField()
    unread = serializers.IntegerField()
    answered = serializers.IntegerField()
    major = serializers.IntegerField()
    needs_reply = serializers.IntegerField()
    total = serializers.IntegerField(required=False)


class FieldShape(Shape):
    name = serializers.CharField()
    type = serializers.CharField()
    label = serializers.CharField()
    operators = serializers.ListField(child=serializers.CharField())
    # The field's own words in a sentence, and what else people look for it by.
    said = serializers.DictField()
    synonyms = serializers.ListField(child=serializers.CharField())
    settable = serializers.BooleanField()
    is_own = serializers.BooleanField(help_text="Whether the rulebook adds it.")
    choices = serializers.ListField(child=serializers.CharField())
    sortable = serializers.BooleanField(required=False)
    groupable = serializers.BooleanField(required=False)
    columnable = serializers.BooleanField(required=False)


class TouchedShape(Shape):
    rows = RowShape(many=True)
    fits = serializers.ListField(child=serializers.IntegerField())
    now_s = serializers.IntegerField()


class GroupShape(Shape):
    value = serializers.JSONField(allow_null=True)
    count = serializers.IntegerField()


class ViewBodyShape(Shape):
    """What a view keeps: the filter, words, order, columns with widths, grouping, form."""

    filter = serializers.JSONField(required=False, allow_null=True, default=None)
    sort = serializers.CharField(required=False, allow_blank=True, max_length=300, default="due")
    columns = serializers.ListField(
        child=serializers.CharField(max_length=60), required=False, max_length=24, default=list
    )
    widths = serializers.DictField(child=serializers.IntegerField(), required=False, default=dict)
    group = serializers.CharField(required=False, allow_blank=True, max_length=60, default="")
    form = serializers.ChoiceField(["list", "cards"], required=False, default="list")


class KeepViewShape(Shape):
    name = serializers.CharField(max_length=80)
    body = ViewBodyShape()
    people = serializers.ListField(
        child=serializers.IntegerField(), required=False, default=list, max_length=50
    )
    teams = serializers.ListField(
        child=serializers.IntegerField(), required=False, default=list, max_length=50
    )
    is_pinned = serializers.BooleanField(required=False, default=True)


class ViewShape(Shape):
    id = serializers.IntegerField()
    name = serializers.CharField()
    body = ViewBodyShape()
    owner = serializers.CharField()
    is_mine = serializers.BooleanField()
    is_pinned = serializers.BooleanField()
    # One of my teams starts with it.
    is_first = serializers.BooleanField()
    people = NamedShape(many=True)
    teams = NamedShape(many=True)
    # The teams whose members start with it.
    default_of = NamedShape(many=True)


class PinShape(Shape):
    is_pinned = serializers.BooleanField()


class TeamDefaultShape(Shape):
    team = serializers.IntegerField()
    is_default = serializers.BooleanField()


class OutageShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    service = serializers.CharField(allow_null=True)
    since_s = serializers.IntegerField()
    next_news_s = serializers.IntegerField(allow_null=True)
    hits = serializers.IntegerField()
    hits_me = serializers.BooleanField()
    news = serializers.CharField(allow_blank=True, help_text="what was told last, if anything")
