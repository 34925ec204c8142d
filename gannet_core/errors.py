"""The named errors of the core. Each message says what was given and what is wrong."""


class GannetError(Exception):
    """Base of every error that the core raises on purpose."""


class CalendarError(GannetError):
    """A service calendar is malformed; the message names the place in the data."""


class CalendarExhausted(GannetError):
    """A calendar will never have the open time that was asked for."""

    def __init__(self, missing_seconds: int) -> None:
        super().__init__(
            f"the calendar has {missing_seconds} s of open time too little, now and for ever"
        )
        self.missing_seconds = missing_seconds


class ConditionError(GannetError):
    """A condition is malformed; the message names the leaf."""


class LifecycleError(GannetError):
    """A move that the lifecycle does not allow."""


class RoutingError(GannetError):
    """A routing mode that does not exist."""


class AgreementError(GannetError):
    """An agreement cannot answer: no default, or no target for a priority."""


class PriorityError(GannetError):
    """An impact and urgency outside the matrix, or an empty cell."""


class ExpressionError(GannetError):
    """A computed field that cannot be read or whose types do not fit; says where."""


class RuleError(GannetError):
    """A business rule or an action is malformed; the message names the place."""


class FormError(GannetError):
    """A form is malformed, or its effects go in a circle; the message names the path."""


class DocumentError(GannetError):
    """A rulebook that cannot be read; `place` is the path in the document.

    `within` is the rest of the path inside the entry, in words ("action 1, value").
    """

    def __init__(self, place: str, message: str, within: str = "") -> None:
        super().__init__(f"{place}: {message}" if place else message)
        self.place = place
        self.says = message
        self.within = within


class TaskError(GannetError):
    """A task is wrong in itself, or waits for one that is not there."""


class TaskCycle(TaskError):
    """Tasks wait for each other; the message names the path."""


class ApprovalError(GannetError):
    """An approval with nobody who can decide, or a quorum that cannot be."""


class ImpactError(GannetError):
    """Dependencies that cannot be: a strength that there is not, a member without a group."""


class ProblemError(GannetError):
    """A problem's figures or causes that contradict themselves."""


class ItemTypeError(GannetError):
    """An attribute that cannot be what was given; `key` says which."""

    def __init__(self, key: str, message: str) -> None:
        super().__init__(message)
        self.key = key


class RiskError(GannetError):
    """A risk that cannot be weighed: a criticality without a weight, a reach outside 0 to 1."""


class WindowError(GannetError):
    """A window that cannot be: its zone, its times or its rule of recurrence; says which."""


class MajorError(GannetError):
    """Instants of a major incident that run backwards, or no call sign that is left."""


class OnCallError(GannetError):
    """A rota, or a span of one, that cannot be."""


class ScheduleError(GannetError):
    """A span without length, or a search for a slot that cannot find anything."""


class ReportError(GannetError):
    """A report that cannot be: `place` names which of its words."""

    def __init__(self, place: str, says: str) -> None:
        super().__init__(says)
        self.place = place
