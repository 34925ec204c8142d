"""What stands around a ticket's conversation, and what may help with it."""

import re
from typing import Any

from django.db.models import Exists, OuterRef, Q, QuerySet
from django.utils import timezone

from gannet.audit.models import Event
from gannet.knowledge.models import Article, ArticleLink, ArticleState
from gannet.people.models import Deputy, Person
from gannet.rulebook.book import current
from gannet.tickets import policies, search
from gannet.tickets.approval_json import asked_json
from gannet.tickets.article_steps import ticked_on
from gannet.tickets.directory import deputies_at
from gannet.tickets.listed import seen_by
from gannet.tickets.models import (
    Approval,
    ApprovalState,
    ExternalWork,
    Hint,
    Link,
    LinkKind,
    Mark,
    Reminder,
    Ticket,
    TimeEntry,
)
from gannet.tickets.states import state_name
from gannet.web.kept import Givens, KeptQueries
from gannet_core.instants import seconds_of

_DAY = 86_400
_LIKELY_DAYS = 21
_MOST = 6
_MOST_LINKING = 10


_kept = KeptQueries()


def _time_of(givens: Givens) -> QuerySet[Any]:
    return TimeEntry.objects.filter(ticket=givens["ticket"]).select_related("person")


def _approvals_of(givens: Givens) -> QuerySet[Any]:
    related = ("asked_of", "asked_by", "instead_of")
    return Approval.objects.filter(ticket=givens["ticket"]).select_related(*related)


def _links_of(givens: Givens) -> QuerySet[Any]:
    either = Q(source=givens["ticket"]) | Q(target=givens["ticket"])
    return Link.objects.filter(either).select_related("source", "target")


def _outward_of(givens: Givens) -> QuerySet[Any]:
    return ExternalWork.objects.filter(ticket=givens["ticket"]).select_related("started_by")


def _marks_of(givens: Givens) -> QuerySet[Any, Any]:
    mine = Mark.objects.filter(ticket=givens["ticket"], person=givens["person"])
    return mine.values_list("pk")


def _reminders_of(givens: Givens) -> QuerySet[Any]:
    mine = Reminder.objects.filter(ticket=givens["ticket"], person=givens["person"])
    return mine.filter(done_s=None).select_related("ticket").order_by("at_s")


def named(thing: Any) -> dict[str, Any] | None:
    return None if thing is None else {"id": thing.pk, "name": thing.name}


def time_json(ticket: Ticket, reader: Person) -> dict[str, Any]:
    entries, running, others = [], None, []
    by_person: dict[str, int] = {}
    for entry in _kept.objects("time", _time_of, {"ticket": ticket.pk}):
        if entry.started_s is not None:
            if entry.person_id == reader.pk:
                running = entry.started_s
            else:
                others.append(entry.person.name)
            continue
        by_person[entry.person.name] = by_person.get(entry.person.name, 0) + entry.minutes
        entries.append(
            {
                "id": entry.pk,
                "person": entry.person.name,
                "is_mine": entry.person_id == reader.pk,
                "minutes": entry.minutes,
                "what": entry.what,
                "at_s": entry.made_s,
            }
        )
    return {
        "entries": entries,
        "total_minutes": sum(by_person.values()),
        "by_person": [{"name": name, "minutes": spent} for name, spent in by_person.items()],
        "running_since_s": running,
        "others_running": others,
    }


def approval_json(asked: Approval, reader: Person) -> dict[str, Any]:
    return {
        "id": asked.pk,
        "ticket": asked.ticket_id,
        "ticket_title": asked.ticket.title,
        "what": asked.what,
        "cost_pence": asked.cost_pence,
        "state": asked.state,
        "asked_of": asked.asked_of.name,
        "asked_by": asked.asked_by.name,
        "requester": asked.ticket.requester.name,
        "reason": asked.reason,
        "asked_s": asked.asked_s,
        "decided_s": asked.decided_s,
        "through": asked.get_through_display() if asked.through else "",
        "is_mine": asked.asked_of_id == reader.pk,
        "in_place": policies.may_decide_in_place(asked, reader) and not _deputises(asked, reader),
        **asked_json(asked, reader, current()),
    }


def _deputises(asked: Approval, reader: Person) -> bool:
    """Whether the reader decides for whom is asked anyway, as their deputy for now."""
    now_s = seconds_of(timezone.now())
    return reader.pk in deputies_at([asked.asked_of_id], now_s).get(asked.asked_of_id, ())


# All that `approval_json` reads: a list of approvals makes no wide records.
_SHOWN_OF_APPROVALS = (
    *(field.name for field in Approval._meta.concrete_fields),
    *(f"{who}__name" for who in ("asked_of", "asked_by", "instead_of")),
    *(f"ticket__{name}" for name in ("kind", "title", "values", "requester", "beneficiary")),
    *(
        f"ticket__{who}__{name}"
        for who in ("requester", "beneficiary")
        for name in ("name", "cost_centre")
    ),
)


def to_decide(person: Person, now_s: int, most: int = 200) -> list[Approval]:
    """What somebody is asked to decide, or decides beside whom they deputise for now."""
    related = ("asked_of", "asked_by", "instead_of", "ticket__requester", "ticket__beneficiary")

    def build(givens: Givens) -> QuerySet[Any]:
        me, at = givens["person"], givens["now_s"]
        beside = Deputy.objects.filter(
            person=OuterRef("asked_of"), deputy=me, from_s__lte=at, to_s__gt=at
        )
        mine = Q(asked_of=me) | Q(Exists(beside), stage__isnull=False)
        found = Approval.objects.filter(mine, state=ApprovalState.PENDING)
        found = found.exclude(ticket__requester=me).exclude(ticket__beneficiary=me)
        found = found.select_related(*related).only(*_SHOWN_OF_APPROVALS)
        return found.order_by("asked_s", "id")[:most]

    return _kept.objects(("to decide", most), build, {"person": person.pk, "now_s": now_s})


def reminders_json(person: Person, most: int) -> list[dict[str, Any]]:
    """What somebody wants to be reminded of, the soonest first."""

    def build(givens: Givens) -> QuerySet[Any, Any]:
        mine = Reminder.objects.filter(person=givens["person"], done_s=None).order_by("at_s")
        return mine.values_list("id", "text", "at_s", "fired_s", "ticket", "ticket__title")[:most]

    rows = _kept.rows(("my reminders", most), build, {"person": person.pk})
    return [
        {
            "id": number,
            "text": text,
            "at_s": at_s,
            "is_fired": fired_s is not None,
            "ticket": ticket,
            "title": title or "",
        }
        for number, text, at_s, fired_s, ticket, title in rows
    ]


def approvals_json(ticket: Ticket, reader: Person) -> list[dict[str, Any]]:
    rows = _kept.objects("approvals", _approvals_of, {"ticket": ticket.pk})
    for asked in rows:
        asked.ticket = ticket  # and what has been read of it already
    return [approval_json(asked, reader) for asked in rows]


def links_json(ticket: Ticket, reader: Person) -> list[dict[str, Any]]:
    """The links of a ticket either way; what the reader may not know of is left out."""
    rows: list[Link] = _kept.objects("links", _links_of, {"ticket": ticket.pk})
    if not rows:
        return []
    ends = {row.target_id if row.source_id == ticket.pk else row.source_id for row in rows}
    visible = set(policies.visible_to(reader).filter(pk__in=ends).values_list("pk", flat=True))
    found = []
    for row in rows:
        is_out = row.source_id == ticket.pk
        other = row.target if is_out else row.source
        if other.pk not in visible:
            continue
        kind = LinkKind(row.kind)
        found.append(
            {
                "id": row.pk,
                "says": kind.value if is_out else kind.label,
                "other": other.pk,
                "title": other.title,
                "state": state_name(other.state),
                "kind": other.kind,
            }
        )
    return found


def outward_json(ticket: Ticket) -> list[dict[str, Any]]:
    rows: list[ExternalWork] = _kept.objects("outward", _outward_of, {"ticket": ticket.pk})
    return [
        {
            "id": row.pk,
            "kind": row.kind,
            "key": row.key,
            "title": row.title,
            "state": row.state,
            "log": row.log,
            "started_by": row.started_by.name if row.started_by else "",
            "made_s": row.made_s,
            "changed_s": row.changed_s,
            "is_over": row.ended_s is not None,
        }
        for row in rows
    ]


def mine_json(ticket: Ticket, reader: Person) -> dict[str, Any]:
    mine = {"ticket": ticket.pk, "person": reader.pk}
    return {
        "is_marked": bool(_kept.rows("marked", _marks_of, mine)),
        "reminders": [
            reminder_json(row) for row in _kept.objects("reminders", _reminders_of, mine)
        ],
    }


def reminder_json(row: Reminder) -> dict[str, Any]:
    return {
        "id": row.pk,
        "text": row.text,
        "at_s": row.at_s,
        "is_fired": row.fired_s is not None,
        "ticket": row.ticket_id,
        "title": row.ticket.title if row.ticket else "",
    }


def merged_json(ticket: Ticket, reader: Person) -> list[dict[str, Any]]:
    seen = seen_by(reader)

    def build(givens: Givens) -> QuerySet[Any, Any]:
        found = seen.build(givens).filter(duplicate_of=givens["ticket"]).order_by("pk")
        return found.values_list("id", "title", "requester__name")

    return [
        {"id": number, "title": title, "requester": requester}
        for number, title, requester in seen.rows(_kept, "merged", build, {"ticket": ticket.pk})
    ]


def helping(ticket: Ticket, reader: Person, now_s: int) -> dict[str, Any]:
    """What may help: hints, likely duplicates, similar tickets and how they ended, articles."""
    visible = policies.visible_to(reader)
    rows, likely = _alike(ticket, reader)
    ended = [row for row in rows if row["resolution"]]
    return {
        "hints": _hints(ticket),
        "duplicates": likely if ticket.is_open else [],
        "similar": [_similar(row, ticket) for row in ended[:_MOST]],
        "articles": _articles(ticket, reader),
        "linking": _linking(ticket, reader),
        "ticked": ticked_on(ticket, reader),
        "of_ci": _recent(visible.filter(ci=ticket.ci_id), ticket) if ticket.ci_id else [],
        "of_requester": _recent(visible.filter(requester=ticket.requester_id), ticket),
    }


def helping_new(ticket: Ticket, reader: Person) -> dict[str, Any]:
    """What may help with a ticket that is still being typed."""
    return {"duplicates": _alike(ticket, reader)[1], "articles": _articles(ticket, reader)}


def _alike(ticket: Ticket, reader: Person) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
    """Tickets with words in common, the closest first; and of them the open ones that may be
    the same thing."""
    visible = policies.visible_to(reader)
    near = search.ranked(ticket.title, 80, any_word=True)
    scores = {number: score for number, score in near if number != ticket.pk}
    found = visible.filter(pk__in=scores, is_spam=0)
    if ticket.pk is not None:
        # Parts of one whole are alike and not the same.
        whole = ticket.parent_id or ticket.pk
        found = found.exclude(duplicate_of=ticket).exclude(Q(pk=whole) | Q(parent=whole))
    rows: list[dict[str, Any]] = [
        dict(row)
        for row in found.values(
            "id",
            "kind",
            "title",
            "state",
            "is_open",
            "opened_s",
            "resolution",
            "service_id",
            "ci_id",
            "requester_id",
        )
    ]
    best = max(scores.values(), default=0.0)

    def closeness(row: dict[str, Any]) -> float:
        near = scores[row["id"]] / best if best else 0.0
        same = (ticket.service_id is not None and row["service_id"] == ticket.service_id) * 0.4
        return near + same + (ticket.ci_id is not None and row["ci_id"] == ticket.ci_id) * 0.6

    rows.sort(key=lambda row: (-closeness(row), -row["id"]))
    likely = [
        row
        for row in rows
        if row["is_open"]
        and abs(row["opened_s"] - ticket.opened_s) < _LIKELY_DAYS * _DAY
        and closeness(row) >= 0.75
    ]
    return rows, [_similar(row, ticket) for row in likely[:_MOST]]


def _similar(row: dict[str, Any], ticket: Ticket) -> dict[str, Any]:
    reasons = ["words in common"]
    if row["ci_id"] is not None and row["ci_id"] == ticket.ci_id:
        reasons.append("the same item")
    elif row["service_id"] is not None and row["service_id"] == ticket.service_id:
        reasons.append("the same service")
    if row["requester_id"] == ticket.requester_id:
        reasons.append("the same requester")
    return {
        "id": row["id"],
        "kind": row["kind"],
        "title": row["title"],
        "state": state_name(row["state"]),
        "opened_s": row["opened_s"],
        "resolution": row["resolution"][:300],
        "is_open": row["is_open"],
        "why": ", ".join(reasons),
    }


def _recent(found: Any, ticket: Ticket) -> list[dict[str, Any]]:
    rows = found.exclude(pk=ticket.pk).order_by("-opened_s")
    return [
        {**row, "state": state_name(row["state"])}
        for row in rows.values("id", "kind", "title", "state", "opened_s")[:_MOST]
    ]


def _hints(ticket: Ticket) -> list[dict[str, Any]]:
    about = Q(pk__in=[])
    if ticket.category:
        # "Hardware › Till" also gets what is said of "Hardware".
        parts = ticket.category.split(" › ")
        names = [" › ".join(parts[: n + 1]) for n in range(len(parts))]
        about |= Q(category__in=names, service=None)
    if ticket.service_id:
        about |= Q(service=ticket.service_id)
    rows = Hint.objects.filter(about).select_related("service").order_by("pk")
    return [
        {
            "id": row.pk,
            "text": row.text,
            "about": row.service.name if row.service else row.category,
        }
        for row in rows[:8]
    ]


def _linking(ticket: Ticket, reader: Person) -> list[dict[str, Any]]:
    """The articles that link to it."""
    from gannet.knowledge.links import TICKET
    from gannet.knowledge.search import readable

    linking = ArticleLink.objects.filter(what=TICKET, number=ticket.pk).values("article")
    rows = readable(reader).filter(pk__in=linking).exclude(state=ArticleState.RETIRED)
    return [article_line(row) for row in rows.order_by("title_folded", "pk")[:_MOST_LINKING]]


def _articles(ticket: Ticket, reader: Person) -> list[dict[str, Any]]:
    from gannet.knowledge.search import find_articles, readable

    now_s = seconds_of(timezone.now())
    own = (ticket.service_id,) if ticket.service_id else ()
    found = find_articles(ticket.title, 8, reader, now_s, any_word=True, services=own)
    gone = _not_suggested(ticket)
    found = [row for row in found if row.pk not in gone]
    if ticket.service_id and len(found) < 3:
        more = readable(reader).filter(state=ArticleState.PUBLISHED, service=ticket.service_id)
        more = more.exclude(pk__in=gone).order_by("-used")
        found += [row for row in more[:3] if row not in found]
    return [article_line(row) for row in found[:5]]


_LINKED = re.compile(r"/articles/(\d{1,12})\b")


def _not_suggested(ticket: Ticket) -> set[int]:
    """Articles that were passed over on a ticket, or used: it resolved by one, or it was sent."""
    if ticket.pk is None:
        return set()
    gone = set(ticket.passed_articles.values_list("article", flat=True))
    if ticket.article_id is not None:
        gone.add(ticket.article_id)
    sent = Event.objects.filter(ticket=ticket.pk, text__contains="/articles/")
    for text in sent.order_by("-id").values_list("text", flat=True)[:50]:
        gone.update(int(number) for number in _LINKED.findall(text))
    return gone


def article_line(row: Article) -> dict[str, Any]:
    return {
        "id": row.pk,
        "title": row.title,
        "used": row.used,
        "for_everybody": row.for_everybody == 1,
    }
