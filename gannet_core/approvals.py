"""Approvals: who must decide, in which order, and what their decisions add up to.

An approval route is data: `key`, `name`, `owner` (a person) and `stages` in order. A stage
has `key`, `name`, `if` (a condition over the facts of the request), `approvers` – each
`{"who": kind, "of"?: what}` with a kind of `WHO` –, `quorum` (`"any"`, `"all"` or
`{"of": n}`), `fallback` (a person), and optionally `shows` (the facts its approvers
decide on; absent: all answers).

People are opaque ids; who they are to each other comes from a `Directory`. Nothing here
reads a clock or keeps anything: the application keeps decisions and asks again.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations, product
from math import prod
from typing import Any, Literal

from gannet_core.conditions import Context, Record, check, evaluate, leaves
from gannet_core.errors import ApprovalError, ConditionError
from gannet_core.sentences import describe

Person = Any
Quorum = str | Mapping[str, int]
Route = Mapping[str, Any]
Stage = Mapping[str, Any]
Outcome = Literal["pending", "approved", "refused"]

# Who can be asked; those with True name what of (a team's key, a person).
WHO: Mapping[str, bool] = {
    "line manager": False,
    "beneficiary's line manager": False,
    "cost centre owner": False,
    "service owner": False,
    "technical owner": False,
    "team": True,
    "board": True,
    "person": True,
}
# What becomes of a stage whose time to decide has passed.
WHEN_PASSED = ("remind", "fallback", "refuse")
# What the link of a mail may decide without signing in: everything, nothing, or (shipped)
# what costs no more than this, in pence, once and over a year of what it costs a month.
BY_LINK = ("always", "never")
BY_LINK_UP_TO_PENCE = 50_000
MOST_COMBINATIONS = 10_000


@dataclass(frozen=True, slots=True)
class Decision:
    """What somebody decided at an instant (anything ordered)."""

    by: Person
    approves: bool
    at: Any


@dataclass(frozen=True, slots=True)
class Settled:
    """Where a stage stands, and the instant of the decision that settled it."""

    state: Outcome
    decided_at: Any = None


def needed(quorum: Quorum, approvers: int) -> int:
    """How many approvals a quorum needs of so many people.

    `ApprovalError`: nobody to ask, or fewer than one or more than there are.
    """
    if approvers < 1:
        raise ApprovalError("nobody can approve: there are no approvers")
    if quorum == "any":
        return 1
    if quorum == "all":
        return approvers
    count = quorum.get("of") if isinstance(quorum, Mapping) else None
    if not isinstance(count, int) or isinstance(count, bool):
        raise ApprovalError(f"a quorum is any, all or a number of people, not {quorum!r}")
    if not 1 <= count <= approvers:
        raise ApprovalError(f"a quorum of {count} does not fit {approvers} approvers")
    return count


def is_decided_by_link(stage: Stage, cost_pence: int) -> bool:
    """Whether the link of a mail, or an answer to it, decides a stage without signing in.

    A stage's `by_link` is `"always"`, `"never"` or `{"up_to_pence": n}`; without one it is
    decided so up to `BY_LINK_UP_TO_PENCE`. A cost of exactly the limit is within it.
    """
    said = stage.get("by_link") or {"up_to_pence": BY_LINK_UP_TO_PENCE}
    if isinstance(said, Mapping):
        return cost_pence <= int(said["up_to_pence"])
    return str(said) == "always"


def settle(quorum: Quorum, approvers: Iterable[Person], decisions: Iterable[Decision]) -> Settled:
    """What the decisions of a stage's approvers add up to, taken in order of time.

    The first decision of a person stands; those of others do not count. With `any` the
    first decision decides, with `all` one refusal refuses, and with a number it is refused
    as soon as that number can no longer be reached.
    """
    asked = list(dict.fromkeys(approvers))
    wanted = needed(quorum, len(asked))
    given: dict[Person, bool] = {}
    for decision in sorted(decisions, key=lambda one: one.at):
        if decision.by not in asked or decision.by in given:
            continue
        given[decision.by] = decision.approves
        if quorum == "any":
            return Settled("approved" if decision.approves else "refused", decision.at)
        approvals = sum(given.values())
        if approvals >= wanted:
            return Settled("approved", decision.at)
        if len(asked) - (len(given) - approvals) < wanted:
            return Settled("refused", decision.at)
    return Settled("pending")


@dataclass(frozen=True)
class Directory:
    """Who people are to each other, as the application knows it.

    `find(who, of)` gives the people of a kind of approver, `manager(person)` the line
    manager or None, `is_here(person)` whether they still work here, and `keepers` the
    people of last resort (administrators), in order.
    """

    find: Callable[[str, str], Sequence[Person]]
    manager: Callable[[Person], Person | None]
    is_here: Callable[[Person], bool]
    keepers: Sequence[Person] = ()


@dataclass(frozen=True, slots=True)
class Approver:
    """Somebody who is asked, for whom they stand in, and why."""

    person: Person
    instead_of: Person | None = None
    because: str = ""


@dataclass(frozen=True, slots=True)
class AskedStage:
    """What a stage comes to for one request: skipped, or these people with this quorum."""

    key: str
    name: str
    is_skipped: bool
    because: str
    approvers: tuple[Approver, ...] = ()
    quorum: Quorum = "any"
    notes: tuple[str, ...] = ()

    @property
    def people(self) -> tuple[Person, ...]:
        return tuple(one.person for one in self.approvers)


@dataclass(frozen=True, slots=True)
class Case:
    """One request: its facts, who asks, and for whom."""

    record: Record
    requester: Person
    beneficiary: Person | None = None
    context: Context = field(default_factory=Context)
    # What the facts are called, for the explanations.
    fields: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    # Who else may not decide on it, such as those who carry it out.
    involved: frozenset[Person] = frozenset()

    @property
    def own(self) -> frozenset[Person]:
        """Those who may not decide on it."""
        asks = frozenset(one for one in (self.requester, self.beneficiary) if one is not None)
        return asks | self.involved


def ask(stage: Stage, route: Route, case: Case, directory: Directory) -> AskedStage:
    """Who decides a stage of a route for a request.

    People who left are replaced by their line manager, and so are requester and
    beneficiary; where that gives nobody the stage's fallback stands in, else the route's
    owner, else a keeper. `ApprovalError` if even they give nobody: such a request must not
    be taken.
    """
    trace = evaluate(stage.get("if") or {"all": []}, case.record, context=case.context)
    name = str(stage.get("name") or stage["key"])
    if not trace.result:
        failed = trace.first_failure()
        tree = failed.leaf if failed and failed.leaf else stage["if"]
        says = describe(tree, case.fields)
        says = says if says[1:2].isupper() else says[:1].lower() + says[1:]
        return AskedStage(stage["key"], name, is_skipped=True, because=f"asked only when {says}")
    notes: list[str] = []
    found: list[Approver] = []
    for entry in stage.get("approvers") or ():
        people = list(directory.find(entry["who"], str(entry.get("of") or "")))
        if not people:
            notes.append(f"there is no {_words(entry)}")
        for person in people:
            found.extend(_able(person, stage, route, case, directory, _words(entry)))
    if not found:
        found = _last(stage, route, case, directory, "nobody else can approve")
    if not found:
        raise ApprovalError(
            f"nobody can approve “{name}”: add a fallback who is neither requester nor beneficiary"
        )
    distinct = tuple({one.person: one for one in reversed(found)}.values())[::-1]
    quorum = stage.get("quorum") or "any"
    if isinstance(quorum, Mapping) and quorum.get("of", 1) > len(distinct):
        notes.append(f"{quorum['of']} were asked for, {len(distinct)} can approve")
        quorum = {"of": len(distinct)}
    because = (
        "always"
        if not list(leaves(stage.get("if") or {"all": []}))
        else describe(stage["if"], case.fields)
    )
    return AskedStage(stage["key"], name, False, because, distinct, quorum, tuple(notes))


def ask_all(route: Route, case: Case, directory: Directory) -> tuple[AskedStage, ...]:
    """Every stage of a route for a request, in order; all skipped: approved by itself."""
    return tuple(ask(stage, route, case, directory) for stage in route["stages"])


def _able(
    person: Person, stage: Stage, route: Route, case: Case, directory: Directory, kind: str
) -> list[Approver]:
    """Somebody, or who stands in for them: left, or it is their own request."""
    if directory.is_here(person) and person not in case.own:
        return [Approver(person, because=kind)]
    why = "it is their own request" if person in case.own else "they left"
    manager = _manager_of(person, case, directory)
    if manager is not None:
        return [Approver(manager, person, f"{kind}; {why}, so their line manager")]
    return [
        Approver(one.person, person, f"{kind}; {why}, so {one.because}")
        for one in _last(stage, route, case, directory)
    ]


def _manager_of(person: Person, case: Case, directory: Directory) -> Person | None:
    """The nearest line manager who is here and whose own request it is not."""
    seen = {person}
    above = directory.manager(person)
    while above is not None and above not in seen:
        if directory.is_here(above) and above not in case.own:
            return above
        seen.add(above)
        above = directory.manager(above)
    return None


def _last(
    stage: Stage, route: Route, case: Case, directory: Directory, why: str = ""
) -> list[Approver]:
    """Who decides when nobody of those meant can: the first that may."""
    prefix = f"{why}: " if why else ""
    standing = [
        ("the fallback", stage.get("fallback")),
        ("the route's owner", route.get("owner")),
        *(("an administrator", keeper) for keeper in directory.keepers),
    ]
    for words, person in standing:
        if person is not None and directory.is_here(person) and person not in case.own:
            return [Approver(person, because=f"{prefix}{words}")]
    return []


def _words(entry: Mapping[str, Any]) -> str:
    if entry["who"] == "person":
        return "named in the route"
    of = str(entry.get("of") or "")
    return f"{entry['who']} {of}".strip()


def acts_for(
    by: Person,
    approvers: Sequence[Person],
    deputies: Mapping[Person, Sequence[Person]],
    own: frozenset[Person],
    decided: Iterable[Person] = (),
) -> Person | None:
    """For which approver somebody decides: themselves, or one whose deputy they are now.

    A deputy whose own request it is decides for nobody; a deputy's deputy is not asked.
    Approvers who have decided already are passed over.
    """
    if by in own:
        return None
    over = set(decided)
    if by in approvers and by not in over:
        return by
    for approver in approvers:
        if approver not in over and by in deputies.get(approver, ()):
            return approver
    return None


def touched(route: Route, changed: Iterable[str], unshown: Iterable[str] = ()) -> tuple[str, ...]:
    """The stages whose conditions or shown facts a change of these facts touches.

    A stage that does not say what it shows shows everything but what is `unshown`.
    """
    names = set(changed)
    shown = names - set(unshown)
    found = []
    for stage in route["stages"]:
        reads = {leaf["field"] for leaf in leaves(stage.get("if") or {"all": []})}
        shows = stage.get("shows")
        if names & reads or (shown if shows is None else names & set(shows)):
            found.append(stage["key"])
    return tuple(found)


# Conditions on what it costs: a whole costs no less than its part.
_RISING = frozenset({">", ">="})
_COSTS = frozenset({"cost", "monthly cost"})


def covers(whole: Route, part: Route) -> bool:
    """Whether what a bundle is approved with asks everybody whom a part's own route asks.

    Each stage of the part has its like in the whole: the same approvers, no smaller quorum,
    and no condition, or one on the cost that holds for the whole whenever it does for the
    part. Anything else counts as not covered.
    """
    return all(
        any(_asks_the_same(like, stage) for like in whole.get("stages") or ())
        for stage in part.get("stages") or ()
    )


def _asks(stage: Stage) -> tuple[Any, ...]:
    people = sorted((one["who"], one.get("of") or "") for one in stage.get("approvers") or ())
    return people, stage.get("quorum") or "any"


def _asks_the_same(like: Stage, stage: Stage) -> bool:
    if _asks(like) != _asks(stage):
        return False
    condition = like.get("if") or {"all": []}
    if condition == {"all": []}:
        return True
    rises = all(leaf["field"] in _COSTS and leaf["op"] in _RISING for leaf in leaves(condition))
    return rises and condition == stage.get("if")


def check_route(route: Route, fields: Mapping[str, Mapping[str, Any]] | None = None) -> list[str]:
    """What is wrong with a route, in words; an empty list when it can be published."""
    wrong: list[str] = []
    if not route.get("owner"):
        wrong.append("give it an owner, who approves when nobody else can")
    keys = [stage.get("key") for stage in route.get("stages") or ()]
    twice = sorted({str(one) for one in keys if keys.count(one) > 1})
    wrong.extend(f"two stages have the key {key}" for key in twice)
    for stage in route.get("stages") or ():
        name = stage.get("name") or stage.get("key")
        if not stage.get("fallback"):
            wrong.append(f"nobody may be left to approve “{name}”: add a fallback")
        if not stage.get("approvers"):
            wrong.append(f"“{name}” asks nobody")
        for entry in stage.get("approvers") or ():
            if entry.get("who") not in WHO:
                wrong.append(f"“{name}” asks a {entry.get('who')!r}, which is not known")
            elif WHO[entry["who"]] and not entry.get("of"):
                wrong.append(f"“{name}” asks a {entry['who']}: say which")
        try:
            check(stage.get("if") or {"all": []}, fields)
        except ConditionError as error:
            wrong.append(f"“{name}”: {error}")
        quorum = stage.get("quorum") or "any"
        if isinstance(quorum, Mapping) and not (
            isinstance(quorum.get("of"), int) and quorum["of"] > 0
        ):
            wrong.append(f"“{name}” needs a number of people above 0")
        elif isinstance(quorum, str) and quorum not in ("any", "all"):
            wrong.append(f"“{name}” needs any, all or a number of people")
    return wrong


@dataclass(frozen=True, slots=True)
class End:
    """One thing a route can come to, with an example of the facts that lead there."""

    stages: tuple[str, ...]
    example: Mapping[str, Any]
    problem: str = ""

    @property
    def is_automatic(self) -> bool:
        return not self.stages


@dataclass(frozen=True, slots=True)
class Ends:
    """All that a route can come to, and whether every combination was tried."""

    ends: tuple[End, ...]
    combinations: int
    is_complete: bool


def ends_of(route: Route, fields: Mapping[str, Mapping[str, Any]]) -> Ends:
    """Every distinct outcome of a route: the dead-end check.

    Facts that the conditions mention take each of their choices; numbers take values
    below, at and above each threshold; other facts the mentioned values, something else
    and nothing. All combinations are tried up to `MOST_COMBINATIONS`, else all pairs of
    values. An outcome with a stage that can have nobody carries the problem.
    """
    domains = _domains(route, fields)
    count = prod(len(values) for values in domains.values())
    is_complete = count <= MOST_COMBINATIONS
    names = list(domains)
    rows: Iterator[Mapping[str, Any]] = (
        (dict(zip(names, row, strict=True)) for row in product(*domains.values()))
        if is_complete
        else _pairwise(domains)
    )
    found: dict[tuple[str, ...], End] = {}
    for record in rows:
        asked = [
            stage
            for stage in route["stages"]
            if evaluate(stage.get("if") or {"all": []}, record).result
        ]
        key = tuple(str(stage["key"]) for stage in asked)
        if key not in found:
            found[key] = End(key, dict(record), _problem(asked, route))
    return Ends(tuple(found.values()), count, is_complete)


def _problem(asked: Sequence[Stage], route: Route) -> str:
    for stage in asked:
        if not stage.get("fallback"):
            return f"“{stage.get('name') or stage['key']}” may have nobody to approve"
        if not stage.get("approvers"):
            return f"“{stage.get('name') or stage['key']}” asks nobody"
    if asked and not route.get("owner"):
        return "the route has no owner"
    return ""


_ELSE = "(something else)"


def _domains(route: Route, fields: Mapping[str, Mapping[str, Any]]) -> dict[str, list[Any]]:
    found: dict[str, list[Any]] = {}
    for stage in route["stages"]:
        for leaf in leaves(stage.get("if") or {"all": []}):
            name, value = leaf["field"], leaf.get("value")
            values = value if isinstance(value, list) else [value]
            about = fields.get(name, {})
            known = found.setdefault(name, [])
            if about.get("choices"):
                new: list[Any] = [*about["choices"], None]
            elif about.get("type") == "yes/no" or any(isinstance(one, bool) for one in values):
                new = [True, False]
            elif any(isinstance(one, int | float) for one in values):
                new = [
                    shifted
                    for one in values
                    if isinstance(one, int | float)
                    for shifted in (one - 1, one, one + 1)
                ]
            else:
                new = [*(one for one in values if one is not None), _ELSE, None]
            known.extend(one for one in new if one not in known)
    return found


def _pairwise(domains: Mapping[str, Sequence[Any]]) -> Iterator[Mapping[str, Any]]:
    """Rows in which every two facts take every two of their values at least once."""
    base = {name: values[0] for name, values in domains.items()}
    yield base
    for one, other in combinations(domains, 2):
        for first, second in product(domains[one], domains[other]):
            yield {**base, one: first, other: second}
