"""Who acts, when, and through what."""

from dataclasses import dataclass
from datetime import datetime

from gannet.people.models import Person
from gannet_core.instants import seconds_of


@dataclass(frozen=True, kw_only=True)
class Acting:
    """Who acts, when, and through what; nobody means Gannet itself."""

    person: Person | None
    now: datetime
    by_mail: bool = False
    # Why nobody vouches for who wrote the mail; empty: somebody does, or it is no mail.
    unverified: str = ""
    # A rule's answer to what was done to another record; no further record hears of it.
    is_echo: bool = False

    @property
    def person_id(self) -> int | None:
        return None if self.person is None else self.person.pk

    @property
    def now_s(self) -> int:
        return seconds_of(self.now)

    @property
    def is_automatic(self) -> bool:
        return self.person is None
