"""Saved views: a person's own, shared with people or teams, pinned, a team's first."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet

from gannet.people.models import Person, Role, Team
from gannet.people.roles import team_ids
from gannet.tickets import listing
from gannet.tickets.list_fields import about_list_fields
from gannet.tickets.models import Pin, TeamView, View
from gannet.web.errors import Invalid, Missing, Refused
from gannet_core.conditions import check
from gannet_core.errors import ConditionError

MOST_VIEWS = 100
_WIDTHS = range(30, 901)


def visible_views(person: Person) -> QuerySet[View]:
    """The views that somebody may use: theirs, shared with them, their teams' first ones."""
    teams = team_ids(person)
    shared = Q(people=person) | Q(teams__in=teams) | Q(teamview__team__in=teams)
    return View.objects.filter(Q(owner=person) | shared).distinct()


def keep_view(
    person: Person,
    now: datetime,
    *,
    name: str,
    body: Mapping[str, Any],
    people: Sequence[int],
    teams: Sequence[int],
    is_pinned: bool,
    view_id: int | None = None,
) -> View:
    """Save a view, new or again; only its owner changes it."""
    words = " ".join(name.split())
    if not words:
        raise Invalid("Give the view a name.", fields={"name": "This is empty."})
    kept = checked(body)
    with transaction.atomic():
        if view_id is None:
            if person.views.count() >= MOST_VIEWS:
                raise Invalid(f"At most {MOST_VIEWS} views of your own.")
            view = View(owner=person)
        else:
            view = own_view(person, view_id)
        if person.views.filter(name=words).exclude(pk=view.pk).exists():
            raise Invalid(
                f"You have a view called {words} already.", fields={"name": "Choose another name."}
            )
        view.name, view.body, view.kept_at = words, kept, now
        view.save()
        view.people.set(Person.objects.filter(pk__in=people, is_active=True).exclude(pk=person.pk))
        view.teams.set(Team.objects.filter(pk__in=teams))
        pin(person, view.pk, is_pinned=is_pinned)
    return view


def own_view(person: Person, view_id: int) -> View:
    view = visible_views(person).filter(pk=view_id).first()
    if view is None:
        raise Missing("There is no such view, or it is not shared with you.")
    if view.owner_id != person.pk:
        raise Refused(f"This view belongs to {view.owner.name}: save it under a name of your own.")
    return view


def drop_view(person: Person, view_id: int) -> None:
    own_view(person, view_id).delete()


def pin(person: Person, view_id: int, *, is_pinned: bool) -> None:
    """Keep a view above one's queue, or no longer."""
    view = visible_views(person).filter(pk=view_id).first()
    if view is None:
        raise Missing("There is no such view, or it is not shared with you.")
    if is_pinned:
        Pin.objects.get_or_create(person=person, view=view)
    else:
        Pin.objects.filter(person=person, view=view).delete()


def set_team_default(person: Person, view_id: int, team_id: int, *, is_default: bool) -> None:
    """Make a view the one a team's members start with; its leads and administrators may."""
    team = Team.objects.filter(pk=team_id).first()
    view = visible_views(person).filter(pk=view_id).first()
    if team is None or view is None:
        raise Missing("There is no such view or team.")
    leads = team.memberships.filter(person=person, is_lead=True).exists()
    if not leads and not person.has_role(Role.ADMINISTRATOR):
        raise Refused(f"Only a lead of {team.name} sets where its members start.")
    if is_default:
        TeamView.objects.update_or_create(team=team, defaults={"view": view})
    else:
        TeamView.objects.filter(team=team, view=view).delete()


def checked(body: Mapping[str, Any]) -> dict[str, Any]:
    """What a view keeps, refused when the list could not be shown by it."""
    tree = body.get("filter") or {"all": []}
    try:
        check(tree, about_list_fields())
    except ConditionError as error:
        raise Invalid(str(error), fields={"filter": str(error)}) from error
    sort = body.get("sort") or "due"
    listing.orders_of(sort)
    columns = list(dict.fromkeys(body.get("columns") or ()))
    # The horizon is drawn from what every row has; it is no field.
    listing.columns_of(",".join(name for name in columns if name != "horizon"))
    group = body.get("group") or ""
    if group and group not in listing.sort_choices():
        raise Invalid(f"A list cannot be grouped by {group!r}.", fields={"group": "Not a field."})
    widths = {name: width for name, width in (body.get("widths") or {}).items() if width in _WIDTHS}
    form = body.get("form") or "list"
    return {
        "filter": tree,
        "sort": sort,
        "columns": columns,
        "widths": widths,
        "group": group,
        "form": form,
    }
