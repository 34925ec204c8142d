"""Errors that people and scripts see: status, stable code, a sentence that says what to do."""

from typing import Any


class Problem(Exception):
    """Base of errors that become RFC 9457 problem details; raised by actions and queries."""

    status = 400
    code = "bad-request"
    title = "That does not work"

    def __init__(
        self, detail: str, *, again_in: int | None = None, code: str = "", **extra: Any
    ) -> None:
        """`again_in`: after how many seconds it is worth trying again; `code`: a narrower one."""
        super().__init__(detail)
        self.detail = detail
        self.code = code or self.code
        self.again_in = again_in
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


class TooOften(Problem):
    """More than anybody needs: a program that went wrong, or somebody who means harm."""

    status = 429
    code = "too-often"
    title = "That was too often"

    def __init__(self, detail: str, *, again_in: int | None = 600, **extra: Any) -> None:
        super().__init__(detail, again_in=again_in, **extra)


class Busy(Problem):
    """Others are writing, or too many ask for something large: it goes in a moment."""

    status = 503
    code = "busy"
    title = "Gannet is busy"

    def __init__(self, detail: str, *, again_in: int | None = 2, **extra: Any) -> None:
        super().__init__(detail, again_in=again_in, **extra)


class Full(Problem):
    """There is no room to keep anything; reading goes on."""

    status = 503
    code = "full"
    title = "There is no room left"

    def __init__(self, detail: str, *, again_in: int | None = 60, **extra: Any) -> None:
        words = "Reading goes on, and what you typed is kept on this page. An administrator knows."
        super().__init__(f"{detail} {words}", again_in=again_in, **extra)
