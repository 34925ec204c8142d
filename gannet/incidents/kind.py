"""Incidents as a kind of record."""

from gannet.tickets.kinds import RecordKind
from gannet_core.lifecycle import INCIDENT

INCIDENTS = RecordKind(
    key="incident",
    label="incident",
    plural="incidents",
    mark="I",
    lifecycle=INCIDENT,
    is_usual=True,
)
