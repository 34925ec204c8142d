"""A service is called otherwise: who names it follows, or says why the name has to stay."""

from collections.abc import Iterable, Mapping
from typing import Any

from django.db import models, transaction

from gannet.estate.models import Service
from gannet.estate.services import change_service, service_renamed
from gannet.knowledge.models import ArticleAudience
from gannet.people.acting import Acting
from gannet.rulebook.book import current
from gannet.rulebook.models import Edition, Rehearsal
from gannet.tickets.models import Routine, View
from gannet.trials.checking import findings_of
from gannet.trials.drafts import the_draft
from gannet.web.errors import Conflict
from gannet_core import rulebook
from gannet_core.renaming import said_anew

SECTION = "services"
_MOST_NAMED = 6


@transaction.atomic
def change(acting: Acting, service: Service, facts: Mapping[str, Any], why: str) -> None:
    """Change a service; a new name goes along to all that says the old one.

    A rulebook says names of services in its conditions, and editions are never changed once
    they are published: while the one in force, one to come or the draft names it, the name
    stays, and the refusal says where it is named.
    """
    old = service.name
    rulebooks = [current().document, *_to_come(acting)]
    known = [set(findings_of(document, acting.now)) for document in rulebooks]
    change_service(acting, service, facts, why)
    if service.name == old:
        return
    named: dict[str, None] = {}
    for document, before in zip(rulebooks, known, strict=True):
        for one in findings_of(document, acting.now):
            if one not in before:
                named[f"“{one.name}”" if one.name else one.section] = None
    if named:
        raise Conflict(
            f"The rulebook names it in {_listed(list(named))}. Take it out there first, "
            "or record a service by the new name."
        )
    ArticleAudience.objects.filter(kind="service", name=old).update(name=service.name)
    for model, column in ((View, "body"), (Routine, "acts"), (Rehearsal, "given")):
        _say_anew(model, column, old, service.name)
    service_renamed.send(Service, old=old, new=service.name)


def _say_anew(model: type[models.Model], column: str, old: str, new: str) -> None:
    for row in model._default_manager.all():
        said = getattr(row, column)
        anew = said_anew(said, SECTION, old, new)
        if anew != said:
            setattr(row, column, anew)
            row.save(update_fields=[column])


def _to_come(acting: Acting) -> Iterable[Mapping[str, Any]]:
    later = [one.document for one in Edition.objects.filter(starts_at_s__gt=acting.now_s)]
    draft = the_draft()
    return [*later, {**rulebook.empty(), **draft.document}] if draft else later


def _listed(names: list[str]) -> str:
    shown = names[:_MOST_NAMED]
    more = len(names) - len(shown)
    return ", ".join(shown) + (f" and {more} more" if more else "")
