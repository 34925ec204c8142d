"""Sentences for mail and portal: when, in the reader's zone."""

from datetime import timedelta
from zoneinfo import ZoneInfo

from gannet_core.instants import instant_of


def due_words(seconds: int | None, now_s: int, zone: str) -> str:
    """An instant as people say it: today 14:20, tomorrow 09:00, Wed 25 Nov 11:30."""
    if seconds is None:
        return "as soon as we can"
    at = instant_of(seconds).astimezone(ZoneInfo(zone))
    today = instant_of(now_s).astimezone(ZoneInfo(zone)).date()
    clock = f"{at:%H:%M}"
    if at.date() == today:
        return f"today {clock}"
    if at.date() == today + timedelta(days=1):
        return f"tomorrow {clock}"
    return f"{at:%a} {at.day} {at:%b} {clock}"
