"""The shapes of what the API takes and says of changes."""

from typing import Any

from rest_framework import serializers

from gannet.tickets.shapes.records import VersionedShape
from gannet.web.shape import Shape

_words = serializers.CharField
_number = serializers.IntegerField
_list = serializers.ListField
_yes = serializers.BooleanField
_share = serializers.FloatField


class OnlyIfShape(Shape):
    """That a step is only done if an output of an earlier one is this."""

    output = _words(max_length=60, allow_blank=True, required=False, default="")
    # `is` is no name of Python's.

    def get_fields(self) -> dict[str, Any]:
        is_what = _words(max_length=200, allow_blank=True, required=False, default="")
        return {**super().get_fields(), "is": is_what}


class ChangeStepShape(Shape):
    """One step of a plan; `part` is implement, test or back out."""

    id = _words()
    part = _words()
    says = _words()
    who = _words(allow_blank=True, help_text="a person’s number, or nothing")
    name = _words(allow_blank=True)
    minutes = _number()
    runbook = _words(allow_blank=True, help_text="what does it by itself, once it is a task")
    inputs = serializers.DictField(child=serializers.CharField(allow_blank=True))
    outputs = _list(child=_words(), help_text="the names of what it yields, for later steps")
    only_if = OnlyIfShape(help_text="what an earlier step must have yielded; empty for always")


class ScannedValueShape(Shape):
    """What the first scan after a change has seen of an attribute that it was to change."""

    attribute = _words()
    verdict = _words(help_text="as expected, otherwise, or not seen")
    seen = serializers.JSONField(allow_null=True)
    at_s = _number(allow_null=True)


class ChangedItemShape(Shape):
    """An item that is touched; `expected` says what is to be of which attribute."""

    item = _number()
    key = _words()
    name = _words()
    kind = _words()
    place = _words(allow_blank=True)
    expected = serializers.DictField()
    recorded = serializers.DictField(help_text="what is recorded of the attributes expected")
    found = ScannedValueShape(many=True)


class RiskPartShape(Shape):
    name = _words()
    percent = _share()
    times = _number()


class RiskRemedyShape(Shape):
    """What the risk would be without one of the factors."""

    factor = _words()
    points = _number()
    rating = _words()
    likelihood = _share()


class ReachedServiceShape(Shape):
    id = _number()
    name = _words()
    criticality = _number()
    share = _share()
    adds = _share(help_text="percent of the consequence")
    path = _list(child=_words())


class ClashShape(Shape):
    """What stands in the way: with whom or what, over what."""

    kind = _words()
    other = _words(help_text="a change’s number, a window’s key, an item, or a person")
    name = _words(allow_blank=True)
    what = _list(child=_words())
    starts_s = _number(allow_null=True)
    ends_s = _number(allow_null=True)


class PastChangeShape(Shape):
    id = _number()
    title = _words(allow_blank=True)
    score = _share()
    outcome = _words()
    ended_s = _number(allow_null=True)
    incidents = _number()
    is_added = _yes()


class TrackRecordShape(Shape):
    n = _number()
    failed = _number()
    with_issues = _number()
    rate = _share(allow_null=True)
    low = _share(allow_null=True)
    high = _share(allow_null=True)
    ratio = _share(allow_null=True)
    incidents = _number()
    past = PastChangeShape(many=True)


class LackShape(Shape):
    place = _words()
    says = _words()


class ChangeTypeShape(Shape):
    key = _words()
    name = _words()
    like = _words()


class EndsIncidentShape(Shape):
    id = _number()
    title = _words()
    why_not = _words(allow_blank=True)


class EndsProblemShape(Shape):
    """The problem that asked for a change, and what becomes of it when the change is done."""

    id = _number()
    title = _words()
    outcomes = _list(child=_words(), help_text="the outcomes at which it is resolved")
    why_not = _words(allow_blank=True)
    incidents = EndsIncidentShape(many=True, help_text="its open ones, that end with it")


class OnTheWayShape(Shape):
    """A stage of its way from draft to done; `key` is empty for one that ships."""

    name = _words()
    key = _words(allow_blank=True)
    is_past = _yes()
    is_now = _yes()


class AssessmentShape(Shape):
    """How risky a change is as it stands, what it reaches, clashes with, and lacks."""

    worst = _number(
        allow_null=True,
        help_text="of a release: the change that is riskier alone than all of them together",
    )
    points = _number()
    rating = _words()
    consequence = _share()
    likelihood = _share()
    thresholds = _list(child=_number(), help_text="of moderate, high, critical")
    consequence_parts = RiskPartShape(many=True)
    likelihood_parts = RiskPartShape(many=True)
    remedies = RiskRemedyShape(many=True)
    reached = ReachedServiceShape(many=True)
    clashes = ClashShape(many=True)
    track = TrackRecordShape()
    type = ChangeTypeShape()
    suggested = ChangeTypeShape()
    suggested_why = _words()
    against_type = _words(allow_blank=True)
    lacks = LackShape(many=True)
    needs_cab = _yes()
    cab_s = _number(allow_null=True)
    people = _number(help_text="who use what it stops")
    minutes = _number(help_text="that implementing and testing take")
    turn_back_s = _number(allow_null=True)


class WeighedShape(Shape):
    """The risk as it was with a decision."""

    stage = _words()
    at_s = _number()
    points = _number()
    rating = _words()
    consequence = _share()
    likelihood = _share()


class AroundShape(Shape):
    start_s = _number()
    end_s = _number()
    name = _words(allow_blank=True)
    kind = _words()


class SinceShape(Shape):
    """An incident since it was done, on what it reached."""

    id = _number()
    title = _words()
    opened_s = _number()
    is_linked = _yes()


class ChangeLineShape(Shape):
    """A change as lists and the schedule draw it."""

    id = _number()
    title = _words()
    state = _words()
    is_open = _yes()
    type = _words(allow_blank=True)
    like = _words(allow_blank=True)
    points = _number(allow_null=True)
    rating = _words(allow_blank=True)
    starts_s = _number(allow_null=True)
    ends_s = _number(allow_null=True)
    began_s = _number(allow_null=True)
    ended_s = _number(allow_null=True)
    review_s = _number(allow_null=True)
    outcome = _words(allow_blank=True)
    holder = _words(allow_blank=True)
    team = _words()
    service = _words(allow_blank=True)
    place = _words(allow_blank=True)
    items = _number()
    waits_on = _words(allow_blank=True, help_text="who is asked and has not decided")
    incidents = _number(help_text="linked as caused by it")


class CarriedShape(ChangeLineShape):
    phase = _words(allow_blank=True)


class StepOfShape(Shape):
    """A step of a change that goes with a release."""

    change = _number()
    step = _words(max_length=20)


class StepLinkShape(Shape):
    """That one step waits for another."""

    step = StepOfShape()
    waits_for = StepOfShape()


class ReleaseStepShape(StepOfShape):
    says = _words()
    phase = _words(allow_blank=True)


class ReleasePhaseShape(Shape):
    """A phase of a release: whether it waits for a go, is open, and how far its tasks are."""

    name = _words()
    gate = _yes()
    is_open = _yes()
    tasks = _number()
    done = _number()


class HeldByShape(Shape):
    """What runs over what a change touches; without a number, its reader may not know which."""

    id = _number(allow_null=True)
    call_sign = _words(allow_blank=True)
    title = _words(allow_blank=True)


class ChangeShape(Shape):
    """What belongs to a change alone."""

    type = _words(allow_blank=True, help_text="chosen by hand; empty: as suggested")
    types = ChangeTypeShape(many=True)
    reason = _words(allow_blank=True)
    template = _words(allow_blank=True)
    born_of = _words(allow_blank=True)
    problem = _number(allow_null=True)
    why = _words(allow_blank=True)
    tried = _words(allow_blank=True)
    steps = ChangeStepShape(many=True)
    items = ChangedItemShape(many=True)
    held_by = HeldByShape(many=True, help_text="running major incidents in its reach")
    starts_s = _number(allow_null=True)
    ends_s = _number(allow_null=True)
    is_after_the_fact = _yes()
    submitted_s = _number(allow_null=True)
    began_s = _number(allow_null=True)
    ended_s = _number(allow_null=True)
    review_s = _number(allow_null=True)
    told_s = _number(allow_null=True, help_text="the begin of which its users were told")
    announced = _words(allow_blank=True, help_text="how it is announced on the portal now")
    is_release = _yes()
    release = _number(allow_null=True, help_text="the release that it goes with")
    as_tasks = _yes(help_text="whether its steps become tasks when it begins")
    stopped = _words(allow_blank=True, help_text="why it was stopped, if it was")
    carries = CarriedShape(many=True)
    hidden = _number(help_text="of what it carries, those that the reader may not see")
    phases = ReleasePhaseShape(many=True)
    links = StepLinkShape(many=True, help_text="of a release: steps that wait for others")
    plan = ReleaseStepShape(many=True, help_text="of a release: the steps that can be linked")
    referred = _words(allow_blank=True, help_text="why the CAB decides on it, all the same")
    outcome = _words(allow_blank=True)
    learned = _words(allow_blank=True)
    added = _list(child=_number(), help_text="past changes that count too")
    dropped = _list(child=_number(), help_text="past changes that do not count")
    weighed = WeighedShape(many=True)
    is_editable = _yes()
    way = OnTheWayShape(many=True)
    ends = EndsProblemShape(allow_null=True)
    stage_lacks = LackShape(many=True, help_text="what the added stage it is in needs still")
    assessment = AssessmentShape()
    around = AroundShape(many=True, help_text="windows and freezes round its time")
    since = SinceShape(many=True)


class ChangesShape(Shape):
    """The page of changes: what is coming, what the CAB decides, what is to be looked back on."""

    drafts = ChangeLineShape(many=True)
    coming = ChangeLineShape(many=True)
    cab = ChangeLineShape(many=True)
    cab_s = _number(allow_null=True)
    cab_cutoff_s = _number(allow_null=True)
    under_way = ChangeLineShape(many=True)
    reviews = ChangeLineShape(many=True)
    ended = _number()
    now_s = _number()


class DrawnStepShape(Shape):
    says = _words()
    part = _words()
    minutes = _number()


class DrawnChangeShape(ChangeLineShape):
    """A change on the schedule: in which groups its items are, its steps one after the other."""

    groups = _list(child=_words())
    steps = DrawnStepShape(many=True)
    can_move = _yes()
    version = _number()


class ScheduleShape(Shape):
    """What is drawn of a span: changes, windows and freezes, each with what it covers."""

    from_s = _number()
    to_s = _number()
    now_s = _number()
    zone = _words()
    changes = DrawnChangeShape(many=True)
    windows = AroundShape(many=True)
    clashing = _list(child=_number(), help_text="changes that clash with another one")


class ChangeTemplateShape(Shape):
    key = _words()
    name = _words()
    title = _words(allow_blank=True)
    is_preauthorised = _yes()
    why = _words(allow_blank=True)
    service = _words(allow_blank=True)
    minutes = _number()
    steps = _number()


class NewChangeShape(Shape):
    title = _words(max_length=200, allow_blank=True, required=False, default="")
    why = _words(max_length=5000, allow_blank=True, required=False, default="")
    template = _words(max_length=80, allow_blank=True, required=False, default="")
    service = _number(required=False, allow_null=True, default=None)
    items = _list(child=_number(), required=False, default=list, max_length=200)
    starts = _words(max_length=40, allow_blank=True, required=False, default="")
    ends = _words(max_length=40, allow_blank=True, required=False, default="")
    copied = _number(required=False, allow_null=True, default=None)
    problem = _number(required=False, allow_null=True, default=None)
    incident = _number(required=False, allow_null=True, default=None)
    reason = _words(max_length=300, allow_blank=True, required=False, default="")
    is_after_the_fact = _yes(required=False, default=False)
    is_release = _yes(required=False, default=False)
    puts_back = _yes(
        required=False,
        default=False,
        help_text="expect of its items what is recorded, where a scan found them otherwise",
    )


class OpenedChangeShape(Shape):
    id = _number()


class EditedStepShape(Shape):
    id = _words(max_length=20, required=False, allow_blank=True, default="")
    part = _words(max_length=20)
    says = _words(max_length=200, allow_blank=True)
    who = _words(max_length=20, required=False, allow_blank=True, default="")
    minutes = _number(required=False, default=0, min_value=0, max_value=100_000)
    runbook = _words(max_length=60, required=False, allow_blank=True, default="")
    inputs = serializers.DictField(
        child=serializers.CharField(allow_blank=True, max_length=500), required=False, default=dict
    )
    outputs = _list(child=_words(max_length=60), required=False, default=list, max_length=20)
    only_if = OnlyIfShape(required=False)


class EditedItemShape(Shape):
    item = _number()
    expected = serializers.DictField(required=False, default=dict)


class EditChangeShape(Shape):
    """What is edited; what is left out stays as it is."""

    why = _words(max_length=5000, allow_blank=True, required=False)
    tried = _words(max_length=300, allow_blank=True, required=False)
    reason = _words(max_length=300, allow_blank=True, required=False)
    type = _words(max_length=80, allow_blank=True, required=False)
    steps = EditedStepShape(many=True, required=False)
    items = EditedItemShape(many=True, required=False)
    starts = _words(max_length=40, allow_blank=True, required=False)
    ends = _words(max_length=40, allow_blank=True, required=False)
    as_tasks = _yes(required=False)
    added = _list(child=_number(), required=False, max_length=50)
    dropped = _list(child=_number(), required=False, max_length=50)
    version = _number(required=False)


class SlotShape(Shape):
    start_s = _number()
    end_s = _number()
    after = _list(child=_words(), help_text="what stood in the way before it, in words")


class AssessChangeShape(VersionedShape):
    comment = _words(max_length=2000, allow_blank=True, required=False, default="")


class WhyChangeShape(VersionedShape):
    why = _words(max_length=2000, allow_blank=True)


class PhaseGoShape(VersionedShape):
    text = _words(max_length=2000, allow_blank=True, required=False, default="")


class WhenChangeShape(VersionedShape):
    at = _words(max_length=40, allow_blank=True, required=False, default="")
    text = _words(max_length=2000, allow_blank=True, required=False, default="")


class LookBackShape(VersionedShape):
    outcome = _words(max_length=20)
    learned = _words(max_length=5000, allow_blank=True, required=False, default="")


class WeightsShape(Shape):
    """The section `changes` of a rulebook, as it is edited."""

    changes = serializers.DictField()


class PastRatingShape(Shape):
    rating = _words()
    n = _number()
    failed = _number()
    with_issues = _number()


class PastWeighedShape(Shape):
    """How past changes rate by some settings; flagged is what is more than low."""

    ratings = PastRatingShape(many=True)
    failed = _number()
    failed_flagged = _number()
    well = _number()
    well_flagged = _number()


class MissedChangeShape(Shape):
    """A change that failed and would have been rated low."""

    id = _number()
    title = _words(allow_blank=True)
    outcome = _words()
    before = _number()
    after = _number()


class WeighedAgainShape(Shape):
    n = _number()
    in_force = PastWeighedShape()
    wanted = PastWeighedShape()
    missed = MissedChangeShape(many=True)
    missed_count = _number()


class TriedWindowShape(Shape):
    """A window as it is typed."""

    zone = _words(max_length=80, allow_blank=True)
    starts = _words(max_length=40, allow_blank=True, help_text="local, like 2026-11-26T01:30")
    ends = _words(max_length=40, allow_blank=True)
    rrule = _words(max_length=400, allow_blank=True, required=False, default="")
    but_on = _list(child=_words(max_length=10), required=False, default=list, max_length=400)


class WindowSpanShape(Shape):
    start_s = _number()
    end_s = _number()


class WindowWordsShape(Shape):
    """A window in words with its next occurrences, or what is wrong with it."""

    says = _words(allow_blank=True)
    problem = _words(allow_blank=True)
    following = WindowSpanShape(many=True)
