"""What the API of major incidents says and is told."""

from rest_framework import serializers

from gannet.majors.plans import LABELS
from gannet.web.shape import NamedShape, Shape

_words = serializers.CharField
_number = serializers.IntegerField
_flag = serializers.BooleanField
_list = serializers.ListField
_at = serializers.DateTimeField


class RoleHeldShape(Shape):
    name = _words()
    from_s = _number()
    to_s = _number()


class MajorRoleShape(Shape):
    role = _words()
    person = NamedShape()
    from_s = _number()
    before = RoleHeldShape(many=True)


class MajorHeadShape(Shape):
    """What a major incident's record shows of its room."""

    call_sign = _words()
    plan = _words(allow_blank=True)
    is_drill = _flag()
    declared_s = _number()
    stood_down_s = _number(allow_null=True)
    gathered = _number()
    affected = _number()
    roles = MajorRoleShape(many=True)
    next_due_s = _number(allow_null=True)


class MajorListedShape(Shape):
    id = _number()
    title = _words()
    call_sign = _words()
    is_drill = _flag()
    state = _words()
    declared_s = _number()
    stood_down_s = _number(allow_null=True)
    affected = _number()
    gathered = _number()


class PlanChannelShape(Shape):
    name = _words()
    is_closed = _flag()


class PlanAudienceShape(Shape):
    name = _words()
    minutes = _number()


class MajorPlanShape(Shape):
    key = _words()
    name = _words()
    is_closed = _flag()
    team = _words(allow_blank=True)
    channels = PlanChannelShape(many=True)
    audiences = PlanAudienceShape(many=True)
    told = _list(child=_words())


class MajorPlansShape(Shape):
    """The plans that may be chosen, and which fits a record."""

    plans = MajorPlanShape(many=True)
    fits = _words()
    why_not = _words(allow_blank=True)


class DeclareShape(Shape):
    title = _words(max_length=200, allow_blank=True, default="")
    text = _words(max_length=10_000, allow_blank=True, default="")
    plan = _words(max_length=80, allow_blank=True, default="")
    incident = _number(required=False, allow_null=True, default=None)
    service = _number(required=False, allow_null=True, default=None)
    ci = _number(required=False, allow_null=True, default=None)
    is_drill = _flag(default=False)
    began_at = _at(required=False, allow_null=True, default=None)


class DeclaredShape(Shape):
    id = _number()
    call_sign = _words()


class SuggestMajorShape(Shape):
    why = _words(max_length=300, allow_blank=True)
    version = _number(required=False, allow_null=True, default=None)


class WhyMajorShape(Shape):
    why = _words(max_length=1_000, allow_blank=True)
    version = _number(required=False, allow_null=True, default=None)


class StandDownShape(WhyMajorShape):
    restored_at = _at(required=False, allow_null=True, default=None)


class FigureOfMajorShape(Shape):
    """A figure: as derived, what was said instead, what counts, and what it is made of."""

    name = _words()
    derived = _number(allow_null=True)
    said = _number(allow_null=True)
    counts = _number(allow_null=True)
    why = _words(allow_blank=True)
    who = _words(allow_blank=True)
    parts = _list(child=_words())


class MajorTimesShape(Shape):
    """In seconds."""

    to_notice = _number(allow_null=True)
    to_declare = _number(allow_null=True)
    to_first_update = _number(allow_null=True)
    to_restore = _number(allow_null=True)
    duration = _number(allow_null=True)


class RoomPersonShape(NamedShape):
    is_here = _flag()


class RoomChannelShape(Shape):
    id = _number()
    name = _words()
    is_closed = _flag()
    unread = _number()
    read_until = _number()
    people = RoomPersonShape(many=True)
    by_name = _list(child=_number())


class HearersShape(Shape):
    id = _number()
    name = _words()
    minutes = _number()
    to = _list(child=_words())
    on_portal = _flag()
    on_status_page = _flag()
    due_s = _number(allow_null=True)
    people = _number()


class MajorUpdateShape(Shape):
    id = _number()
    number = _number()
    title = _words()
    text = _words()
    sent_s = _number(allow_null=True)
    audience = _words()
    by = _words()
    send_at_s = _number(allow_null=True)
    due_s = _number(allow_null=True)
    late_s = _number()
    count = _number()


class ChecklistLineShape(Shape):
    text = _words()
    who = _words(allow_blank=True)
    at_s = _number(allow_null=True)


class RoomTaskShape(Shape):
    id = _number()
    title = _words()
    state = _words()
    person = _words(allow_blank=True)
    due_s = _number(allow_null=True)
    is_follow_up = _flag()


class RoomFileShape(Shape):
    id = _number()
    name = _words()
    folder = _words(allow_blank=True)
    version = _number()
    size = _number()
    content_type = _words()
    sha256 = _words()
    came_from = _words(allow_blank=True)
    by = _words()
    at_s = _number()
    channel = _words()
    is_closed = _flag()


class BringableShape(Shape):
    """A file of one of its incidents."""

    id = _words()
    name = _words()
    size = _number()
    incident = _number()


class BringShape(Shape):
    file = serializers.UUIDField()


class RelatedShape(Shape):
    """A record that it is linked to, beside its incidents."""

    id = _number()
    title = _words()
    kind = _words()
    state = _words()
    says = _words()


class GatheredShape(Shape):
    id = _number()
    title = _words()
    state = _words()
    is_open = _flag()
    requester = _words()
    opened_s = _number()


class ReviewTextsShape(Shape):
    summary = _words(max_length=10_000, allow_blank=True, required=False)
    well = _words(max_length=10_000, allow_blank=True, required=False)
    badly = _words(max_length=10_000, allow_blank=True, required=False)


class SituationReportShape(Shape):
    id = _number()
    at_s = _number()
    by = _words()
    to = _number()


class RoomMayShape(Shape):
    lead = _flag()
    send = _flag()
    work = _flag()
    declare = _flag()
    run = _flag()


class RoomShape(Shape):
    """All of a room but its conversations and its timeline."""

    id = _number()
    title = _words()
    call_sign = _words()
    plan = _words(allow_blank=True)
    priority = _number()
    state = _words()
    is_drill = _flag()
    is_confidential = _flag()
    service = _words(allow_blank=True)
    ci = _words(allow_blank=True)
    source = _number(allow_null=True)
    began_s = _number(allow_null=True)
    reported_s = _number()
    declared_s = _number()
    restored_s = _number(allow_null=True)
    stood_down_s = _number(allow_null=True)
    conference = _words(allow_blank=True)
    summary = _words(allow_blank=True)
    figures = FigureOfMajorShape(many=True)
    times = MajorTimesShape()
    roles = MajorRoleShape(many=True)
    wanted_roles = _list(child=_words())
    folders = _list(child=_words())
    channels = RoomChannelShape(many=True)
    audiences = HearersShape(many=True)
    updates = MajorUpdateShape(many=True)
    checklist = ChecklistLineShape(many=True)
    tasks = RoomTaskShape(many=True)
    files = RoomFileShape(many=True)
    incidents = GatheredShape(many=True)
    gathered = _number()
    related = RelatedShape(many=True)
    review = ReviewTextsShape()
    reports = SituationReportShape(many=True)
    labels = _list(child=_words())
    who_looks = _list(child=_words())
    may = RoomMayShape()
    now_s = _number()


class FileLineShape(Shape):
    id = _number()
    name = _words()
    size = _number()


class RoomMessageShape(Shape):
    id = _number()
    channel = _number()
    who = _words()
    person = _number(allow_null=True)
    is_outside = _flag()
    text = _words(allow_blank=True)
    label = _words(allow_blank=True)
    at_s = _number()
    file = FileLineShape(allow_null=True)
    entry_s = _number(allow_null=True, help_text="its time in the timeline, if it is there")


class RoomMessagesShape(Shape):
    messages = RoomMessageShape(many=True)
    has_more = _flag()


class SayInRoomShape(Shape):
    text = _words(max_length=10_000, allow_blank=True, trim_whitespace=False)
    is_entry = _flag(default=False)


class RoomLabelShape(Shape):
    label = serializers.ChoiceField(["", *LABELS])


class RoomReadShape(Shape):
    message = _number(min_value=0)


class RoomEntryShape(Shape):
    """An entry of the timeline: written, lifted, or derived from what was done."""

    id = _number()
    at_s = _number()
    text = _words()
    label = _words(allow_blank=True)
    who = _words(allow_blank=True)
    how = _words()
    channel = _words(allow_blank=True)
    is_mine = _flag()
    ticket = _number(allow_null=True)
    file = FileLineShape(allow_null=True)
    order = _number()


class WriteEntryShape(Shape):
    text = _words(max_length=2_000, allow_blank=True, default="")
    at = _at(required=False, allow_null=True, default=None)
    label = serializers.ChoiceField(["", *LABELS], default="")
    message = _number(required=False, allow_null=True, default=None)
    file = _number(required=False, allow_null=True, default=None)
    is_for_all = _flag(default=False)


class ChangeEntryShape(Shape):
    text = _words(max_length=2_000, allow_blank=True, required=False)
    at = _at(required=False)
    label = serializers.ChoiceField(["", *LABELS], required=False)


class FoundInRoomShape(Shape):
    kind = serializers.ChoiceField(["message", "file", "entry", "event"])
    id = _number()
    at_s = _number()
    text = _words(allow_blank=True)
    who = _words(allow_blank=True)
    channel = _words(allow_blank=True)
    channel_id = _number(allow_null=True)
    label = _words(allow_blank=True)


class GiveRoleShape(Shape):
    role = _words(max_length=40, allow_blank=True)
    person = _number(required=False, allow_null=True, default=None)


class LeaveRoleShape(Shape):
    role = _words(max_length=40)


class OpenChannelShape(Shape):
    name = _words(max_length=40, allow_blank=True)
    is_closed = _flag(default=False)
    people = _list(child=_number(), max_length=100, default=list)
    teams = _list(child=_number(), max_length=20, default=list)


class AskInShape(Shape):
    people = _list(child=_number(), max_length=100)


class WriteUpdateShape(Shape):
    audience = _number()
    title = _words(max_length=160, allow_blank=True)
    text = _words(max_length=5_000, allow_blank=True)
    at = _at(required=False, allow_null=True, default=None)


class DraftLineShape(Shape):
    id = _number()
    line = _words()


class UpdateDraftShape(Shape):
    number = _number()
    title = _words()
    text = _words()
    unknown = _list(child=_words())
    entries = DraftLineShape(many=True)
    people = _number()
    due_s = _number(allow_null=True)


class WriteHearersShape(Shape):
    name = _words(max_length=60, allow_blank=True, required=False)
    minutes = _number(min_value=5, max_value=1_440, required=False)
    to = _list(child=_words(max_length=120), max_length=200, required=False)
    on_portal = _flag(required=False)
    on_status_page = _flag(required=False)


class CorrectShape(Shape):
    figure = _words(max_length=20)
    value = _number(min_value=0, max_value=10_000_000, allow_null=True)
    why = _words(max_length=300, allow_blank=True, default="")


class StateTimeShape(Shape):
    what = serializers.ChoiceField(["began", "restored"])
    at = _at(allow_null=True)


class MajorSummaryShape(Shape):
    text = _words(max_length=10_000, allow_blank=True)


class TickLineShape(Shape):
    line = _number(min_value=0)
    is_done = _flag()


class GatherShape(Shape):
    add = _list(child=_number(), max_length=500, default=list)
    remove = _list(child=_number(), max_length=500, default=list)


class LikelyShape(Shape):
    id = _number()
    title = _words()
    requester = _words()
    place = _words(allow_blank=True)
    opened_s = _number()
    why = _words()
    rank = _number()


class AskTogetherShape(Shape):
    words = _words(max_length=10_000, allow_blank=True)
    does = _words(max_length=20, default="tell", help_text="tell, resolve or leave")


class PreviewedTogetherShape(Shape):
    id = _number()
    title = _words()
    requester = _words()
    place = _words(allow_blank=True)
    state = _words()
    may = _list(child=_words())
    does = _words()
    why = _words(allow_blank=True)
    text = _words(allow_blank=True)
    unknown = _list(child=_words())


class TogetherLineShape(Shape):
    id = _number()
    does = _words(max_length=20, help_text="tell, resolve or leave")


class TogetherShape(Shape):
    words = _words(max_length=10_000, allow_blank=True)
    incidents = TogetherLineShape(many=True)


class TogetherOneShape(Shape):
    id = _number()
    does = _words()
    why = _words(allow_blank=True)


class TogetherDoneShape(Shape):
    done = TogetherOneShape(many=True)
    left = TogetherOneShape(many=True)


class ReportDraftShape(Shape):
    text = _words()


class SendReportShape(Shape):
    text = _words(max_length=20_000, allow_blank=True)
    to = _list(child=_words(max_length=254, allow_blank=True), max_length=50)


class RoomCallShape(Shape):
    link = _words()


class OpenedOfMajorShape(Shape):
    id = _number()


class ChatLineShape(Shape):
    id = _number()
    title = _words()
    room = _number()
    channel = _number()
    author = _words()
    text = _words()
    is_from_room = _flag()
    at_s = _number()


class WriteChatShape(Shape):
    room = _number()
    channel = _number()
    author = _words(max_length=120)
    text = _words(max_length=10_000)
