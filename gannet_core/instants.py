"""Instants: aware datetimes outside, whole epoch seconds inside."""

from datetime import UTC, datetime

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def seconds_of(instant: datetime) -> int:
    """Whole seconds since 1970-01-01T00:00Z; a naive datetime is `ValueError`."""
    if instant.tzinfo is None:
        raise ValueError(f"{instant!s} has no offset: an instant needs one")
    return int((instant - _EPOCH).total_seconds() // 1)


def instant_of(seconds: int) -> datetime:
    """The UTC instant of whole epoch seconds."""
    return datetime.fromtimestamp(seconds, UTC)


def parse_instant(text: object) -> datetime:
    """ISO 8601 text with an offset as an instant; anything else is `ValueError`."""
    if not isinstance(text, str):
        raise ValueError(f"an instant must be text, not {text!r}")
    instant = datetime.fromisoformat(text)
    if instant.tzinfo is None:
        raise ValueError(f"{text!r} has no offset: an instant needs one")
    return instant


def format_instant(instant: datetime) -> str:
    """An instant as ISO 8601 in UTC with `Z`."""
    return instant.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
