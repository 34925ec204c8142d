"""Agreements: which promise applies to a ticket, and what its targets are.

An agreement is data of the rulebook: `key`, `name`, `kind` (customer, team,
supplier), `status`, optional `starts` and `ends` (dates, both inclusive), `scope` (a
condition), `calendar`, `targets` (priority -> {clock: seconds, "calendar"?}),
`pauses_on` and `answer_pauses_on` (waiting reasons), `position`.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from fractions import Fraction
from typing import Any

from gannet_core.clocks import target_share
from gannet_core.conditions import Record, Trace, evaluate
from gannet_core.errors import AgreementError
from gannet_core.sentences import actual_words, describe

DEFAULT_PAUSES = ("requester", "date")
Agreement = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Looked:
    """One agreement that was looked at, and why it applied or did not."""

    key: str
    name: str
    applies: bool
    because: str


@dataclass(frozen=True, slots=True)
class Choice:
    """The agreement chosen, if any, and all that were looked at on the way."""

    agreement: Agreement | None
    looked_at: tuple[Looked, ...]

    def explain(self) -> list[dict[str, Any]]:
        return [
            {"label": looked.name, "value": looked.because, "chosen": looked.applies}
            for looked in self.looked_at
        ]


@dataclass(frozen=True, slots=True)
class Target:
    """A clock's target in seconds of service time on a calendar, and its normal one."""

    clock: str
    seconds: int
    normal_seconds: int
    calendar: str
    tier: str | None


def choose(
    agreements: Iterable[Agreement],
    kind: str,
    record: Record,
    today: date,
    fields: Mapping[str, Mapping[str, Any]] | None = None,
) -> Choice:
    """The first active agreement of a kind, in position order, whose scope matches.

    `today` is the local date on which the choice is made; `fields` are the labels that
    the explanation uses.
    """
    looked_at: list[Looked] = []
    for agreement in sorted(agreements, key=lambda agreement: agreement.get("position", 0)):
        if agreement["kind"] != kind:
            continue
        key, name = agreement["key"], agreement["name"]
        asleep = _asleep(agreement, today)
        if asleep:
            looked_at.append(Looked(key, name, applies=False, because=asleep))
            continue
        trace = evaluate(agreement["scope"], record)
        if trace.result:
            matched = describe(agreement["scope"], fields)
            looked_at.append(Looked(key, name, applies=True, because=f"applies: {matched}"))
            return Choice(agreement, tuple(looked_at))
        looked_at.append(Looked(key, name, applies=False, because=why_not(trace, fields)))
    return Choice(None, tuple(looked_at))


def why_not(trace: Trace, fields: Mapping[str, Mapping[str, Any]] | None = None) -> str:
    """The first leaf that failed, as a sentence, with the actual value."""
    failed = trace.first_failure()
    if failed is None or failed.leaf is None:
        return "its condition does not hold"
    actual = actual_words(failed.leaf["field"], failed.actual, fields)
    return f"{describe(failed.leaf, fields)} – but {actual}"


def targets(
    agreement: Agreement, priority: int, shares: Mapping[str, str] | None = None
) -> dict[str, Target]:
    """The targets of an agreement for a priority, clock by clock.

    `shares` maps the care tiers of the requester to their shares as decimal text; the
    smallest applies, and on customer agreements only. A priority without targets is
    `AgreementError`.
    """
    row = agreement["targets"].get(str(priority))
    if row is None:
        raise AgreementError(f"{agreement['name']} has no targets for priority P{priority}")
    tier, share = _smallest_share(shares or {}) if agreement["kind"] == "customer" else (None, None)
    calendar = row.get("calendar") or agreement["calendar"]
    found = {}
    for clock, seconds in row.items():
        if clock == "calendar":
            continue
        shared = seconds if share is None else target_share(seconds, share)
        found[clock] = Target(clock, shared, seconds, calendar, tier)
    return found


def pauses(agreement: Agreement, clock: str) -> Sequence[str]:
    """The waiting reasons on which a clock pauses; the answer clock has none by default."""
    if clock == "answer":
        return list(agreement.get("answer_pauses_on") or ())
    return list(agreement.get("pauses_on", DEFAULT_PAUSES))


def _smallest_share(shares: Mapping[str, str]) -> tuple[str | None, str | None]:
    if not shares:
        return None, None
    return min(shares.items(), key=lambda item: (Fraction(item[1]), item[0]))


def _asleep(agreement: Agreement, today: date) -> str | None:
    if agreement.get("status", "active") != "active":
        return f"is {agreement['status']}"
    if agreement.get("starts") and today < date.fromisoformat(agreement["starts"]):
        return f"starts on {agreement['starts']}"
    if agreement.get("ends") and today > date.fromisoformat(agreement["ends"]):
        return f"ended on {agreement['ends']}"
    return None
