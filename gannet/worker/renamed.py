"""Records follow what the rulebook calls otherwise: tickets, articles, views, reports, rehearsals.

A rename counts from the start of its edition. The records that bear the old name are changed in
pieces, each in a transaction of its own, so that nobody waits; what an event of the past said
stays as it was said.
"""

from typing import Any

from django.db import models, transaction

from gannet.estate.models import Service
from gannet.knowledge.models import Article
from gannet.reports.models import Dashboard, KeptReport
from gannet.rulebook.models import Edition, Rehearsal
from gannet.tickets.models import Hint, Routine, Ticket, View
from gannet_core.renaming import said_anew

AT_ONCE, PIECES = 500, 20
_CATEGORIES = "categories"
# What bears the name of a category, and where a condition or an action may say it.
_BEARING: tuple[Any, ...] = (Ticket, Article, Service, Hint)
_SAYING: tuple[tuple[Any, str], ...] = (
    (View, "body"), (KeptReport, "definition"), (Dashboard, "rows"), (Routine, "acts"),
    (Rehearsal, "given"),
)  # fmt: skip


def follow(now_s: int) -> int:
    """Follow the renames of the editions that are in force; how many records were changed."""
    waiting = Edition.objects.filter(renames_left__gt=0, starts_at_s__lte=now_s)
    done = 0
    for edition in waiting.order_by("number").only("number", "renames", "renames_left"):
        while edition.renames_left and done < AT_ONCE * PIECES:
            section, old, new = edition.renames[-edition.renames_left]
            changed = _one_piece(section, old, new)
            done += changed
            if changed < AT_ONCE:
                _finish(edition, section, old, new)
        if edition.renames_left:
            break  # the next edition's names stand on these
    return done


def _one_piece(section: str, old: str, new: str) -> int:
    if section != _CATEGORIES:
        return 0  # nothing but the rulebook names it
    changed = 0
    for model in _BEARING:
        with transaction.atomic():
            bearing = model.objects.filter(category=old).order_by("pk")
            numbers = list(bearing.values_list("pk", flat=True)[: AT_ONCE - changed])
            changed += model.objects.filter(pk__in=numbers).update(category=new)
        if changed >= AT_ONCE:
            break
    return changed


@transaction.atomic
def _finish(edition: Edition, section: str, old: str, new: str) -> None:
    for model, column in _SAYING:
        for row in model.objects.all():
            _say_anew(row, column, section, old, new)
    edition.renames_left -= 1
    edition.save(update_fields=["renames_left"])


def _say_anew(row: models.Model, column: str, section: str, old: str, new: str) -> None:
    said = getattr(row, column)
    anew = said_anew(said, section, old, new)
    if anew != said:
        setattr(row, column, anew)
        row.save(update_fields=[column])
