"""The piece of time that an instant falls into, as a wall clock and a calendar tell it."""

from zoneinfo import ZoneInfo

from gannet_core import measures
from gannet_core.instants import instant_of


def piece_of(at_s: int, by: str, zone: ZoneInfo, first_month: int = 1) -> str:
    """The key of the piece of time into which an instant falls."""
    local = instant_of(at_s).astimezone(zone)
    if by == "hour of day":
        return f"{local.hour:02}"
    if by == "weekday":
        return str(local.isoweekday())
    return measures.bucket(instant_of(at_s), by, zone, first_month).key
