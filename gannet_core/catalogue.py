"""The catalogue: who may ask for what, what a bundle comes to, what a route decides on.

An item is data of the rulebook: `key`, `name`, `plain` (what one can do with it), `group`,
`who` (a condition over the person it is for; none: everybody), `once_pence`,
`monthly_pence`, `form`, `route` (none: pre-approved), `team`, `tasks` (templates). A
bundle has `parts`, each `{"item", "is_required", "if"?, "fill"?}`: `if` is a condition
over the bundle's common answers and `fill` says which common answer fills which field of
the item's form. In those conditions `has <item key>` is true when that item was chosen.
Money is whole pence.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from gannet_core.conditions import check, evaluate, leaves
from gannet_core.errors import ConditionError
from gannet_core.risk import RATINGS
from gannet_core.tasks import Task

Offer = Mapping[str, Any]
ALWAYS: Mapping[str, Any] = {"all": []}

# The facts, beside the answers, that conditions of routes and tasks can be about.
FACTS: Mapping[str, Mapping[str, Any]] = {
    "cost": {"type": "number", "label": "cost once"},
    "monthly cost": {"type": "number", "label": "cost per month"},
    "item": {"type": "text", "label": "item"},
    "for somebody else": {"type": "yes/no", "label": "for somebody else"},
    "department": {"type": "text", "label": "department"},
    "place": {"type": "text", "label": "place"},
    "risk": {
        "type": "choice",
        "label": "risk of the change",
        "choices": {one: one for one in RATINGS},
    },
    "points": {"type": "number", "label": "points of risk"},
    "change type": {"type": "text", "label": "type of change"},
    "in a freeze": {"type": "yes/no", "label": "in a freeze"},
    "goes to the CAB": {"type": "yes/no", "label": "goes to the CAB"},
}


@dataclass(frozen=True, slots=True)
class Cost:
    """What something costs once and each month, in pence."""

    once_pence: int = 0
    monthly_pence: int = 0

    def __add__(self, other: "Cost") -> "Cost":
        return Cost(self.once_pence + other.once_pence, self.monthly_pence + other.monthly_pence)


@dataclass(frozen=True, slots=True)
class Part:
    """One part of a bundle for given answers: offered or not, wanted or not, and why."""

    item: str
    is_offered: bool
    is_required: bool
    is_chosen: bool
    cost: Cost
    answers: Mapping[str, Any]
    # The fields that the bundle's common answers fill, answered already or not.
    filled: tuple[str, ...] = ()


def may_ask(offer: Offer, person: Mapping[str, Any]) -> bool:
    """Whether somebody (their facts) may be given an item or bundle that is on."""
    if offer.get("is_on") is False:
        return False
    return evaluate(offer.get("who") or ALWAYS, person).result


def cost_of(offer: Offer) -> Cost:
    return Cost(int(offer.get("once_pence") or 0), int(offer.get("monthly_pence") or 0))


def parts_of(
    bundle: Offer,
    items: Mapping[str, Offer],
    answers: Mapping[str, Any],
    chosen: Iterable[str],
    person: Mapping[str, Any],
) -> tuple[Part, ...]:
    """The parts of a bundle for common answers and what was chosen, in its order.

    A part is offered when its item may be asked for and its condition holds; conditions
    may speak of other parts, so they are read until nothing changes any more.
    """
    wanted = set(chosen)
    entries = [one for one in bundle["parts"] if one["item"] in items]
    taken = {one["item"] for one in entries if one.get("is_required") or one["item"] in wanted}
    offered: set[str] = set()
    for _ in range(len(entries) + 1):
        facts = {**answers, **{f"has {one['item']}": one["item"] in taken for one in entries}}
        offered = {
            one["item"]
            for one in entries
            if may_ask(items[one["item"]], person)
            and evaluate(one.get("if") or ALWAYS, facts).result
        }
        following = {
            one["item"]
            for one in entries
            if one["item"] in offered and (one.get("is_required") or one["item"] in wanted)
        }
        if following == taken:
            break
        taken = following
    return tuple(
        Part(
            item=one["item"],
            is_offered=one["item"] in offered,
            is_required=bool(one.get("is_required")),
            is_chosen=one["item"] in taken and one["item"] in offered,
            cost=cost_of(items[one["item"]]),
            answers={
                field: answers[common]
                for field, common in (one.get("fill") or {}).items()
                if answers.get(common) not in (None, "", [])
            },
            filled=tuple(one.get("fill") or ()),
        )
        for one in entries
    )


def total(parts: Iterable[Part]) -> Cost:
    """What the chosen parts cost together."""
    return sum((part.cost for part in parts if part.is_chosen), Cost())


def wrong_parts(bundle: Offer, items: Sequence[Offer]) -> list[str]:
    """What is wrong with the parts of a bundle, in words."""
    known = {one["key"] for one in items}
    names = [part["item"] for part in bundle.get("parts") or ()]
    wrong = [f"There is no item “{name}”." for name in names if name not in known]
    if not names:
        wrong.append("It has no parts.")
    wrong.extend(
        f"“{name}” is in it twice." for name in sorted({n for n in names if names.count(n) > 1})
    )
    for part in bundle.get("parts") or ():
        try:
            check(part.get("if") or ALWAYS)
        except ConditionError as error:
            wrong.append(f"The condition of “{part['item']}”: {error}")
            continue
        for leaf in leaves(part.get("if") or ALWAYS):
            asked = str(leaf["field"])
            if asked.startswith("has ") and asked[4:] not in names:
                wrong.append(f"“{part['item']}” asks for “{asked[4:]}”, which is no part of it.")
    return wrong


def plan_of(template: Mapping[str, Any]) -> list[Task]:
    """A task template as tasks to plan, named by their titles."""
    return [
        Task(
            entry["title"], int(entry.get("estimate_minutes") or 0), tuple(entry.get("after") or ())
        )
        for entry in template["tasks"]
    ]
