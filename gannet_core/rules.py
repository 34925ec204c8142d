"""Business rules: when / if / then sentences, run in one pass for each event.

A rule is data: `key`, `name`, `when` (events), `if` (a condition), `then` (actions),
`stop`, `is_on`; the list's order is the order of the pass. Each rule sees what earlier
ones set, each fires at most once per event, and what they set is handed back as one list
of effects for the caller to apply with the act that caused them. What rules change does
not start another pass.
"""

from collections import ChainMap
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from gannet_core.agreements import why_not
from gannet_core.conditions import Context, Trace, check, evaluate
from gannet_core.errors import RuleError
from gannet_core.sentences import describe

WHEN = (
    "created",
    "updated",
    "requester replied",
    "state changed",
    "approval decided",
    "task changed",
    "child changed",
    "linked changed",
    "clock step",
)

# Every action with the parts it must have; the only list of them.
ACTIONS: Mapping[str, tuple[str, ...]] = {
    "set": ("field", "value"),
    "assign team": ("team",),
    "assign person": ("person",),
    "follow": ("who",),
    "tasks": ("tasks",),
    "tag": ("tags",),
    "notify": ("who", "message"),
    "note": ("text",),
    "suggest major": (),
    "child": ("title",),
    "webhook": ("hook",),
    "close": ("message",),
    "offer articles": ("message",),
    "page": (),
}

# What is said when a part of an action is not there yet.
_PARTS: Mapping[str, str] = {
    "field": "choose a field",
    "value": "choose what it becomes",
    "team": "choose a team",
    "person": "choose a person",
    "who": "choose for whom",
    "message": "choose a message",
    "tasks": "choose a task template",
    "tags": "write a tag",
    "text": "write the text",
    "title": "write a title",
    "hook": "choose a webhook",
}

Follow = Callable[[Mapping[str, Any], frozenset[str]], Mapping[str, Any]]


@dataclass(frozen=True, slots=True)
class Effect:
    """One thing a rule wants done: its name in `ACTIONS`, its parts, and whose it is."""

    rule: str
    do: str
    parts: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class RuleTrace:
    """What became of one rule in a pass."""

    key: str
    name: str
    matched: bool
    because: str
    leaves: tuple[dict[str, Any], ...] = ()
    did: tuple[str, ...] = ()
    overridden: tuple[str, ...] = ()
    stopped: bool = False

    def as_json(self) -> dict[str, Any]:
        return {
            "key": self.key,
            "name": self.name,
            "matched": self.matched,
            "because": self.because,
            "leaves": list(self.leaves),
            "did": list(self.did),
            "overridden": list(self.overridden),
            "stopped": self.stopped,
        }


@dataclass(frozen=True, slots=True)
class RuleRun:
    """A whole pass: the last value for each field, the other effects, and the traces."""

    sets: Mapping[str, Effect] = field(default_factory=dict)
    effects: tuple[Effect, ...] = ()
    traces: tuple[RuleTrace, ...] = ()
    record: Mapping[str, Any] = field(default_factory=dict)

    @property
    def fired(self) -> tuple[str, ...]:
        return tuple(trace.key for trace in self.traces if trace.matched)


@dataclass(slots=True)
class _Pass:
    """The pass while it runs."""

    record: ChainMap[str, Any]
    changes: dict[str, Sequence[Any]]
    sets: dict[str, Effect] = field(default_factory=dict)
    effects: list[Effect] = field(default_factory=list)
    traces: list[RuleTrace] = field(default_factory=list)


def run(
    rules: Iterable[Mapping[str, Any]],
    events: Collection[str],
    record: Mapping[str, Any],
    changes: Mapping[str, Sequence[Any]] | None = None,
    *,
    context: Context | None = None,
    fields: Mapping[str, Mapping[str, Any]] | None = None,
    follow: Follow | None = None,
    with_leaves: bool = False,
    moments: Collection[str] = WHEN,
) -> RuleRun:
    """Run the rules that wait for any of the events of an act over a record (field -> value).

    `changes` maps fields to [before, after] of the act. `follow` is asked after each rule
    what else its sets change (a new impact re-reads the matrix), so that later rules see
    it. `with_leaves` keeps every leaf with its actual value, for trying a rule out. An
    event that is none of the `moments` is `RuleError`.
    """
    for event in events:
        if event not in moments:
            raise RuleError(f"{event!r} is not something rules can wait for: {', '.join(moments)}")
    state = _Pass(ChainMap({}, record), dict(changes or {}))  # type: ignore[arg-type]
    for rule in rules:
        if not rule.get("is_on", True) or not set(events) & set(rule["when"]):
            continue
        trace = evaluate(rule["if"], state.record, state.changes, context)
        leaves = tuple(_leaves(trace, fields)) if with_leaves else ()
        if not trace.result:
            state.traces.append(
                RuleTrace(rule["key"], rule["name"], False, why_not(trace, fields), leaves)
            )
            continue
        did, overridden = _apply(state, rule, follow)
        stopped = bool(rule.get("stop"))
        because = describe(rule["if"], fields)
        state.traces.append(
            RuleTrace(rule["key"], rule["name"], True, because, leaves, did, overridden, stopped)
        )
        if stopped:
            break
    return RuleRun(state.sets, tuple(state.effects), tuple(state.traces), state.record)


def check_rule(
    rule: Mapping[str, Any],
    fields: Mapping[str, Mapping[str, Any]] | None = None,
    moments: Collection[str] = WHEN,
) -> None:
    """Refuse a malformed rule with `RuleError` or `ConditionError`, naming the place.

    `moments` are those at which a rule can run: `WHEN`, and those of single kinds of record.
    """
    for event in rule.get("when") or ():
        if event not in moments:
            raise RuleError(f"When: “{event}” is not one of {', '.join(moments)}")
    if not rule.get("when"):
        raise RuleError("When: choose at least one moment at which the rule runs")
    check(rule.get("if"), fields)
    if not rule.get("then"):
        raise RuleError("Then: choose at least one thing to do")
    for index, action in enumerate(rule["then"]):
        check_action(action, f"Action {index + 1}", fields)


def check_action(
    action: Mapping[str, Any],
    place: str,
    fields: Mapping[str, Mapping[str, Any]] | None = None,
) -> None:
    """Refuse an action that does not exist or misses a part with `RuleError`."""
    do = str(action.get("do"))
    if do not in ACTIONS:
        raise RuleError(f"{place}: “{do}” is not something a rule can do")
    for part in ACTIONS[do]:
        if part not in action or (part != "value" and action[part] in ("", [], None)):
            raise RuleError(f"{place}: {_PARTS[part]}")
    if do == "set" and fields is not None:
        about = fields.get(action["field"])
        if about is None:
            raise RuleError(f"{place}: there is no field “{action['field']}”")
        if not about.get("settable"):
            name = about.get("label") or action["field"]
            raise RuleError(f"{place}: {name} is computed and cannot be set")


def describe_action(action: Mapping[str, Any]) -> str:
    """An action as an English sentence."""
    match action["do"]:
        case "set":
            value = action["value"]
            return f"set {action['field']} to {_word(value)}"
        case "assign team":
            return f"give it to {action['team']}"
        case "assign person":
            return f"give it to {action['person']}"
        case "follow":
            return f"let {_people(action['who'])} follow"
        case "tasks":
            return f"add the tasks {_words(action['tasks'])}"
        case "tag":
            return f"tag it {_words(action['tags'])}"
        case "notify":
            return f"tell {_people(action['who'])} with “{action['message']}”"
        case "note":
            return f"note: {action['text']}"
        case "suggest major":
            return "suggest it as a major incident"
        case "child":
            return f"open a child record “{action['title']}”"
        case "webhook":
            return f"post it to {action['hook']}"
        case "close":
            return f"close it with “{action['message']}”"
        case "page":
            return f"page whoever is on call for {action.get('team') or 'its team'}"
        case "offer articles":
            return f"offer the requester fitting articles with “{action['message']}”"
    return str(action["do"])


def _apply(
    state: _Pass, rule: Mapping[str, Any], follow: Follow | None
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    did: list[str] = []
    overridden: list[str] = []
    touched: set[str] = set()
    for action in rule["then"]:
        did.append(describe_action(action))
        effect = Effect(rule["key"], action["do"], action)
        target = _SETS.get(action["do"])
        if target is None:
            state.effects.append(effect)
            continue
        name = action["field"] if action["do"] == "set" else target
        value = action["value"] if action["do"] == "set" else action[target_part(action["do"])]
        if name in state.sets and state.sets[name].rule != rule["key"]:
            overridden.append(f"{name}, set by {state.sets[name].rule}")
        state.sets[name] = effect
        _see(state, name, value)
        touched.add(name)
    if follow is not None and touched:
        for name, value in follow(state.record, frozenset(state.sets)).items():
            _see(state, name, value)
    return tuple(did), tuple(overridden)


# The actions that set a field of the record, and which.
_SETS = {"set": "", "assign team": "team", "assign person": "holder"}


def target_part(do: str) -> str:
    """The part of an assigning action that names whom it assigns."""
    return "team" if do == "assign team" else "person"


def _see(state: _Pass, name: str, value: Any) -> None:
    before = state.changes[name][0] if name in state.changes else state.record.get(name)
    state.record[name] = value
    state.changes[name] = [before, value]


def _leaves(
    trace: Trace, fields: Mapping[str, Mapping[str, Any]] | None
) -> Iterable[dict[str, Any]]:
    if trace.kind == "leaf" and trace.leaf is not None:
        yield {
            "says": describe(trace.leaf, fields),
            "actual": trace.actual,
            "holds": trace.result,
        }
    for part in trace.parts:
        yield from _leaves(part, fields)


# Who stands for somebody else on each ticket, as people call them.
WHO_WORDS: Mapping[str, str] = {
    "holder": "the assignee",
    "requester": "the requester",
    "team": "the team",
    "team lead": "the team lead",
    "followers": "the followers",
    "service owner": "the service owner",
    "requester's manager": "the requester’s manager",
}


def _people(who: Any) -> str:
    named = who if isinstance(who, list) else [who]
    return _words([WHO_WORDS.get(str(one), str(one)) for one in named])


def _words(values: Any) -> str:
    return ", ".join(str(value) for value in values) if isinstance(values, list) else str(values)


def _word(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return "nothing" if value in (None, "", []) else _words(value)
