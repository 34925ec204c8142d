"""Suggestions of service from words: the trained model, kept and read."""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from django.utils import timezone

from gannet.audit.models import Event
from gannet.estate.finding import offered_services
from gannet.estate.models import Service
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import SuggestionModel, Ticket
from gannet_core.suggest import Suggestion, suggest, train

SURE = 0.80
_SUBJECT = "service"
_MOST_DOCUMENTS = 20_000
# So many more are looked at, since retired services are known to the model too.
_MOST_RETIRED = 20


@dataclass(frozen=True)
class Guess:
    """The likeliest service of a text, whether that is sure enough, and why."""

    service: Service | None
    is_sure: bool
    why: str


def retrain() -> SuggestionModel:
    """Train on the final classification of past tickets (newest first, bounded)."""
    tickets = (
        Ticket.objects.filter(service__isnull=False)
        .order_by("-id")
        .values_list("id", "title", "service__key")[:_MOST_DOCUMENTS]
    )
    rows = list(tickets)
    texts = dict(
        Event.objects.filter(
            kind=TicketEvent.LOGGED, ticket_id__gte=min((row[0] for row in rows), default=0)
        ).values_list("ticket_id", "text")
    )
    documents = [(f"{title}\n{texts.get(number, '')}", key) for number, title, key in rows]
    model = train(documents)
    saved, _ = SuggestionModel.objects.update_or_create(
        subject=_SUBJECT,
        defaults={
            "model": model,
            "trained_at": timezone.now(),
            "documents": len(documents),
        },
    )
    _model.cache_clear()
    return saved


def suggest_services(text: str, most: int = 3) -> list[tuple[Service, Suggestion]]:
    """The likeliest services of a text that are offered, with their probabilities and words."""
    stamp = (
        SuggestionModel.objects.filter(subject=_SUBJECT)
        .values_list("trained_at", flat=True)
        .first()
    )
    if stamp is None:
        return []
    services = {service.key: service for service in offered_services()}
    known = suggest(_model(stamp.isoformat()), text, most + _MOST_RETIRED)
    return [(services[s.label], s) for s in known if s.label in services][:most]


def classify(text: str) -> Guess:
    """The service for a text that comes without one (mail)."""
    found = suggest_services(text, 1)
    if not found:
        return Guess(None, False, "no word in it is known")
    service, suggestion = found[0]
    percent = round(100 * suggestion.probability)
    words = ", ".join(suggestion.words)
    return Guess(service, suggestion.probability >= SURE, f"{service.name} {percent} % by: {words}")


@lru_cache(maxsize=2)
def _model(stamp: str) -> dict[str, Any]:
    return dict(SuggestionModel.objects.get(subject=_SUBJECT).model)
