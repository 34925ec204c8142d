"""The ticket and what hangs on it."""

from gannet.tickets.models.attached import (
    Attachment,
    Draft,
    Follower,
    Presence,
    SuggestionModel,
)
from gannet.tickets.models.clock import Clock, ClockStateCode
from gannet.tickets.models.desk import (
    Hint,
    Mark,
    Phrase,
    Pin,
    Reminder,
    Routine,
    TeamView,
    TimeEntry,
    View,
)
from gannet.tickets.models.relations import (
    Affected,
    Alert,
    Approval,
    ApprovalState,
    ExternalWork,
    ExternalWorkKind,
    Link,
    LinkKind,
    RouteStage,
    StageState,
    SurveyAnswer,
    Through,
)
from gannet.tickets.models.task import Task, TaskState
from gannet.tickets.models.ticket import (
    OPEN_LIMIT,
    Channel,
    MoveCode,
    StateCode,
    Ticket,
)
from gannet.tickets.models.timer import Timer, TimerState

__all__ = [
    "OPEN_LIMIT",
    "Affected",
    "Alert",
    "Approval",
    "ApprovalState",
    "Attachment",
    "Channel",
    "Clock",
    "ClockStateCode",
    "Draft",
    "ExternalWork",
    "ExternalWorkKind",
    "Follower",
    "Hint",
    "Link",
    "LinkKind",
    "Mark",
    "MoveCode",
    "Phrase",
    "Pin",
    "Presence",
    "Reminder",
    "RouteStage",
    "Routine",
    "StageState",
    "StateCode",
    "SuggestionModel",
    "SurveyAnswer",
    "Task",
    "TaskState",
    "TeamView",
    "Through",
    "Ticket",
    "TimeEntry",
    "Timer",
    "TimerState",
    "View",
]
