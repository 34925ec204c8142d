"""Forms: which fields somebody sees, must fill and may change, and with what in them.

A form is data: `key`, `name`, `fields` – each `{"field", "requester": {...}, "agent":
{...}, "default"?, "required_at"?}` where an audience says `shown`, `required`,
`read_only` – and `effects`, each `{"if": condition over the answers, "then": [{"do":
"show" | "hide" | "require" | "fill" | "limit", "field", "value"?, "choices"?}]}`. A
template prefills, hides and requires on top of it.

Effects run to a fixed point; since a cycle of effects is refused when a form is saved,
there is one, after at most as many rounds as there are effects.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from math import isfinite
from typing import Any

from gannet_core.conditions import check, evaluate, fold, is_empty, leaves
from gannet_core.errors import FormError
from gannet_core.limits import outside

AUDIENCES = ("requester", "agent")
STAGES = ("raising", "submitting", "resolving", "closing")
EFFECTS = ("show", "hide", "require", "fill", "limit")
FIELD_TYPES = (
    "text",
    "long text",
    "number",
    "money",
    "date",
    "choice",
    "several choices",
    "yes/no",
    "person",
    "service",
    "ci",
    "attachment",
)


@dataclass(frozen=True, slots=True)
class FieldState:
    """What one field is for one audience at one moment."""

    field: str
    is_shown: bool
    is_required: bool
    is_read_only: bool
    value: Any
    choices: tuple[str, ...] | None = None
    because: str = ""


def resolve(
    form: Mapping[str, Any],
    answers: Mapping[str, Any],
    audience: str,
    stage: str = "submitting",
    template: Mapping[str, Any] | None = None,
) -> dict[str, FieldState]:
    """The state of each field, in the form's order.

    `answers` are what has been filled in so far (field -> value). A hidden field's answer
    counts as empty for the effects and is dropped. Raising requires nothing; a field is
    required at the stages its `required_at` names (submitting and later by default).
    Unknown audience or stage, and effects that never settle: `FormError`.
    """
    if audience not in AUDIENCES:
        raise FormError(f"{audience!r} is no audience of a form: {', '.join(AUDIENCES)}")
    if stage not in STAGES:
        raise FormError(f"{stage!r} is no stage of a form: {', '.join(STAGES)}")
    base = _base(form, audience, stage, template or {})
    states = _with_answers(base, answers)
    effects = form.get("effects") or []
    for _ in range(len(effects) + 2):
        seen = {name: state.value for name, state in states.items() if state.is_shown}
        following = _with_answers(_with_effects(base, effects, seen, stage), answers)
        if following == states:
            return states
        states = following
    raise FormError(f"the effects of {form.get('name', 'this form')} never settle")


def missing(states: Mapping[str, FieldState]) -> list[str]:
    """The fields that are shown, required and empty."""
    return [
        name
        for name, state in states.items()
        if state.is_shown and state.is_required and is_empty(state.value)
    ]


def kept_answers(states: Mapping[str, FieldState]) -> dict[str, Any]:
    """What is worth keeping: the values of the fields that are shown."""
    return {
        name: state.value
        for name, state in states.items()
        if state.is_shown and not is_empty(state.value)
    }


def problems(
    states: Mapping[str, FieldState],
    fields: Mapping[str, Mapping[str, Any]],
    today: date | None = None,
) -> dict[str, str]:
    """What is wrong with the answers, field by field, in sentences; hidden ones never are."""
    found = dict.fromkeys(missing(states), "This is needed.")
    for name, state in states.items():
        if not state.is_shown or is_empty(state.value):
            continue
        about = fields.get(name, {})
        wrong = wrong_value(state.value, about, state.choices, today)
        if wrong:
            found[name] = wrong
    return found


def wrong_value(
    value: Any,
    about: Mapping[str, Any],
    limited: Sequence[str] | None = None,
    today: date | None = None,
) -> str | None:
    """Why a value does not fit a field's type, choices or limits, as a sentence, or None."""
    kind = about.get("type", "text")
    if kind in ("number", "money"):
        is_number = isinstance(value, (int, float)) and not isinstance(value, bool)
        if not is_number or not isfinite(value):
            return "Give a number." if kind == "number" else "Give an amount, such as 210.50."
        return outside(value, about, today)
    if kind == "yes/no":
        return None if isinstance(value, bool) else "Answer yes or no."
    if kind in ("choice", "several choices"):
        allowed = limited if limited is not None else about.get("choices") or ()
        if kind == "several choices" and not isinstance(value, list):
            return "Give a list of choices."
        chosen = value if isinstance(value, list) else [value]
        known = {fold(str(choice)) for choice in allowed}
        strange = [one for one in chosen if fold(str(one)) not in known]
        return f"{strange[0]} is not one of the choices." if strange and known else None
    if kind == "date":
        if not _is_date(value):
            return "Give a date such as 2026-11-23."
        return outside(value, about, today)
    if isinstance(value, str):
        return outside(value, about, today)
    return None if isinstance(value, (int, list)) else "This does not fit here."


def check_form(
    form: Mapping[str, Any], fields: Mapping[str, Mapping[str, Any]] | None = None
) -> None:
    """Refuse a malformed form, or one whose effects go in a circle, with `FormError`."""
    present = [entry["field"] for entry in form.get("fields") or ()]
    for name in present:
        if present.count(name) > 1:
            raise FormError(f"{name} is in the form twice")
        if fields is not None and name not in fields:
            raise FormError(f"there is no field “{name}”")
    edges: dict[str, set[str]] = {}
    for index, effect in enumerate(form.get("effects") or ()):
        check(effect.get("if"))
        read = {str(leaf["field"]) for leaf in leaves(effect["if"])}
        for name in sorted(read - set(present)):
            raise FormError(f"Effect {index + 1} asks about “{name}”, which is not in the form")
        for action in effect.get("then") or ():
            _check_effect(action, index, present)
            for name in read:
                edges.setdefault(name, set()).add(action["field"])
    circle = _circle(edges)
    if circle:
        raise FormError(f"the effects go in a circle: {' → '.join(circle)}")


def _check_effect(action: Mapping[str, Any], index: int, present: Sequence[str]) -> None:
    place = f"Effect {index + 1}"
    if action.get("do") not in EFFECTS:
        raise FormError(f"{place}: choose one of {', '.join(EFFECTS)}")
    if action.get("field") not in present:
        name = action.get("field")
        raise FormError(
            f"{place}: " + (f"“{name}” is not in the form" if name else "choose a field")
        )
    if action["do"] == "fill" and "value" not in action:
        raise FormError(f"{place}: say what to fill in")
    if action["do"] == "limit" and not action.get("choices"):
        raise FormError(f"{place}: say which choices are left")


def _base(
    form: Mapping[str, Any], audience: str, stage: str, template: Mapping[str, Any]
) -> dict[str, FieldState]:
    prefill = template.get("prefill") or {}
    hidden = set(template.get("hide") or ())
    required = set(template.get("require") or ())
    states: dict[str, FieldState] = {}
    for entry in form.get("fields") or ():
        name = entry["field"]
        said = entry.get(audience) or {}
        at = entry.get("required_at") or ("submitting", "resolving", "closing")
        wanted = bool(said.get("required")) or name in required
        states[name] = FieldState(
            field=name,
            is_shown=bool(said.get("shown", True)) and name not in hidden,
            is_required=wanted and stage != "raising" and stage in at,
            is_read_only=bool(said.get("read_only")),
            value=prefill.get(name, entry.get("default")),
        )
    return states


def _with_answers(
    states: Mapping[str, FieldState], answers: Mapping[str, Any]
) -> dict[str, FieldState]:
    found = {}
    for name, state in states.items():
        value = state.value
        if not state.is_read_only and name in answers:
            value = answers[name]
        if not state.is_shown:
            value = None
        found[name] = replace(state, value=value)
    return found


def _with_effects(
    base: Mapping[str, FieldState],
    effects: Sequence[Mapping[str, Any]],
    seen: Mapping[str, Any],
    stage: str,
) -> dict[str, FieldState]:
    states = dict(base)
    for effect in effects:
        if not evaluate(effect["if"], seen).result:
            continue
        for action in effect.get("then") or ():
            state = states.get(action["field"])
            if state is not None:
                states[action["field"]] = _changed(state, action, stage)
    return states


def _changed(state: FieldState, action: Mapping[str, Any], stage: str) -> FieldState:
    match action["do"]:
        case "show":
            return replace(state, is_shown=True)
        case "hide":
            return replace(state, is_shown=False)
        case "require":
            return replace(state, is_required=stage != "raising")
        case "fill":
            return replace(state, value=action["value"])
        case _:
            return replace(state, choices=tuple(action["choices"]))


def _circle(edges: Mapping[str, set[str]]) -> list[str]:
    """A circle of fields that affect each other, as a path; empty when there is none."""
    done: set[str] = set()

    def visit(name: str, path: list[str]) -> list[str]:
        if name in path:
            return [*path[path.index(name) :], name]
        if name in done:
            return []
        for following in sorted(edges.get(name, ())):
            found = visit(following, [*path, name])
            if found:
                return found
        done.add(name)
        return []

    for name in sorted(edges):
        found = visit(name, [])
        if found:
            return found
    return []


def _is_date(value: Any) -> bool:
    try:
        date.fromisoformat(value)
    except (TypeError, ValueError):
        return False
    return True
