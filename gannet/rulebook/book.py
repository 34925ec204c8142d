"""The rulebook in force, compiled: calendars, matrix, agreements, routing, messages.

A `Book` is one edition read once and kept; editions never change after publishing, so
a process may keep them for good and sees a new one as soon as it is there.
"""

import re
from collections.abc import Mapping, Sequence
from functools import cache, lru_cache
from typing import Any

from gannet.rulebook.models import Edition
from gannet_core import lifecycle
from gannet_core.servicetime import ServiceCalendar


class Book:
    """One edition of the rulebook, ready to be asked."""

    def __init__(self, number: int, document: Mapping[str, Any]) -> None:
        self.number = number
        self.document = document
        self.agreements: Sequence[Mapping[str, Any]] = document["agreements"]
        self.matrix: Mapping[str, Any] = document["matrix"]
        self.questions: Sequence[Mapping[str, Any]] = document["questions"]
        self.categories = {entry["key"]: entry for entry in document["categories"]}
        self.care_tiers = {entry["key"]: entry for entry in document["care_tiers"]}
        self.routing: Mapping[str, Any] = document["routing"]
        self.closing: Mapping[str, Any] = document["closing"]
        self.messages: Mapping[str, Mapping[str, str]] = document["messages"]
        self.clock_kinds = {entry["key"]: entry for entry in lifecycle.SHIPPED_CLOCKS}
        self.clock_kinds.update({entry["key"]: entry for entry in document.get("clocks", [])})
        self._agreement_by_key = {entry["key"]: entry for entry in self.agreements}
        self._calendars = {entry["key"]: entry for entry in document["calendars"]}
        self.calendar = cache(self._compile)

    def _compile(self, key: str) -> ServiceCalendar:
        return ServiceCalendar.from_json(self._calendars[key])

    @property
    def calendar_keys(self) -> list[str]:
        return list(self._calendars)

    def calendar_name(self, key: str) -> str:
        return str(self._calendars[key]["name"])

    def agreement(self, key: str) -> Mapping[str, Any] | None:
        return self._agreement_by_key.get(key)

    def agreement_name(self, key: str) -> str:
        found = self.agreement(key)
        return str(found["name"]) if found else key

    def shares(self, care_tiers: Sequence[str]) -> dict[str, str]:
        """The target shares of the care tiers somebody belongs to."""
        return {key: self.care_tiers[key]["share"] for key in care_tiers if key in self.care_tiers}

    def message(self, key: str, values: Mapping[str, str]) -> tuple[str, str]:
        """Subject and body of a message template; unknown placeholders stay visible."""
        template = self.messages[key]
        return _fill(template["subject"], values), _fill(template["body"], values)


_PLACEHOLDER = re.compile(r"\{([a-z_]+)\}")


def _fill(template: str, values: Mapping[str, str]) -> str:
    """Placeholders are a closed set of names, replaced once; values are never read again."""
    return _PLACEHOLDER.sub(lambda found: values.get(found[1], found[0]), template)


@lru_cache(maxsize=64)
def _book(number: int) -> Book:
    return Book(number, Edition.objects.get(number=number).document)


def edition(number: int) -> Book:
    """The book of an edition."""
    return _book(number)


def current() -> Book:
    """The book in force."""
    number = Edition.objects.order_by("-number").values_list("number", flat=True).first()
    if number is None:
        raise LookupError("no edition of the rulebook has been published")
    return _book(number)


def forget() -> None:
    """Forget compiled editions (for tests and after a restore)."""
    _book.cache_clear()
