"""Priority from impact and urgency, through the rulebook's matrix."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from gannet_core.errors import PriorityError


@dataclass(frozen=True, slots=True)
class PriorityAnswer:
    """A priority, what the matrix alone would give, and how it came about."""

    priority: int
    from_matrix: int
    impact: int
    urgency: int
    override_reason: str

    @property
    def is_overridden(self) -> bool:
        return bool(self.override_reason)

    def explain(self, matrix: Mapping[str, Any]) -> list[dict[str, Any]]:
        """The steps of the why note: impact, urgency, the cell, and an override."""
        steps = [
            {"label": "Impact", "value": _level(matrix, "impact", self.impact)},
            {"label": "Urgency", "value": _level(matrix, "urgency", self.urgency)},
            {"label": "The matrix gives", "value": f"P{self.from_matrix}"},
        ]
        if self.is_overridden:
            steps.append(
                {"label": f"Set to P{self.priority} by hand", "value": self.override_reason}
            )
        return steps


def priority_of(
    matrix: Mapping[str, Any],
    impact: int,
    urgency: int,
    override: tuple[int, str] | None = None,
) -> PriorityAnswer:
    """Read the matrix; `override` is a priority with its reason.

    `matrix` has `impact` and `urgency` (labels, 1 the highest) and `cells`, rows by
    impact. A level outside the matrix or an empty cell is `PriorityError`.
    """
    cells: Sequence[Sequence[int | None]] = matrix["cells"]
    if not 1 <= impact <= len(cells) or not 1 <= urgency <= len(cells[impact - 1]):
        raise PriorityError(f"impact {impact} with urgency {urgency} is not in the matrix")
    found = cells[impact - 1][urgency - 1]
    if found is None:
        raise PriorityError(f"the matrix has no priority for impact {impact}, urgency {urgency}")
    if override is None:
        return PriorityAnswer(found, found, impact, urgency, "")
    priority, reason = override
    if not reason.strip():
        raise PriorityError("a priority set by hand needs a reason")
    return PriorityAnswer(priority, found, impact, urgency, reason.strip())


def read_answers(
    questions: Sequence[Mapping[str, Any]], answers: Mapping[str, str]
) -> dict[str, int]:
    """Impact and urgency as the requester's plain answers state them.

    Each question has `key`, `sets` ("impact" or "urgency") and `choices` with `key`
    and `level`. Unanswered questions set nothing; an unknown choice is `PriorityError`.
    """
    stated: dict[str, int] = {}
    for question in questions:
        chosen = answers.get(question["key"])
        if not chosen or not question.get("sets"):
            continue
        levels = {choice["key"]: choice["level"] for choice in question["choices"]}
        if chosen not in levels:
            raise PriorityError(f"{question['key']}: {chosen!r} is not one of its answers")
        stated[question["sets"]] = levels[chosen]
    return stated


def _level(matrix: Mapping[str, Any], axis: str, level: int) -> str:
    labels: Sequence[str] = matrix[axis]
    return labels[level - 1]
