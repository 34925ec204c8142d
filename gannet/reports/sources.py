"""The kinds of record, beside tickets, that reports count."""

from collections.abc import Mapping
from functools import partial
from typing import Any

from django.db.models import Count, Exists, F, OuterRef, Q, QuerySet, Subquery, TextField, Value
from django.db.models.functions import Coalesce

from gannet.audit.models import Event
from gannet.estate.models import ConfigItem, Life, Service
from gannet.knowledge.models import Article, ArticleKind, ArticleRead, ArticleState, ArticleVote
from gannet.knowledge.search import readable
from gannet.majors.models import MajorFacts
from gannet.majors.plans import plans
from gannet.people.models import Person
from gannet.reports.models import Stretch
from gannet.reports.source import Source, moment, own, somebody, team, words
from gannet.reports.values import column, took, truth
from gannet.rulebook.book import current
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Approval, Clock, SurveyAnswer, Task, Ticket, TimeEntry
from gannet.tickets.models.relations import ApprovalState
from gannet.tickets.models.task import TaskState
from gannet_core.knowledge import SAVED_WITHIN_S

_NAMES = {
    "service": lambda: list(Service.objects.values_list("name", flat=True)),
    "category": lambda: list(current().categories),
    "place": lambda: sorted({*Person.objects.values_list("place", flat=True)} - {""}),
    "department": lambda: sorted({*Person.objects.values_list("department", flat=True)} - {""}),
    "waiting": lambda: ["requester", "supplier", "approval", "date"],
    "supplier": lambda: [str(one["name"]) for one in current().suppliers.values()],
    "clock": lambda: list(current().clock_kinds),
    "agreement": lambda: [str(one["key"]) for one in current().agreements],
    "item kind": lambda: sorted(
        ConfigItem.objects.order_by().values_list("kind", flat=True).distinct()
    ),
}

_TASKS = Source(
    "task", "tasks", "Each task of a record, by itself.", Task,
    (
        own("task", "choice", "task", "title"),
        team("task.team", "task’s team", "team"),
        somebody("task.holder", "task’s holder", "person"),
        somebody("task.done by", "done by", "done_by"),
        words("task.state", "task’s state", "state", lambda: list(TaskState.values)),
        moment("made", "made", "made_s"),
        moment("done", "done", "done_s"),
        moment("due", "due", "due_s"),
    ),
    ("made", "done", "open now", "open at the end of each", "of all time"), "title",
    values={
        "time taken": took("made_s", "done_s"),
        "planned": column("estimate_minutes"),
        "cost": lambda _: Coalesce(F("spent_pence"), F("cost_pence")),
        "in time": truth(Q(done_s__lte=F("due_s")), Q(done_s__isnull=False, due_s__isnull=False)),
    },
    came="made_s", gone="done_s", people=("task.holder", "task.done by"),
)  # fmt: skip

_DECIDED = Q(state__in=[ApprovalState.APPROVED, ApprovalState.REFUSED])
_APPROVALS = Source(
    "approval", "approvals", "Each decision that was asked of somebody.", Approval,
    (
        somebody("approver", "approver", "asked_of"),
        somebody("decided by", "decided by", "decided_by"),
        words("decision", "decision", "state", lambda: list(ApprovalState.values)),
        own("stage", "choice", "stage of the route", "stage__name", is_nullable=True),
        moment("asked", "asked", "asked_s"),
        moment("decided", "decided", "decided_s"),
    ),
    ("asked", "decided", "open now", "of all time"), "what",
    values={
        "time taken": took("asked_s", "decided_s"),
        "approved": truth(Q(state=ApprovalState.APPROVED), _DECIDED),
        "cost": column("cost_pence"),
    },
    came="asked_s", gone="decided_s", people=("approver", "decided by"),
)  # fmt: skip

_TIMES = Source(
    "time", "logged times", "Each entry of time that somebody logged on a record.", TimeEntry,
    (
        somebody("logged by", "logged by", "person"),
        own("logged for", "choice", "logged for what", "what"),
        moment("logged", "logged", "made_s"),
    ),
    ("logged", "of all time"), "what",
    values={"minutes": column("minutes")},
    people=("logged by",),
)  # fmt: skip

_SURVEYS = Source(
    "survey", "surveys", "Each time that a requester was asked how it was.", SurveyAnswer,
    (
        own("survey.score", "number", "answer, of five", "score", is_nullable=True),
        moment("sent", "sent", "asked_s"),
        moment("answered", "answered", "answered_s"),
    ),
    ("sent", "answered", "of all time"), "text",
    values={"score": column("score"), "answered": truth(Q(answered_s__isnull=False))},
)  # fmt: skip

_HANDS = (
    team("had by team", "team that had it", "team"),
    somebody("had by", "who had it", "person"),
    moment("begun", "begun", "from_s"),
    moment("ended", "ended", "until_s"),
)
_WAIT = (
    words("waited on", "waited on", "waiting", _NAMES["waiting"]),
    words("waited on supplier", "supplier waited on", "supplier", _NAMES["supplier"]),
)
_SPENT = {
    "time taken": took("from_s", "until_s"),
    "service time taken": column("service_seconds"),
    "out of hours": lambda _: F("until_s") - F("from_s") - F("service_seconds"),
}
_stretches = partial(
    Source, model=Stretch, title="ticket__title", values=_SPENT, came="from_s", gone="until_s"
)
_OF_STRETCHES = ("begun", "ended", "open now", "of all time")
_HELD = _stretches(
    "held", "times held", "Each time that a record stayed in the same hands, waiting on the same.",
    fields=(*_HANDS, *_WAIT), events=_OF_STRETCHES, people=("had by",),
)  # fmt: skip
_WAITS = _stretches(
    "wait", "waits", "Each time that a record waited on somebody or on a date.",
    fields=(*_HANDS, *_WAIT, somebody("begun by", "begun by", "by")), events=_OF_STRETCHES,
    values={**_SPENT, "late wait": truth(Q(is_late=True), Q(is_late__isnull=False))},
    only=~Q(waiting=""), people=("had by", "begun by"),
)  # fmt: skip
_HAND_OVERS = _stretches(
    "hand-over", "hand-overs", "Each time that a record went to another team or person.",
    fields=(
        team("from team", "team it came from", "team"),
        somebody("from", "who gave it", "person"),
        team("to team", "team it went to", "next_team"),
        somebody("to", "who got it", "next_person"),
        moment("handed over", "handed over", "until_s"),
    ),
    events=("handed over", "of all time"), only=Q(is_hand_over=True), people=("from", "to"),
    came="",
)  # fmt: skip


def _why_reopened() -> Any:
    """What was written with it: by the requester, or by the desk to itself."""
    wrote = Event.objects.filter(
        ticket=OuterRef("ticket"), at_s=OuterRef("from_s"),
        kind__in=[TicketEvent.REQUESTER_WROTE, TicketEvent.NOTED],
    )  # fmt: skip
    first = Subquery(wrote.order_by("id").values("text")[:1])
    return Coalesce(first, Value(""), output_field=TextField())


_REOPENINGS = _stretches(
    "reopening", "reopenings", "Each time that something resolved was opened again.",
    fields=(
        team("reopened at", "team that had it", "team"),
        somebody("reopened by", "reopened by", "by"),
        moment("opened again", "opened again", "from_s"),
    ),
    events=("opened again", "of all time"), only=Q(begun_by="reopened"),
    people=("reopened by",), values={}, came="", says=_why_reopened,
)  # fmt: skip

_MISSES = Source(
    "miss", "missed targets", "Each target that was missed, of customers, teams and suppliers.",
    Clock,
    (
        words("target", "target", "kind", _NAMES["clock"]),
        words("target.agreement", "target’s agreement", "agreement", _NAMES["agreement"]),
        own("target.for", "choice", "whose target", "holder"),
        moment("missed", "missed", "missed_s"),
    ),
    ("missed", "of all time"), "ticket__title",
    values={"time over": took("missed_s", "ended_s")},
    only=Q(missed_s__isnull=False),
)  # fmt: skip


_MAJORS = Source(
    "major", "times of major incidents", "How long each of them took; no drills.", MajorFacts,
    (
        own("declared by plan", "choice", "plan", "plan",
            values=lambda: [str(one["key"]) for one in plans(current())]),
        moment("declared", "declared", "declared_s"),
        moment("stood down", "stood down", "stood_down_s"),
    ),
    ("declared", "stood down", "open now", "of all time"), "call_sign",
    values={
        "time to notice": lambda _: F("reported_s") - F("began_s"),
        "time to declare": lambda _: F("declared_s") - F("reported_s"),
        "time to first update": lambda _: F("first_update_s") - F("declared_s"),
        "time to restore": lambda _: F("restored_s") - Coalesce(F("began_s"), F("reported_s")),
        "time run": took("declared_s", "stood_down_s"),
        "affected": column("affected"),
    },
    came="declared_s", gone="stood_down_s", only=Q(is_drill=0),
)  # fmt: skip


def _votes(helped: bool) -> Subquery:
    rows = ArticleVote.objects.filter(article=OuterRef("pk"), helped=helped).order_by()
    return Subquery(rows.values("article").annotate(many=Count("pk")).values("many"))


def _reads() -> Subquery:
    rows = ArticleRead.objects.filter(article=OuterRef("pk")).order_by()
    return Subquery(rows.values("article").annotate(many=Count("pk")).values("many"))


_OF_ARTICLE = (
    ("article.kind", "kind of article", "kind", lambda: list(ArticleKind.values)),
    ("article.category", "article’s category", "category", _NAMES["category"]),
)
_ARTICLES = Source(
    "article", "articles", "Each article of the knowledge.", Article,
    (
        *(words(name, label, path, values) for name, label, path, values in _OF_ARTICLE),
        own("article.service", "choice", "article’s service", "service__name", is_nullable=True,
            values=_NAMES["service"]),
        words("article.state", "article’s state", "state", lambda: list(ArticleState.values)),
        somebody("article.owner", "article’s owner", "owner"),
        moment("written", "written", "made_s"),
        moment("last changed", "last changed", "changed_s"),
        moment("review by", "review by", "review_s"),
    ),
    ("of all time", "written", "last changed", "review by"), "title", link=("article", "pk"),
    values={
        "reads": lambda _: Coalesce(_reads(), 0),
        "uses": column("used"),
        "helped": lambda _: Coalesce(_votes(helped=True), 0),
        "did not help": lambda _: Coalesce(_votes(helped=False), 0),
    },
    on_ticket=False, seen=readable, people=("article.owner",),
    is_open=Q(state=ArticleState.PUBLISHED, for_everybody=1),
)  # fmt: skip


def _read_of(person: Person) -> QuerySet[ArticleRead]:
    return ArticleRead.objects.filter(article__in=readable(person).values("pk"))


_ASKED_AFTER = Exists(
    Ticket.objects.filter(
        requester=OuterRef("person"),
        is_confidential=0,
        service=OuterRef("article__service"),
        opened_s__gte=OuterRef("at_s"),
        opened_s__lte=OuterRef("at_s") + SAVED_WITHIN_S,
    )
)
_READS = Source(
    "read", "readings of articles", "Each time that somebody read an article.", ArticleRead,
    (
        own("article", "choice", "article", "article__title"),
        *(words(n, label, f"article__{path}", values) for n, label, path, values in _OF_ARTICLE),
        own("article.service", "choice", "article’s service", "article__service__name",
            is_nullable=True, values=_NAMES["service"]),
        words("reader.department", "reader’s department", "person__department",
              _NAMES["department"]),
        words("reader.place", "reader’s place", "person__place", _NAMES["place"]),
        own("found", "yes/no", "found by a search or offer", "is_found"),
        moment("read", "read", "at_s"),
    ),
    ("read", "of all time"), "article__title", link=("article", "article_id"),
    values={"no ticket after": truth(~Q(_ASKED_AFTER))},
    on_ticket=False, seen=_read_of,
    is_open=Q(article__state=ArticleState.PUBLISHED, article__for_everybody=1),
)  # fmt: skip

_ITEMS = Source(
    "item", "configuration items", "Each item of the estate.", ConfigItem,
    (
        words("item.kind", "type of item", "kind", _NAMES["item kind"]),
        own("item.service", "choice", "item’s service", "service__name", is_nullable=True,
            values=_NAMES["service"]),
        words("item.place", "item’s place", "place", _NAMES["place"]),
        words("item.life", "item’s life", "life", lambda: list(Life.values)),
        own("item.criticality", "number", "item’s criticality", "criticality"),
        team("item.team", "team that looks after it", "team"),
        somebody("item.owner", "item’s technical owner", "owner"),
        own("item.supplier", "choice", "item’s supplier", "supplier"),
        moment("seen", "last seen by a scan", "seen_s"),
    ),
    ("of all time", "seen"), "name", link=("item", "pk"),
    values={
        "tickets": lambda _: Coalesce(
            Subquery(
                Ticket.objects.filter(ci=OuterRef("pk"), is_confidential=0).order_by().values("ci")
                .annotate(many=Count("pk")).values("many")
            ), 0,
        ),
        "differences": column("drifts"),
    },
    on_ticket=False,
)  # fmt: skip

SOURCES: Mapping[str, Source] = {
    one.key: one
    for one in (
        _TASKS, _APPROVALS, _TIMES, _SURVEYS, _HELD, _WAITS, _HAND_OVERS, _REOPENINGS, _MISSES,
        _MAJORS,
        _ARTICLES, _READS, _ITEMS,
    )
}  # fmt: skip
