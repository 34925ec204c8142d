"""The shapes of what the API takes and says of problems."""

from rest_framework import serializers

from gannet.tickets.shapes.records import VersionedShape
from gannet.web.shape import Shape

_words = serializers.CharField
_number = serializers.IntegerField
_numbers = serializers.ListField


class CauseShape(Shape):
    """A possible cause: `parent` is empty right beneath the symptom."""

    id = _words()
    says = _words()
    parent = _words(allow_blank=True)
    state = _words(help_text="open, confirmed or ruled out")
    evidence = _numbers(child=_words())
    who = _words(allow_blank=True)
    at_s = _number()


class LinkedIncidentShape(Shape):
    id = _number()
    title = _words()
    opened_s = _number()
    is_open = serializers.BooleanField()
    state = _words()
    place = _words(allow_blank=True)
    requester = _words()
    ci = _words(allow_blank=True)


class IncidentCostShape(Shape):
    """An incident's part of a figure: people × hours × share, and the desk's hours."""

    id = _number()
    people = _number()
    share = serializers.FloatField()
    lost_hours = serializers.FloatField()
    desk_hours = serializers.FloatField()
    pence = _number()


class InsteadShape(Shape):
    pence = _number()
    reason = _words()
    who = _words(allow_blank=True)
    at_s = _number()


class FigureShape(Shape):
    """A figure with what it is made of; `instead` is what somebody said instead, and counts."""

    name = _words()
    pence = _number()
    computed_pence = _number()
    instead = InsteadShape(allow_null=True)
    lost_hours = serializers.FloatField()
    desk_hours = serializers.FloatField()
    count = _number()
    incidents = IncidentCostShape(many=True)
    rest_pence = _number(help_text="of incidents that are not listed here")


class WorthShape(Shape):
    figures = FigureShape(many=True)
    fix_pence = _number(allow_null=True)
    fix_about = _words(allow_blank=True)
    pays_back_months = serializers.FloatField(allow_null=True)
    never_pays = serializers.BooleanField()
    lost_hour_pence = _number()
    desk_hour_pence = _number()


class CurveMarkShape(Shape):
    at_s = _number()
    what = _words()


class CurveShape(Shape):
    """Linked incidents a week, the last week last, and what happened when."""

    from_s = _number()
    to_s = _number()
    weeks = _numbers(child=_number())
    marks = CurveMarkShape(many=True)
    hours_before = serializers.FloatField(allow_null=True)
    hours_after = serializers.FloatField(allow_null=True)


class LivedWithShape(Shape):
    until_s = _number()
    why = _words()
    by = _words(allow_blank=True)


class ReachedShape(Shape):
    id = _words()
    name = _words()
    share = serializers.FloatField()


class CameBackShape(Shape):
    days = _number()
    numbers = _numbers(child=_number())


class UsedShape(Shape):
    all = _number()
    told = _number()
    desk = _number()
    portal = _number()


class ItsChangeShape(Shape):
    """A change that was requested to end a problem."""

    id = _number()
    title = _words()
    state = _words()
    starts_s = _number(allow_null=True)
    outcome = _words(allow_blank=True)


class ProblemShape(Shape):
    """What belongs to a problem alone."""

    born_of = _words(allow_blank=True)
    causes = CauseShape(many=True)
    root = _numbers(child=_words(), help_text="the confirmed causes down to the root")
    branches = _numbers(child=_words(), help_text="where the rulebook begins to look")
    known_s = _number(allow_null=True)
    no_cause_why = _words(allow_blank=True)
    workaround = _words(allow_blank=True)
    workaround_s = _number(allow_null=True)
    is_for_portal = serializers.BooleanField()
    words = _words(help_text="the words in which a workaround is told")
    used = UsedShape()
    incidents = LinkedIncidentShape(many=True)
    not_shown = _number(help_text="linked incidents that are not listed here")
    open_count = _number()
    worth = WorthShape()
    live = LivedWithShape(allow_null=True)
    is_fix_decided = serializers.BooleanField()
    decided = serializers.DictField()
    curve = CurveShape()
    reached = ReachedShape(many=True)
    article = serializers.IntegerField(allow_null=True, help_text="that follows it")
    came_back = CameBackShape(allow_null=True)
    changes = ItsChangeShape(many=True)


class ProblemLineShape(Shape):
    id = _number()
    title = _words()
    state = _words()
    holder = _words(allow_blank=True)
    team = _words()
    service = _words(allow_blank=True)
    ci = _words(allow_blank=True)
    priority = _number()
    incidents = _number()
    weeks = _numbers(child=_number())
    lost_hours = serializers.FloatField()
    so_far_pence = _number()
    going_on_pence = _number()
    fix_pence = _number(allow_null=True)
    pays_back_months = serializers.FloatField(allow_null=True)
    never_pays = serializers.BooleanField()
    due_s = _number(allow_null=True)
    due_kind = _words(allow_blank=True)
    late_from_s = _number(allow_null=True)
    until_s = _number(allow_null=True)
    opened_s = _number()
    is_known = serializers.BooleanField()
    is_fix_decided = serializers.BooleanField()
    has_workaround = serializers.BooleanField()


class KnownErrorLineShape(Shape):
    id = _number()
    title = _words()
    workaround = _words()
    service = _words(allow_blank=True)
    used = _number()
    incidents = _number()
    open_count = _number()
    is_open = serializers.BooleanField()
    is_for_portal = serializers.BooleanField()


class ProblemsShape(Shape):
    open = ProblemLineShape(many=True)
    known = KnownErrorLineShape(many=True)
    ended = _number()
    now_s = _number()


class NewProblemShape(Shape):
    title = _words(max_length=200, allow_blank=True)
    text = _words(max_length=20_000, allow_blank=True, required=False, default="")
    service = _number(required=False, allow_null=True, default=None)
    ci = _number(required=False, allow_null=True, default=None)
    category = _words(max_length=80, allow_blank=True, required=False, default="")
    incidents = _numbers(child=_number(), required=False, default=list, max_length=500)
    pattern = _words(max_length=120, allow_blank=True, required=False, default="")
    is_confidential = serializers.BooleanField(required=False, default=False)


class OpenedProblemShape(Shape):
    id = _number()


class LinkIncidentsShape(Shape):
    add = _numbers(child=_number(), required=False, default=list, max_length=500)
    remove = _numbers(child=_number(), required=False, default=list, max_length=500)
    tells = serializers.BooleanField(required=False, default=False)


class SuggestedIncidentShape(Shape):
    id = _number()
    title = _words()
    opened_s = _number()
    is_open = serializers.BooleanField()
    place = _words(allow_blank=True)
    why = _words()


class NewCauseShape(Shape):
    says = _words(max_length=200, allow_blank=True)
    parent = _words(max_length=20, allow_blank=True, required=False, default="")


class ChangeCauseShape(Shape):
    says = _words(max_length=200, allow_blank=True, required=False)
    state = _words(max_length=20, required=False)
    evidence = _numbers(
        child=_words(max_length=300, allow_blank=True), required=False, max_length=12
    )


class AskPreviewShape(Shape):
    workaround = _words(max_length=5000, allow_blank=True)
    words = _words(max_length=5000, allow_blank=True)


class PreviewedIncidentShape(Shape):
    """What would be done with an incident that waits, and what its requester would read."""

    id = _number()
    title = _words()
    place = _words(allow_blank=True)
    requester = _words()
    holder = _words(allow_blank=True)
    state = _words()
    channel = _words()
    may = _numbers(child=_words())
    does = _words(help_text="tell, resolve or leave")
    why = _words(allow_blank=True)
    text = _words()
    unknown = _numbers(child=_words())


class DecidedIncidentShape(Shape):
    id = _number()
    does = _words(max_length=20, help_text="tell, resolve or leave")


class TellWorkaroundShape(Shape):
    workaround = _words(max_length=5000, allow_blank=True)
    words = _words(max_length=5000, allow_blank=True)
    is_for_portal = serializers.BooleanField(required=False, default=False)
    is_known = serializers.BooleanField(required=False, default=True)
    no_cause_why = _words(max_length=300, allow_blank=True, required=False, default="")
    incidents = DecidedIncidentShape(many=True, required=False, default=list)


class ToldIncidentShape(Shape):
    id = _number()
    does = _words()
    why = _words(allow_blank=True)


class ToldShape(Shape):
    done = ToldIncidentShape(many=True)
    left = ToldIncidentShape(many=True)


class ReplaceFigureShape(Shape):
    figure = _words(max_length=40)
    pence = _number(allow_null=True, min_value=0, max_value=10**12)
    reason = _words(max_length=200, allow_blank=True, required=False, default="")


class CostFixShape(Shape):
    about = _words(max_length=300, allow_blank=True)
    pence = _number(min_value=0, max_value=10**12)


class LiveWithShape(Shape):
    until = _words(max_length=40, allow_blank=True)
    why = _words(max_length=300, allow_blank=True)


class DoubtShape(VersionedShape):
    why = _words(max_length=2000, allow_blank=True)


class OfferedWorkaroundShape(Shape):
    id = _number()
    title = _words()
    workaround = _words()
    service = _words(allow_blank=True)
    used = _number()
    why = _words()
    is_near = serializers.BooleanField(help_text="of the same item, or in its words")


class UseWorkaroundShape(Shape):
    ticket = _number()
