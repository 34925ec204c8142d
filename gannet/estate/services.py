"""Services made and changed by hand: what they are, who answers for them, who uses them."""

from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django.dispatch import Signal
from django.utils.text import slugify

from gannet.estate.events import EstateEvent
from gannet.estate.history import EstateNews, append_estate_events
from gannet.estate.models import Life, Service
from gannet.estate.nodes import node_of
from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.web.errors import Invalid

FACTS = (
    "name", "plain", "words", "criticality", "life", "team_id", "owner_id",
    "technical_owner_id", "supplier", "contract", "category", "departments",
    "default_impact", "default_urgency",
)  # fmt: skip
MOST_DEPARTMENTS = 60
# Sent when a service is called otherwise: `old` and `new`.
service_renamed = Signal()
_LABELS = {
    "plain": "in plain words", "words": "search words", "default_impact": "usual impact",
    "default_urgency": "usual urgency", "departments": "used by",
    "owner_id": "business owner", "technical_owner_id": "technical owner",
}  # fmt: skip


@transaction.atomic
def record_service(acting: Acting, facts: Mapping[str, Any], why: str) -> Service:
    """Make a service; its key is made of its name and stays whatever it is called later."""
    service = Service(key=_free_key(str(facts.get("name", ""))))
    _set(service, facts)
    _append(acting, service, "made", {}, why)
    return service


@transaction.atomic
def change_service(acting: Acting, service: Service, facts: Mapping[str, Any], why: str) -> Service:
    """Change facts of a service, with why; nothing happens where nothing differs."""
    if not why.strip():
        raise Invalid("Say why it changes.", fields={"why": "This stays in its history."})
    before = facts_of(service)
    _set(service, facts)
    if facts_of(service) != before:
        _append(acting, service, "changed", before, why)
    return service


def facts_of(service: Service) -> dict[str, Any]:
    """What may be changed of a service, as it is."""
    return {name: getattr(service, name) for name in FACTS}


def _set(service: Service, facts: Mapping[str, Any]) -> None:
    given = {name: value for name, value in facts.items() if name in FACTS}
    name = " ".join(str(given.get("name", service.name)).split())
    if not name:
        raise Invalid("A service needs a name.", fields={"name": "This is empty."})
    if Service.objects.exclude(pk=service.pk).filter(name__iexact=name).exists():
        raise Invalid("There is a service by that name.", fields={"name": "Choose another."})
    if given.get("life", service.life) not in Life.values:
        raise Invalid("Choose where it is in its life.", fields={"life": "Not one of them."})
    if "departments" in given:
        said = (" ".join(str(one).split()) for one in given["departments"])
        given["departments"] = sorted({one for one in said if one})[:MOST_DEPARTMENTS]
    for fact, value in {**given, "name": name}.items():
        setattr(service, fact, value)
    service.save()


def _append(
    acting: Acting, service: Service, how: str, before: Mapping[str, Any], why: str
) -> None:
    changes = {
        _LABELS.get(name, name.removesuffix("_id")): [
            _in_words(name, before.get(name)),
            _in_words(name, value),
        ]
        for name, value in facts_of(service).items()
        if before.get(name) != value and (before or value)
    }
    told = EstateNews(
        EstateEvent.SERVICE_CHANGED,
        [node_of(service)],
        facts={"service": service.key, "how": how},
        values={"service": service.name, "how": how, "changes": changes},
        text=why.strip(),
    )
    append_estate_events(acting, [told])


def _in_words(name: str, value: Any) -> Any:
    models: Mapping[str, Any] = {
        "team_id": Team, "owner_id": Person, "technical_owner_id": Person,
    }  # fmt: skip
    if value is None or name not in models:
        return ", ".join(value) if isinstance(value, list) else value
    return models[name].objects.filter(pk=value).values_list("name", flat=True).first()


def _free_key(name: str) -> str:
    stem = slugify(name)[:44] or "service"
    taken = set(Service.objects.filter(key__startswith=stem).values_list("key", flat=True))
    return next(
        key for key in (stem, *(f"{stem}-{n}" for n in range(2, 100_000))) if key not in taken
    )
