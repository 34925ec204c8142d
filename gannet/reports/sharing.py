"""Dashboards by a link, for those without an account: read only, for a while, ended at will.

What a link shows is what its maker may see, without anything confidential. The link's secret
stands nowhere but as a digest; who opened it from where, and how often, is kept.
"""

import hashlib
import secrets
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction
from django.db.models import F

from gannet.changes.reading import schedule_json
from gannet.people.models import Person
from gannet.people.roles import reads_desk
from gannet.reports import answers, keeping, looking_ahead
from gannet.reports.fields import zone
from gannet.reports.models import Dashboard, DashboardLink, LinkOpening
from gannet.reports.shipped import BY_KEY
from gannet.rulebook.book import current
from gannet.tickets import listing
from gannet.tickets.listed import listed
from gannet.tickets.models import Ticket
from gannet.tickets.queries import total
from gannet.web.errors import Invalid, Missing, Problem
from gannet_core.errors import ConditionError, ReportError
from gannet_core.instants import seconds_of

MOST_LINKS, LONGEST_DAYS, MOST_LISTED = 10, 365, 8
# Looking again from the same place within so long is the same visit.
VISIT_S, KEPT_OPENINGS = 1_800, 200
SCHEDULE_S = 14 * 86_400
_OPEN = {"field": "confidential", "op": "is", "value": False}


@transaction.atomic
def open_link(
    person: Person, now: datetime, number: int, *, days: int, note: str
) -> tuple[DashboardLink, str]:
    """A new link to one's own dashboard, and its secret, which is told this once."""
    row = _mine(person, number)
    if not 1 <= days <= LONGEST_DAYS:
        raise Invalid("Say for how many days.", fields={"days": f"From 1 to {LONGEST_DAYS}."})
    now_s = seconds_of(now)
    if row.links.filter(ended_s=None, until_s__gt=now_s).count() >= MOST_LINKS:
        raise Invalid(f"At most {MOST_LINKS} links.", fields={"days": "End one first."})
    secret = secrets.token_urlsafe(32)
    link = DashboardLink.objects.create(
        dashboard=row, digest=_digest(secret), note=" ".join(note.split())[:120], made_s=now_s,
        until_s=seconds_of(now + timedelta(days=days)),
    )  # fmt: skip
    return link, secret


def end_link(person: Person, number: int, link: int, now: datetime) -> None:
    """Let a link open nothing from now on; that it was, and who opened it, stays."""
    row = _mine(person, number).links.filter(pk=link).first()
    if row is None:
        raise Missing("There is no such link.")
    if row.ended_s is None:
        DashboardLink.objects.filter(pk=row.pk).update(ended_s=seconds_of(now))


def links_json(person: Person, number: int, now: datetime) -> list[dict[str, Any]]:
    """The links to one's own dashboard, the newest first, with who opened each."""
    links = _mine(person, number).links.prefetch_related("openings")
    return [link_json(one, now) for one in links]


def link_json(one: DashboardLink, now: datetime) -> dict[str, Any]:
    return {
        "id": one.pk,
        "note": one.note,
        "made_s": one.made_s,
        "until_s": one.until_s,
        "ended_s": one.ended_s,
        "is_open": one.ended_s is None and one.until_s > seconds_of(now),
        "openings": [
            {
                "address": opening.address,
                "first_s": opening.first_s,
                "last_s": opening.last_s,
                "times": opening.times,
            }
            for opening in one.openings.all()
        ],
    }


def _mine(person: Person, number: int) -> Dashboard:
    row = Dashboard.objects.filter(owner=person, pk=number).first()
    if row is None:
        raise Missing("There is no such dashboard of yours.")
    return row


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def shown(secret: str, address: str, now: datetime) -> dict[str, Any]:
    """What a link shows now; what is wrong with a link is not told apart."""
    now_s = seconds_of(now)
    links = DashboardLink.objects.select_related("dashboard__owner")
    link = links.filter(digest=_digest(secret), ended_s=None, until_s__gt=now_s).first()
    if link is None or not _may_still(link.dashboard.owner):
        raise Missing("This link opens nothing, or no more: ask for a new one.")
    _note(link, address, now_s)
    row, owner = link.dashboard, link.dashboard.owner
    return {
        "name": row.name,
        "owner": owner.name,
        "until_s": link.until_s,
        "now_s": now_s,
        "zone": str(zone()),
        "rows": [[_shown(part, owner, now) for part in parts] for parts in row.rows],
    }


def _may_still(owner: Person) -> bool:
    return owner.is_active and reads_desk(owner)


def _note(link: DashboardLink, address: str, now_s: int) -> None:
    """Keep that it was opened: a visit is one line, however often it looks again."""
    same = link.openings.filter(address=address, last_s__gt=now_s - VISIT_S).first()
    if same is None:
        LinkOpening.objects.create(link=link, address=address[:45], first_s=now_s, last_s=now_s)
        old = link.openings.values_list("pk", flat=True)[KEPT_OPENINGS:]
        LinkOpening.objects.filter(pk__in=list(old)).delete()
    else:
        LinkOpening.objects.filter(pk=same.pk).update(last_s=now_s, times=F("times") + 1)


def _shown(part: Mapping[str, Any], owner: Person, now: datetime) -> dict[str, Any]:
    """A part with what it shows, with its owner's eyes; one that is gone shows nothing."""
    said: dict[str, Any] = {
        "kind": part["kind"], "show": part.get("show", ""), "text": part.get("text", ""),
        "name": part.get("text", ""), "definition": None, "table": None, "rows": [], "count": 0,
        "outlook": None, "schedule": None,
    }  # fmt: skip
    try:
        if part["kind"] == "report":
            return said | _report(str(part["report"]), owner, now)
        if part["kind"] == "list":
            found = listed(owner, _openly(part.get("where")), now)
            rows = listing.page(found, part.get("show", "")).rows[:MOST_LISTED]
            return said | {"rows": [_line(row) for row in rows], "count": total(found)}
        if part["kind"] == "schedule":
            return said | {"schedule": _schedule(owner, now)}
        if part["kind"] == "outlook":
            return said | {"outlook": _outlook(owner, str(part.get("report") or ""), now)}
    except (Problem, ReportError, ConditionError):
        return said | {"is_gone": True}
    return said


def _report(key: str, owner: Person, now: datetime) -> dict[str, Any]:
    if key in BY_KEY:
        name, definition = BY_KEY[key].name, dict(BY_KEY[key].definition)
    else:
        kept = keeping.seen_by(owner).filter(pk=int(key)).first()
        if kept is None:
            return {"is_gone": True}
        name, definition = kept.name, dict(kept.definition)
    table = answers.table_json(keeping.builder(definition, owner, now, is_open=True))
    return {"name": name, "definition": definition, "table": table}


def _openly(where: Any) -> dict[str, Any]:
    """A condition, and that it is nothing confidential."""
    return {"all": [where, _OPEN]} if where else dict(_OPEN)


def _line(row: Mapping[str, Any]) -> dict[str, Any]:
    names = ("id", "kind", "title", "priority", "state", "team", "due_s", "late_from_s")
    return {name: row[name] for name in names}


def _schedule(owner: Person, now: datetime) -> dict[str, Any]:
    """The changes of the two weeks that come, none of them confidential."""
    now_s = seconds_of(now)
    found = schedule_json(owner, current(), now_s, now_s + SCHEDULE_S, now_s, is_open=True)
    names = ("id", "title", "starts_s", "ends_s", "team")
    return {
        "from_s": now_s,
        "to_s": now_s + SCHEDULE_S,
        "changes": [{name: one[name] for name in names} for one in found["changes"]],
        "clashing": found["clashing"],
        "windows": found["windows"],
    }


def _outlook(owner: Person, team: str, now: datetime) -> dict[str, Any]:
    found = looking_ahead.told(owner, seconds_of(now))
    teams = [one for one in found["teams"] if team in ("", one["name"])]
    numbers = {one["number"] for told in teams for one in told["due"]}
    hidden = set(
        Ticket.objects.filter(pk__in=numbers, is_confidential=1).values_list("pk", flat=True)
    )
    for told in teams:
        told["due"] = [one for one in told["due"] if one["number"] not in hidden]
        told["helps"] = []
    return {**found, "teams": teams}
