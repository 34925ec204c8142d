"""The JSON of the rulebook's API. Entries themselves follow the published JSON Schema."""

from typing import Any

from rest_framework import serializers

from gannet.tickets.shapes.tickets import StepShape
from gannet.web.shape import Shape


class AnyField(serializers.JSONField):
    """An entry, a value or a condition, whose form the rulebook's schema holds."""


class EditionShape(Shape):
    number = serializers.IntegerField()
    published_at_s = serializers.IntegerField()
    starts_at_s = serializers.IntegerField()
    by = serializers.CharField()
    comment = serializers.CharField()
    restores = serializers.IntegerField(allow_null=True)
    open_tickets = serializers.IntegerField()


class RulebookDraftShape(Shape):
    base = serializers.IntegerField()
    version = serializers.IntegerField()
    edits = serializers.IntegerField()
    people = serializers.ListField(child=serializers.CharField())
    last_edit = serializers.CharField(allow_blank=True)


class SectionShape(Shape):
    name = serializers.CharField()
    label = serializers.CharField()
    one = serializers.CharField()
    is_list = serializers.BooleanField()


class RulebookShape(Shape):
    in_force = serializers.IntegerField()
    editions = EditionShape(many=True)
    draft = RulebookDraftShape(allow_null=True)
    sections = SectionShape(many=True)


class DocumentShape(Shape):
    which = serializers.CharField()
    version = serializers.IntegerField()
    document = serializers.DictField()


class BeginShape(Shape):
    base = serializers.IntegerField(required=False, allow_null=True, default=None)


class EditShape(Shape):
    section = serializers.CharField(max_length=40)
    key = serializers.CharField(max_length=80, allow_blank=True, default="")
    before = AnyField(allow_null=True)
    after = AnyField(allow_null=True)
    position = serializers.IntegerField(
        required=False, allow_null=True, default=None, min_value=0, max_value=10_000
    )
    is_rename = serializers.BooleanField(
        default=False, help_text="Whether the entry's key is its name, and another one now."
    )


class OneOfManyShape(Shape):
    key = serializers.CharField(max_length=80)
    before = AnyField(allow_null=True)
    after = AnyField(allow_null=True)


class ManyEditsShape(Shape):
    section = serializers.CharField(max_length=40)
    changes = serializers.ListField(child=OneOfManyShape(), min_length=1, max_length=1000)


class UseShape(Shape):
    """What names an entry: another entry, or (with an empty key) people outside the rulebook."""

    section = serializers.CharField(allow_blank=True)
    key = serializers.CharField(allow_blank=True)
    name = serializers.CharField()
    place = serializers.CharField(allow_blank=True)


class EntryChangeShape(Shape):
    edition = serializers.IntegerField(allow_null=True, help_text="Empty: in the draft.")
    at_s = serializers.IntegerField()
    by = serializers.CharField()
    sentences = serializers.ListField(child=serializers.CharField())


class RulebookEntryShape(Shape):
    section = serializers.CharField()
    one = serializers.CharField(help_text="What such an entry is called.")
    key = serializers.CharField()
    name = serializers.CharField()
    uses = UseShape(many=True)
    changed = EntryChangeShape(allow_null=True)


class EditedShape(Shape):
    version = serializers.IntegerField()
    entry = AnyField(allow_null=True)


class UndoneShape(Shape):
    version = serializers.IntegerField()
    section = serializers.CharField()
    key = serializers.CharField(allow_blank=True)
    what = serializers.CharField()


class FindingShape(Shape):
    severity = serializers.CharField()
    section = serializers.CharField()
    key = serializers.CharField(allow_blank=True)
    name = serializers.CharField()
    says = serializers.CharField()
    why = serializers.CharField()
    do = serializers.CharField()


class DifferenceShape(Shape):
    section = serializers.CharField()
    key = serializers.CharField(allow_blank=True)
    name = serializers.CharField()
    how = serializers.CharField()
    sentences = serializers.ListField(child=serializers.CharField())


class ReviewShape(Shape):
    version = serializers.IntegerField()
    base = serializers.IntegerField()
    findings = FindingShape(many=True)
    differences = DifferenceShape(many=True)
    rehearsals = serializers.IntegerField()
    failing = serializers.IntegerField()


class PublishShape(Shape):
    comment = serializers.CharField(max_length=1000, allow_blank=True)
    starts_at = serializers.DateTimeField(required=False, allow_null=True, default=None)
    version = serializers.IntegerField()


class RestoreShape(Shape):
    comment = serializers.CharField(max_length=1000, allow_blank=True, default="")


class ImportShape(Shape):
    text = serializers.CharField(max_length=4_000_000, trim_whitespace=False)
    version = serializers.IntegerField(required=False, allow_null=True, default=None)


class GivenShape(Shape):
    """An example: who reports what, where and how."""

    requester = serializers.CharField(max_length=254)
    title = serializers.CharField(max_length=200, allow_blank=True, default="")
    text = serializers.CharField(max_length=10_000, allow_blank=True, default="")
    service = serializers.CharField(max_length=80, allow_null=True, allow_blank=True, default=None)
    ci = serializers.CharField(max_length=120, allow_null=True, allow_blank=True, default=None)
    place = serializers.CharField(max_length=80, allow_blank=True, default="")
    category = serializers.CharField(max_length=80, allow_blank=True, default="")
    channel = serializers.ChoiceField(
        choices=["portal", "e-mail", "phone", "api"], default="portal"
    )
    answers = serializers.DictField(child=serializers.CharField(), default=dict)
    impact = serializers.IntegerField(allow_null=True, default=None)
    urgency = serializers.IntegerField(allow_null=True, default=None)
    priority = serializers.CharField(max_length=3, allow_blank=True, default="")
    values = serializers.DictField(default=dict)


class TryShape(Shape):
    of = serializers.CharField(default="draft")
    given = GivenShape()
    at = serializers.DateTimeField()


class LeafShape(Shape):
    says = serializers.CharField()
    actual = AnyField(allow_null=True)
    holds = serializers.BooleanField()


class TraceShape(Shape):
    key = serializers.CharField()
    name = serializers.CharField()
    matched = serializers.BooleanField()
    because = serializers.CharField()
    leaves = LeafShape(many=True)
    did = serializers.ListField(child=serializers.CharField())
    overridden = serializers.ListField(child=serializers.CharField())
    stopped = serializers.BooleanField()


class ComingShape(Shape):
    at = serializers.CharField()
    clock = serializers.CharField()
    name = serializers.CharField()
    when = serializers.CharField()
    does = serializers.ListField(child=serializers.CharField())


class CountedRowShape(Shape):
    # `from` is a word of Python, so the fields of a ledger's row are declared below.
    to = serializers.CharField()
    kind = serializers.CharField()
    seconds = serializers.IntegerField()


CountedRowShape._declared_fields["from"] = serializers.CharField()


class OutcomeShape(Shape):
    result = serializers.DictField()
    why = serializers.DictField(child=StepShape(many=True))
    rules = TraceShape(many=True)
    next = ComingShape(many=True)
    ledgers = serializers.DictField(child=CountedRowShape(many=True))


class NewRehearsalShape(Shape):
    name = serializers.CharField(max_length=160)
    given = GivenShape()
    at = serializers.DateTimeField()
    expected = serializers.DictField()
    from_ticket = serializers.IntegerField(required=False, allow_null=True, default=None)


class RehearsalShape(Shape):
    id = serializers.IntegerField()
    name = serializers.CharField()
    given = serializers.DictField()
    at = serializers.CharField()
    expected = serializers.DictField()
    from_ticket = serializers.IntegerField(allow_null=True)
    holds = serializers.BooleanField()
    differs = serializers.DictField()
    problem = serializers.CharField(allow_blank=True)
    outcome = OutcomeShape(allow_null=True)


class FromTicketShape(Shape):
    given = serializers.DictField()
    at = serializers.CharField()
    name = serializers.CharField()
    number = serializers.IntegerField()


class RouteShape(Shape):
    route = serializers.DictField()


class RouteEndShape(Shape):
    stages = serializers.ListField(child=serializers.CharField())
    example = serializers.CharField()
    problem = serializers.CharField()


class RouteEndsShape(Shape):
    ends = RouteEndShape(many=True)
    combinations = serializers.IntegerField()
    is_complete = serializers.BooleanField()
    wrong = serializers.ListField(child=serializers.CharField())


class TaskPlanAskShape(Shape):
    tasks = serializers.ListField(child=serializers.DictField(), max_length=60)


class PlannedTaskShape(Shape):
    title = serializers.CharField()
    earliest = serializers.ListField(child=serializers.IntegerField())
    latest = serializers.ListField(child=serializers.IntegerField())
    is_critical = serializers.BooleanField()


class TaskPlanShape(Shape):
    length_minutes = serializers.IntegerField()
    rows = PlannedTaskShape(many=True)
    wrong = serializers.ListField(child=serializers.CharField())


class CalculateShape(Shape):
    calendar = serializers.DictField()
    start = serializers.DateTimeField()
    seconds = serializers.IntegerField(min_value=0, max_value=10**9)


class CalculatedShape(Shape):
    at = serializers.CharField()
    local = serializers.CharField()
    rows = CountedRowShape(many=True)


class YearShape(Shape):
    calendar = serializers.DictField()
    year = serializers.IntegerField(min_value=1990, max_value=2200)


class CalendarDayShape(Shape):
    date = serializers.CharField()
    seconds = serializers.IntegerField()
    hours = serializers.ListField(child=serializers.ListField(child=serializers.CharField()))
    is_exception = serializers.BooleanField()


class HolidaysShape(Shape):
    country = serializers.CharField(max_length=10, allow_blank=True, default="")
    region = serializers.CharField(max_length=40, allow_blank=True, default="")
    years = serializers.ListField(
        child=serializers.IntegerField(min_value=1990, max_value=2200), default=list, max_length=12
    )
    ics = serializers.CharField(
        max_length=2_000_000, allow_blank=True, default="", trim_whitespace=False
    )


class HolidayShape(Shape):
    date = serializers.CharField()
    name = serializers.CharField()


class CountryShape(Shape):
    key = serializers.CharField()
    name = serializers.CharField()
    regions = serializers.ListField(child=serializers.CharField())


class NewJobShape(Shape):
    kind = serializers.ChoiceField(choices=["replay", "preview", "re-apply"])
    days = serializers.IntegerField(required=False, default=90, min_value=1, max_value=1100)


class JobShape(Shape):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    state = serializers.CharField()
    done = serializers.IntegerField()
    total = serializers.IntegerField()
    result = AnyField(allow_null=True)
    problem = serializers.CharField(allow_blank=True)
    by = serializers.CharField()
    made_at_s = serializers.IntegerField()


class PreviewMessageShape(Shape):
    subject = serializers.CharField(max_length=300, allow_blank=True)
    body = serializers.CharField(max_length=20_000, allow_blank=True, trim_whitespace=False)
    ticket = serializers.IntegerField(required=False, allow_null=True, default=None)


class PreviewedMessageShape(Shape):
    subject = serializers.CharField()
    body = serializers.CharField()
    ticket = serializers.IntegerField()
    unknown = serializers.ListField(child=serializers.CharField())


class PreviewFormShape(Shape):
    form = serializers.DictField()
    template = serializers.DictField(required=False, allow_null=True, default=None)
    answers = serializers.DictField(default=dict)
    audience = serializers.ChoiceField(choices=["requester", "agent"])
    stage = serializers.ChoiceField(
        choices=["raising", "submitting", "resolving", "closing"], default="submitting"
    )


class VocabularyFieldShape(Shape):
    name = serializers.CharField()
    label = serializers.CharField()
    type = serializers.CharField()
    operators = serializers.ListField(child=serializers.CharField())
    said = serializers.DictField()
    synonyms = serializers.ListField(child=serializers.CharField())
    choices = serializers.ListField(child=serializers.CharField())
    settable = serializers.BooleanField()
    is_own = serializers.BooleanField(help_text="Whether the rulebook adds it.")


class NamedKeyShape(Shape):
    key = serializers.CharField()
    name = serializers.CharField()


class ClockKindShape(Shape):
    key = serializers.CharField()
    label = serializers.CharField(allow_blank=True)
    of = serializers.CharField()


class RunbookWordShape(Shape):
    key = serializers.CharField()
    name = serializers.CharField()
    inputs = serializers.DictField(child=serializers.CharField())


class VocabularyShape(Shape):
    """Everything that can be named in a rulebook, for the editors' lists."""

    fields_ = VocabularyFieldShape(many=True)
    form_fields = NamedKeyShape(many=True)
    teams = serializers.ListField(child=serializers.CharField())
    team_members = serializers.DictField(child=NamedKeyShape(many=True))
    boards = serializers.ListField(child=serializers.CharField())
    services = serializers.ListField(child=serializers.CharField())
    people = NamedKeyShape(many=True)
    deciders = NamedKeyShape(many=True)
    route_fields = VocabularyFieldShape(many=True)
    person_fields = VocabularyFieldShape(many=True)
    roles = serializers.ListField(child=serializers.CharField())
    person_roles = serializers.ListField(child=serializers.CharField())
    # Who may stop a clock: roles, and the people of the team that has the ticket.
    waiters = serializers.ListField(child=serializers.CharField())
    events = serializers.ListField(child=serializers.CharField())
    audiences = serializers.ListField(child=serializers.CharField())
    placeholders = serializers.DictField(child=serializers.CharField())
    moments = serializers.ListField(child=serializers.CharField())
    article_moments = serializers.ListField(child=serializers.CharField())
    article_who = NamedKeyShape(many=True)
    article_fields = VocabularyFieldShape(many=True)
    actions = serializers.DictField(child=serializers.ListField(child=serializers.CharField()))
    modes = serializers.ListField(child=serializers.CharField())
    runbooks = RunbookWordShape(many=True)
    zones = serializers.ListField(child=serializers.CharField())
    field_types = serializers.ListField(child=serializers.CharField())
    clocks = ClockKindShape(many=True)


VocabularyShape._declared_fields["fields"] = VocabularyShape._declared_fields.pop("fields_")


class HookCallShape(Shape):
    id = serializers.IntegerField()
    name = serializers.CharField()
    url = serializers.CharField()
    ticket = serializers.IntegerField(allow_null=True)
    article = serializers.IntegerField(allow_null=True)
    state = serializers.CharField()
    attempts = serializers.IntegerField()
    made_at_s = serializers.IntegerField()
    status = serializers.IntegerField(allow_null=True)
    answer = serializers.CharField(allow_blank=True)


class HookKeyShape(Shape):
    key = serializers.CharField()
    secret = serializers.CharField()


class HooksShape(Shape):
    calls = HookCallShape(many=True)
    secrets = HookKeyShape(many=True)


def given(data: Any) -> dict[str, Any]:
    """A checked example as plain data."""
    return dict(data)
