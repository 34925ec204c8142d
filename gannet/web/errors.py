"""Errors that people and scripts see: status, stable code, a sentence that says what to do."""

from typing import Any


class Problem(Exception):
    """Base of errors that become RFC 9457 problem details; raised by actions and queries."""

    status = 400
    code = "bad-request"
    title = "That does not work"

    def __init__(self, detail: str, **extra: Any) -> None:
        super().__init__(detail)
        self.detail = detail
        self.extra = extra


class Unreadable(Problem):
    """What came is not what it should be at all: no JSON, too deep, half of a character."""

    title = "That could not be read"


class Invalid(Problem):
    """Something given is wrong; `fields` names it (field -> sentence)."""

    status = 422
    code = "invalid"
    title = "Something needs another look"


class Refused(Problem):
    status = 403
    code = "refused"
    title = "That is not yours to do"


class Missing(Problem):
    """It does not exist, or not for this person: the two look the same."""

    status = 404
    code = "not-found"
    title = "There is nothing here"


class Stale(Problem):
    """The record has moved on since it was read; `current` carries its fields."""

    status = 409
    code = "stale"
    title = "Somebody changed this meanwhile"


class Conflict(Problem):
    """The act no longer fits the record."""

    status = 409
    code = "conflict"
    title = "That no longer fits"


class TooLarge(Problem):
    status = 413
    code = "too-large"
    title = "That is too large"


class Locked(Problem):
    status = 429
    code = "locked-out"
    title = "Too many tries"
