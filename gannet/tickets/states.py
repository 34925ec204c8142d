"""States as rows keep them: a number for each name, the same for every kind that has it."""

from collections.abc import Mapping

from gannet.tickets.models import OPEN_LIMIT, StateCode
from gannet_core.lifecycles import Lifecycle

_codes: dict[str, int] = {code.label: int(code) for code in StateCode}
_names: dict[int, str] = {int(code): code.label for code in StateCode}


def know_states(lifecycle: Lifecycle, codes: Mapping[str, int]) -> None:
    """Let the states of a lifecycle be kept; each needs a number, and one that fits.

    States below `OPEN_LIMIT` are open. `ValueError` says which state has no number, one on
    the wrong side, or one that is another's.
    """
    for stage in lifecycle.stages:
        code = codes.get(stage.name, _codes.get(stage.name))
        if code is None:
            raise ValueError(f"the state {stage.name} of a {lifecycle.kind} has no number")
        if (code <= OPEN_LIMIT) != stage.is_open:
            raise ValueError(f"the state {stage.name} of a {lifecycle.kind} cannot be {code}")
        if _names.get(code, stage.name) != stage.name or _codes.get(stage.name, code) != code:
            raise ValueError(f"{code} is {_names.get(code)} already, not {stage.name}")
    for name, code in codes.items():
        _codes[name], _names[code] = code, name


def state_name(code: int) -> str:
    """A state as it is called, by its number; one of an app that is gone is a number still."""
    return _names.get(code, f"state {code}")


def state_code(name: str) -> int:
    """The number by which rows keep a state; `KeyError` for a state that no kind has."""
    return _codes[name]


def state_names() -> Mapping[str, int]:
    """Every state that some kind has, with its number."""
    return _codes
