"""What can be done to a record, as data: one entry for each act."""

from gannet.tickets.acts.registry import (
    ActInput,
    OnMany,
    Place,
    RecordAct,
    act_named,
    acts,
    acts_of,
    check,
    offered,
    register,
)

__all__ = [
    "ActInput",
    "OnMany",
    "Place",
    "RecordAct",
    "act_named",
    "acts",
    "acts_of",
    "check",
    "offered",
    "register",
]
