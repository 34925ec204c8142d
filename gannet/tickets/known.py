"""Answers that name somebody or something: whether it is there, and files among answers."""

from collections.abc import Mapping, Sequence
from typing import Any
from uuid import UUID

from gannet.estate.models import ConfigItem, Service
from gannet.people.models import Person
from gannet.web.errors import Invalid
from gannet_core.conditions import fold, is_empty

Fields = Mapping[str, Mapping[str, Any]]


def why_unknown(value: Any, about: Mapping[str, Any]) -> str | None:
    """Why an answer names nobody and nothing here, as a sentence; None when it does, or
    when its field names nothing."""
    if is_empty(value):
        return None
    kind = about.get("type")
    folded = fold(str(value))
    if kind == "person":
        found = Person.objects.filter(name_folded=folded, is_active=True).exists()
        return None if found else "Nobody here is called that."
    if kind == "ci":
        found = ConfigItem.objects.filter(name_folded=folded).exists()
        return None if found else "There is nothing of that name."
    if kind == "service":
        found = any(fold(name) == folded for name in services())
        return None if found else "There is no such service."
    return None


def services() -> list[str]:
    return list(Service.objects.order_by("name").values_list("name", flat=True))


def item_named(values: Mapping[str, Any], fields: Fields) -> ConfigItem | None:
    """The first configuration item that the answers name."""
    for name, value in values.items():
        if fields.get(name, {}).get("type") == "ci" and isinstance(value, str):
            found = ConfigItem.objects.filter(name_folded=fold(value)).order_by("pk").first()
            if found is not None:
                return found
    return None


def files_in(answers: Mapping[str, Any], fields: Fields) -> list[UUID]:
    """The uploads among the answers, to be attached with what they answer."""
    found: list[UUID] = []
    for name, value in answers.items():
        if fields.get(name, {}).get("type") != "attachment" or not isinstance(value, Sequence):
            continue
        for one in value:
            if isinstance(one, Mapping):
                try:
                    found.append(UUID(str(one.get("id"))))
                except ValueError as error:
                    raise Invalid("This file is not one of ours.", fields={name: "?"}) from error
    return found


def as_kept(value: Any, about: Mapping[str, Any]) -> Any:
    """An answer as the ticket keeps it: files by their names."""
    if about.get("type") != "attachment" or not isinstance(value, list):
        return value
    return [str(one.get("name", "")) if isinstance(one, Mapping) else str(one) for one in value]


def without_old_files(answers: Mapping[str, Any], fields: Fields) -> dict[str, Any]:
    """The answers without files that were attached to another request: they stay there."""
    found = dict(answers)
    for name, value in answers.items():
        if fields.get(name, {}).get("type") == "attachment" and isinstance(value, list):
            found[name] = [one for one in value if isinstance(one, Mapping)] or None
    return found
