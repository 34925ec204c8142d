"""The shapes of what the API says of services, items and the map."""

from typing import Any

from rest_framework import serializers

from gannet.web.shape import Shape

_words = serializers.CharField


class MapNodeShape(Shape):
    id = _words()
    name = _words()
    kind = _words()
    layer = _words()
    place = _words(allow_blank=True)
    life = _words()
    criticality = serializers.IntegerField()
    incidents = serializers.IntegerField(help_text="open incidents that name it")
    changes = serializers.IntegerField(help_text="that touch it, to come or under way")
    drifts = serializers.IntegerField()
    is_fold = serializers.BooleanField(help_text="several that are alike, drawn as one")
    count = serializers.IntegerField()
    fold = _words(allow_blank=True)


class MapEdgeShape(serializers.Serializer[Any]):
    strength = _words()
    group = _words(allow_blank=True)
    count = serializers.IntegerField()
    to = _words()

    def get_fields(self) -> dict[str, Any]:
        """`from` is no name of Python's."""
        return {"from": _words(), **super().get_fields()}


class MapShape(serializers.Serializer[Any]):
    """What is drawn: nodes by layer, dependencies, and how many are folded into others."""

    nodes = MapNodeShape(many=True)
    edges = MapEdgeShape(many=True)
    layers = serializers.ListField(child=_words())
    folded = serializers.IntegerField()
    left_out = serializers.IntegerField()
    drift = serializers.IntegerField()


class ImpactStepShape(Shape):
    node = _words()
    name = _words()
    on = _words()
    share = serializers.FloatField()
    strength = _words()
    group = _words(allow_blank=True)


class AffectedShape(Shape):
    id = _words()
    name = _words()
    kind = _words()
    criticality = serializers.IntegerField()
    share = serializers.FloatField(help_text="of it lost, 0 to 1")
    fold = _words(allow_blank=True, help_text="the node of the map that it may be folded into")
    path = ImpactStepShape(many=True)


class StruckShape(Shape):
    id = _words()
    name = _words()


class LostGroupShape(Shape):
    name = _words()
    group = _words()
    members = serializers.ListField(child=_words())
    causes = serializers.ListField(child=_words())


class StoppedShape(Shape):
    """What loses something when the struck stop, most first, each with the path to it."""

    struck = StruckShape(many=True)
    affected = AffectedShape(many=True)
    services = serializers.IntegerField()
    all_services = serializers.IntegerField()
    items = serializers.IntegerField()
    people = serializers.IntegerField()
    departments = serializers.ListField(child=_words())
    lost_groups = LostGroupShape(many=True)


class HurtShape(Shape):
    struck = serializers.ListField(child=_words())
    reach = serializers.DictField(child=serializers.FloatField())


class _ServiceShape(Shape):
    id = serializers.IntegerField()
    node = _words()
    name = _words()
    plain = _words(allow_blank=True)
    criticality = serializers.IntegerField()
    life = _words()
    team = _words(allow_blank=True)
    owner = _words(allow_blank=True)
    departments = serializers.ListField(child=_words())


class ServiceLineShape(_ServiceShape):
    items = serializers.IntegerField()
    priorities = serializers.DictField(child=serializers.IntegerField())
    open = serializers.IntegerField()
    overdue = serializers.IntegerField()
    soon = serializers.IntegerField()
    announced = serializers.IntegerField()
    recent = serializers.IntegerField(help_text="incidents of the last fortnight")
    changes = serializers.IntegerField(help_text="to come, or under way")


class ItemLineShape(Shape):
    id = serializers.IntegerField()
    node = _words()
    key = _words()
    name = _words()
    kind = _words()
    service = _words(allow_blank=True)
    place = _words(allow_blank=True)
    life = _words()
    owner = _words(allow_blank=True)
    used_by = _words(allow_blank=True)
    seen_s = serializers.IntegerField(allow_null=True)
    drifts = serializers.IntegerField()


class ItemListShape(Shape):
    rows = ItemLineShape(many=True)
    count = serializers.IntegerField()
    next = serializers.IntegerField(allow_null=True)
    types = serializers.ListField(child=_words(), help_text="every type of the rulebook")
    can_record = serializers.BooleanField()
    kinds = serializers.ListField(child=_words())
    places = serializers.ListField(child=_words())
    now_s = serializers.IntegerField()


class AttributeShape(Shape):
    key = _words()
    label = _words()
    type = _words()
    unit = _words(allow_blank=True)
    choices = serializers.ListField(child=_words())
    recorded = _words(allow_blank=True)
    value = serializers.JSONField(allow_null=True)
    seen = _words(allow_blank=True)
    differs = serializers.BooleanField()
    explained = _words(allow_blank=True)


class EndShape(Shape):
    node = _words()
    id = serializers.IntegerField()
    name = _words()
    kind = _words()
    strength = _words()
    group = _words(allow_blank=True)
    source = _words()
    target = _words()


class OpenIncidentShape(Shape):
    id = serializers.IntegerField()
    title = _words()
    priority = serializers.IntegerField()
    opened_s = serializers.IntegerField()
    due_s = serializers.IntegerField(allow_null=True)
    late_from_s = serializers.IntegerField(allow_null=True)


class HappenedShape(Shape):
    at_s = serializers.IntegerField()
    who = _words(allow_blank=True)
    sentence = _words()


class ItsProblemShape(Shape):
    id = serializers.IntegerField()
    title = _words()
    state = _words()


class TouchingChangeShape(Shape):
    """A change that touches it: to come, under way, or done lately."""

    id = serializers.IntegerField()
    title = _words()
    state = _words()
    outcome = _words(allow_blank=True)
    starts_s = serializers.IntegerField(allow_null=True)
    began_s = serializers.IntegerField(allow_null=True)
    ended_s = serializers.IntegerField(allow_null=True)


class CoveredClockShape(Shape):
    clock = _words()
    seconds = serializers.IntegerField(help_text="of service time")
    calendar = _words()


class CoveredPriorityShape(Shape):
    priority = serializers.IntegerField()
    clocks = CoveredClockShape(many=True)


class CoveringShape(Shape):
    """An agreement under which an incident reported now would be, and its targets."""

    key = _words()
    name = _words()
    kind = serializers.ChoiceField(["customer", "team", "supplier"])
    with_ = _words(allow_blank=True, help_text="the team, or the supplier")
    targets = CoveredPriorityShape(many=True)


CoveringShape._declared_fields["with"] = CoveringShape._declared_fields.pop("with_")


class CoveringWindowShape(Shape):
    """A maintenance window or a freeze, and when it is open next, or is now."""

    name = _words()
    is_freeze = serializers.BooleanField()
    from_s = serializers.IntegerField(allow_null=True)
    to_s = serializers.IntegerField(allow_null=True)


class _PageShape(Shape):
    agreements = CoveringShape(many=True)
    windows = CoveringWindowShape(many=True)
    stands_on = EndShape(many=True)
    carries = EndShape(many=True)
    carries_count = serializers.IntegerField()
    open_incidents = OpenIncidentShape(many=True)
    open_count = serializers.IntegerField()
    problems = ItsProblemShape(many=True)
    changes = TouchingChangeShape(many=True)
    weeks = serializers.ListField(child=serializers.IntegerField())
    history = HappenedShape(many=True)
    can_change = serializers.BooleanField()
    now_s = serializers.IntegerField()


class ItemShape(ItemLineShape, _PageShape):
    service_node = _words(allow_blank=True)
    criticality = serializers.IntegerField()
    layer = _words()
    team = _words(allow_blank=True)
    team_id = serializers.IntegerField(allow_null=True)
    service_id = serializers.IntegerField(allow_null=True)
    business_owner = _words(allow_blank=True)
    supplier = _words(allow_blank=True)
    contract = _words(allow_blank=True)
    attributes = AttributeShape(many=True)


class KindCountShape(Shape):
    kind = _words()
    count = serializers.IntegerField()


class ServicePageShape(_ServiceShape, _PageShape):
    kinds = KindCountShape(many=True)
    team_id = serializers.IntegerField(allow_null=True)
    owner_id = serializers.IntegerField(allow_null=True)
    technical_owner = _words(allow_blank=True)
    technical_owner_id = serializers.IntegerField(allow_null=True)
    supplier = _words(allow_blank=True)
    contract = _words(allow_blank=True)
    words = _words(allow_blank=True, help_text="that find it, beside its name")
    category = _words(allow_blank=True)
    default_impact = serializers.IntegerField()
    default_urgency = serializers.IntegerField()


class ChangeServiceShape(Shape):
    """A change by hand, with why it is made; what is not given stays."""

    why = _words(max_length=500, allow_blank=True, default="")
    name = _words(max_length=80, allow_blank=True, required=False)
    plain = _words(max_length=200, allow_blank=True, required=False)
    words = _words(max_length=500, allow_blank=True, required=False)
    criticality = serializers.IntegerField(min_value=1, max_value=4, required=False)
    life = _words(max_length=12, required=False)
    team = serializers.IntegerField(allow_null=True, required=False)
    owner = serializers.IntegerField(allow_null=True, required=False)
    technical_owner = serializers.IntegerField(allow_null=True, required=False)
    supplier = _words(max_length=120, allow_blank=True, required=False)
    contract = _words(max_length=120, allow_blank=True, required=False)
    category = _words(max_length=80, allow_blank=True, required=False)
    departments = serializers.ListField(
        child=_words(max_length=80, allow_blank=True), required=False, max_length=60
    )
    default_impact = serializers.IntegerField(min_value=1, max_value=10, required=False)
    default_urgency = serializers.IntegerField(min_value=1, max_value=10, required=False)


class NewServiceShape(ChangeServiceShape):
    name = _words(max_length=80, allow_blank=True)


class SaidShape(Shape):
    label = _words()
    value = _words(allow_blank=True)


class AsItWasShape(Shape):
    was_there = serializers.BooleanField()
    facts = serializers.DictField(child=_words(allow_blank=True))
    attributes = SaidShape(many=True)


class DriftItemShape(ItemLineShape):
    attributes = AttributeShape(many=True)
    can_change = serializers.BooleanField()


class UnrecordedShape(Shape):
    id = serializers.IntegerField()
    key = _words()
    name = _words()
    kind = _words(allow_blank=True)
    place = _words(allow_blank=True)
    attributes = SaidShape(many=True)
    first_s = serializers.IntegerField()
    seen_s = serializers.IntegerField()


class DriftShape(Shape):
    """What scans and records do not agree on."""

    differing = DriftItemShape(many=True)
    differing_count = serializers.IntegerField()
    unseen = ItemLineShape(many=True)
    unseen_count = serializers.IntegerField()
    unseen_days = serializers.IntegerField()
    unrecorded = UnrecordedShape(many=True)
    unrecorded_count = serializers.IntegerField()
    can_change = serializers.BooleanField()
    now_s = serializers.IntegerField()


class ChangeItemShape(Shape):
    """A change by hand, with why it is made; what is not given stays."""

    why = _words(max_length=500, allow_blank=True, default="")
    name = _words(max_length=120, required=False)
    place = _words(max_length=80, allow_blank=True, required=False)
    life = _words(max_length=12, required=False)
    criticality = serializers.IntegerField(min_value=1, max_value=4, required=False)
    supplier = _words(max_length=120, allow_blank=True, required=False)
    contract = _words(max_length=120, allow_blank=True, required=False)
    owner = serializers.IntegerField(allow_null=True, required=False)
    business_owner = serializers.IntegerField(allow_null=True, required=False)
    used_by = serializers.IntegerField(allow_null=True, required=False)
    team = serializers.IntegerField(allow_null=True, required=False)
    service = serializers.IntegerField(allow_null=True, required=False)
    attributes = serializers.DictField(required=False)


class ItemRowShape(Shape):
    """What becomes of one of several items; what is not given stays."""

    id = serializers.IntegerField()
    seen = serializers.DictField(
        required=False, help_text="what these were when last seen: otherwise nothing is changed"
    )
    place = _words(max_length=80, allow_blank=True, required=False)
    life = _words(max_length=12, required=False)
    criticality = serializers.IntegerField(min_value=1, max_value=4, required=False)
    owner = serializers.IntegerField(allow_null=True, required=False)
    team = serializers.IntegerField(allow_null=True, required=False)
    service = serializers.IntegerField(allow_null=True, required=False)


class ChangeItemsShape(Shape):
    """A change of several items by hand, with why; each is done or refused by itself."""

    rows = ItemRowShape(many=True)
    why = _words(max_length=500, allow_blank=True)


class RefusedItemShape(Shape):
    id = serializers.IntegerField()
    name = _words(allow_blank=True)
    why = _words()


class ChangedItemsShape(Shape):
    """Those that were changed, as they were before: sent again, that takes the change back."""

    before = ItemRowShape(many=True)
    refused = RefusedItemShape(many=True)


class NewItemShape(Shape):
    """An item recorded by hand; its key is made of its name where none is given."""

    name = _words(max_length=120, allow_blank=True)
    kind = _words(max_length=60, allow_blank=True)
    key = _words(max_length=50, allow_blank=True, required=False, default="")
    place = _words(max_length=80, allow_blank=True, required=False, default="")
    service = serializers.IntegerField(allow_null=True, required=False, default=None)
    why = _words(max_length=500, allow_blank=True, required=False, default="")


class DecideDriftShape(Shape):
    """A difference decided: `accept` what was seen, or `explain` it (no why: no longer).

    `take back`: what was accepted last is recorded as it was before.
    """

    does = serializers.ChoiceField(["accept", "explain", "take back"])
    attribute = _words(max_length=60)
    why = _words(max_length=200, allow_blank=True, default="")


class DependencyShape(Shape):
    source = _words(max_length=24)
    target = _words(max_length=24)
    strength = serializers.ChoiceField(["hard", "soft", "redundant"], default="hard")
    group = _words(max_length=80, allow_blank=True, default="")
    why = _words(max_length=500, allow_blank=True, default="")


class RecordItShape(Shape):
    """What becomes of something unrecorded: made an item of, or dismissed with why."""

    does = serializers.ChoiceField(["record", "dismiss"])
    kind = _words(max_length=60, allow_blank=True, default="")
    service = serializers.IntegerField(allow_null=True, default=None)
    why = _words(max_length=200, allow_blank=True, default="")


class WordCountShape(Shape):
    word = _words()
    count = serializers.IntegerField()


class PatternIncidentShape(Shape):
    id = serializers.IntegerField()
    title = _words()
    opened_s = serializers.IntegerField()
    problem = serializers.IntegerField(allow_null=True, help_text="the problem it is linked to")


class PatternShape(Shape):
    """What came more often in 14 days than it used to, and how likely that is by chance."""

    key = _words()
    name = _words()
    of = _words()
    count = serializers.IntegerField()
    usual = serializers.FloatField()
    p = serializers.FloatField()
    once_in = serializers.IntegerField(help_text="fortnights, in which chance makes as many once")
    words = WordCountShape(many=True)
    weeks = serializers.ListField(child=serializers.IntegerField())
    incidents = PatternIncidentShape(many=True)


class PatternsShape(Shape):
    """All that stands out, among how many looked at, and how many chance alone would show."""

    patterns = PatternShape(many=True)
    examined = serializers.IntegerField()
    by_chance = serializers.FloatField()
    dismissed = serializers.IntegerField()
    now_s = serializers.IntegerField()


class NoPatternShape(Shape):
    key = _words(max_length=160)
    count = serializers.IntegerField(min_value=1, max_value=10**6)
    why = _words(max_length=200, allow_blank=True)
