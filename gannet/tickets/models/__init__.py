"""The ticket and what hangs on it."""

from gannet.tickets.models.around import (
    Attachment,
    Draft,
    Follower,
    IdempotentAnswer,
    Presence,
    SuggestionModel,
)
from gannet.tickets.models.clock import Clock, ClockStateCode
from gannet.tickets.models.task import Task, TaskState
from gannet.tickets.models.ticket import (
    OPEN_LIMIT,
    Channel,
    MoveCode,
    StateCode,
    Ticket,
)
from gannet.tickets.models.timer import Timer, TimerKind, TimerState

__all__ = [
    "OPEN_LIMIT",
    "Attachment",
    "Channel",
    "Clock",
    "ClockStateCode",
    "Draft",
    "Follower",
    "IdempotentAnswer",
    "MoveCode",
    "Presence",
    "StateCode",
    "SuggestionModel",
    "Task",
    "TaskState",
    "Ticket",
    "Timer",
    "TimerKind",
    "TimerState",
]
