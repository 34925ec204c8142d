"""Rules for articles: when one is published or did not help, if …, then tell, post or review.

A rule is data, as those for tickets are: `key`, `name`, `when` (moments), `if` (a condition over
`FIELDS`), `then` (actions), `stop`, `is_on`; the list's order is the order of the pass. What the
rules want done is handed back; nothing they do starts another pass. Source: the product's own.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from gannet_core.agreements import why_not
from gannet_core.conditions import Context, check, evaluate
from gannet_core.errors import RuleError
from gannet_core.sentences import describe
from gannet_core.tasks import filled

PUBLISHED, RETIRED, TO_REVIEW = "published", "retired", "sent to review"
DID_NOT_HELP, DISPUTED = "did not help", "disputed"
MOMENTS = (PUBLISHED, RETIRED, TO_REVIEW, DID_NOT_HELP, DISPUTED)

# Who stands for somebody else with each article; teams and addresses stand beside them.
WHO: Mapping[str, str] = {
    "owner": "its owner",
    "author": "its author",
    "editors": "the knowledge editors",
    "followers": "those who follow it",
}
# Every action with the parts it must have.
ACTIONS: Mapping[str, tuple[str, ...]] = {
    "notify": ("who", "text"),
    "webhook": ("hook",),
    "review": ("days",),
}
# What stands for something in the text of a notification.
PLACEHOLDERS: Mapping[str, str] = {
    "title": "its title",
    "number": "its number",
    "reader": "who read it",
    "why": "what the reader wrote",
}
MOST_DAYS = 365
_CHOICES = {
    "kind": ("how to", "fault and cure", "question", "known error"),
    "for": ("the desk", "everybody", "some"),
}


def _named(field: str) -> dict[str, str]:
    """The choices of a field, each called what it is."""
    return {one: one for one in _CHOICES[field]}


# What a condition asks of an article: numbers are of the version that is read.
FIELDS: Mapping[str, Mapping[str, Any]] = {
    "title": {"type": "text", "label": "title"},
    "kind": {"type": "choice", "label": "kind", "choices": _named("kind")},
    "category": {"type": "choice", "label": "category"},
    "service": {"type": "choice", "label": "service"},
    "owner": {"type": "choice", "label": "owner"},
    "for": {"type": "choice", "label": "readers", "choices": _named("for")},
    "language": {"type": "text", "label": "language"},
    "version": {"type": "number", "label": "version"},
    "helped": {"type": "number", "label": "readers it helped"},
    "not helped": {"type": "number", "label": "readers it did not help"},
    "why": {"type": "text", "label": "what the reader wrote"},
}
_PARTS = {
    "who": "choose whom to tell",
    "text": "write what they are told",
    "hook": "choose a webhook",
    "days": "say in how many days",
}


@dataclass(frozen=True, slots=True)
class Ruled:
    """What became of one rule: what it wants done, and why it ran or did not."""

    key: str
    name: str
    matched: bool
    because: str
    actions: tuple[Mapping[str, Any], ...] = ()


def run(
    rules: Iterable[Mapping[str, Any]],
    moment: str,
    record: Mapping[str, Any],
    context: Context | None = None,
) -> list[Ruled]:
    """Run the rules that wait for a moment over an article (field -> value), in their order."""
    if moment not in MOMENTS:
        raise RuleError(f"{moment!r} is not something rules for articles can wait for")
    found: list[Ruled] = []
    for rule in rules:
        if not rule.get("is_on", True) or moment not in rule["when"]:
            continue
        trace = evaluate(rule["if"], record, {}, context)
        if not trace.result:
            found.append(Ruled(rule["key"], rule["name"], False, why_not(trace, FIELDS)))
            continue
        because = describe(rule["if"], FIELDS)
        found.append(Ruled(rule["key"], rule["name"], True, because, tuple(rule["then"])))
        if rule.get("stop"):
            break
    return found


def check_rule(rule: Mapping[str, Any], fields: Mapping[str, Mapping[str, Any]] = FIELDS) -> None:
    """Refuse a malformed rule with `RuleError` or `ConditionError`, naming the place.

    `fields` are `FIELDS`, with what can be chosen here where that is known.
    """
    for moment in rule.get("when") or ():
        if moment not in MOMENTS:
            raise RuleError(f"When: “{moment}” is not one of {', '.join(MOMENTS)}")
    if not rule.get("when"):
        raise RuleError("When: choose at least one moment at which the rule runs")
    check(rule.get("if"), fields)
    if not rule.get("then"):
        raise RuleError("Then: choose at least one thing to do")
    for number, action in enumerate(rule["then"], 1):
        _check_action(action, f"Action {number}")


def _check_action(action: Mapping[str, Any], place: str) -> None:
    do = str(action.get("do"))
    if do not in ACTIONS:
        raise RuleError(f"{place}: “{do}” is not something a rule for articles can do")
    for part in ACTIONS[do]:
        if action.get(part) in ("", [], None):
            raise RuleError(f"{place}: {_PARTS[part]}")
    if do == "review":
        days = action["days"]
        if isinstance(days, bool) or not isinstance(days, int) or not 1 <= days <= MOST_DAYS:
            raise RuleError(f"{place}: between 1 and {MOST_DAYS} days")
    if do == "notify":
        _, unknown = filled(str(action["text"]), dict.fromkeys(PLACEHOLDERS, "x"))
        if unknown:
            raise RuleError(
                f"{place}: nothing stands for {', '.join('{' + n + '}' for n in unknown)}"
            )


def describe_action(action: Mapping[str, Any]) -> str:
    """An action as an English sentence."""
    match action["do"]:
        case "notify":
            named = action["who"] if isinstance(action["who"], list) else [action["who"]]
            return f"tell {', '.join(WHO.get(str(one), str(one)) for one in named)}"
        case "webhook":
            return f"post it to {action['hook']}"
        case "review":
            days = action["days"]
            return f"have it reviewed within {days} {'day' if days == 1 else 'days'}"
    return str(action["do"])
