"""The JSON of the portal: my things, offers, a report, a ticket as its requester sees it."""

from rest_framework import serializers

from gannet.portal.api_announcements import NewsShape
from gannet.tickets.shapes.lists import OutageShape
from gannet.tickets.shapes.sections import WithSections
from gannet.tickets.shapes.tickets import EntryShape, WaitingShape
from gannet.web.shape import NamedShape, Shape


class PathStepShape(Shape):
    label = serializers.CharField()
    at_s = serializers.IntegerField(allow_null=True)
    is_done = serializers.BooleanField()
    is_now = serializers.BooleanField()


class MyThingShape(Shape):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    title = serializers.CharField()
    state = serializers.CharField()
    is_open = serializers.BooleanField()
    opened_s = serializers.IntegerField()
    service = serializers.CharField()
    team = serializers.CharField()
    holder = serializers.CharField()
    waits_for = serializers.CharField()
    since_s = serializers.IntegerField()
    is_waiting_for_me = serializers.BooleanField()
    fix_due_s = serializers.IntegerField(allow_null=True)
    path = PathStepShape(many=True)


class ShareShape(Shape):
    person = serializers.IntegerField()


class HomeShape(Shape):
    shared = MyThingShape(many=True)
    things = MyThingShape(many=True)
    outages = OutageShape(many=True)
    news = NewsShape(many=True)
    now_s = serializers.IntegerField()


class OfferedServiceShape(NamedShape):
    plain = serializers.CharField()
    words = serializers.ListField(child=serializers.CharField())
    probability = serializers.FloatField()


class OfferedItemShape(Shape):
    key = serializers.CharField()
    name = serializers.CharField()
    plain = serializers.CharField()
    icon = serializers.CharField()
    is_bundle = serializers.BooleanField()
    once_pence = serializers.IntegerField()
    monthly_pence = serializers.IntegerField()
    is_preapproved = serializers.BooleanField()


class OfferedArticleShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    starts = serializers.CharField()


class SubjectArticleShape(OfferedArticleShape):
    kind = serializers.CharField()
    changed_s = serializers.IntegerField()


class ArticlesOfSubjectShape(Shape):
    """The articles of one category, by title."""

    subject = serializers.CharField()
    articles = SubjectArticleShape(many=True)


class SubjectsShape(Shape):
    """Articles by category, and which words were read as which others."""

    subjects = ArticlesOfSubjectShape(many=True)
    read_as = serializers.ListField(child=serializers.CharField())


class OffersShape(Shape):
    articles = OfferedArticleShape(many=True)
    items = OfferedItemShape(many=True)
    services = OfferedServiceShape(many=True)
    outages = OutageShape(many=True)
    things = MyThingShape(many=True)


class ReportShape(Shape):
    """What somebody says is wrong; who, where and with what device is known already."""

    title = serializers.CharField(max_length=10_000)
    text = serializers.CharField(max_length=50_000, allow_blank=True, default="")
    service = serializers.IntegerField(allow_null=True, default=None)
    ci = serializers.IntegerField(allow_null=True, default=None)
    place = serializers.CharField(max_length=80, allow_blank=True, default="")
    answers = serializers.DictField(child=serializers.CharField(max_length=80), default=dict)
    values = serializers.DictField(default=dict)
    # The colleague it is reported for; nobody said: for whoever reports.
    for_whom = serializers.IntegerField(allow_null=True, default=None)
    attachments = serializers.ListField(child=serializers.UUIDField(), default=list)


class NamedArticleShape(Shape):
    """An article that was offered, of which its reader can say that it was it."""

    id = serializers.IntegerField()
    title = serializers.CharField()


class MyTicketShape(WithSections):
    """A ticket as its requester sees it: public words, and who has it."""

    for_requester = True

    id = serializers.IntegerField()
    kind = serializers.CharField()
    version = serializers.IntegerField()
    title = serializers.CharField()
    state = serializers.CharField()
    is_open = serializers.BooleanField()
    service = serializers.CharField()
    place = serializers.CharField()
    team = serializers.CharField()
    holder = serializers.CharField()
    opened_s = serializers.IntegerField()
    resolved_s = serializers.IntegerField(allow_null=True)
    closes_s = serializers.IntegerField(allow_null=True)
    resolution = serializers.CharField()
    waiting = WaitingShape(allow_null=True)
    answer_due_s = serializers.IntegerField(allow_null=True)
    answered_s = serializers.IntegerField(allow_null=True)
    fix_due_s = serializers.IntegerField(allow_null=True)
    is_mine = serializers.BooleanField()
    conversation = EntryShape(many=True)
    path = PathStepShape(many=True)
    may = serializers.ListField(child=serializers.CharField())
    offered = NamedArticleShape(many=True)
    now_s = serializers.IntegerField()
