"""Where a record's time went: stretches in the same hands, waiting on the same or on nothing.

Reports sum them up (computation, §16: time waiting by reason, time held, hand-overs). They tile
the time in which the record was open, so their lengths add up to it.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from gannet_core.lifecycle import Act, Happening, waiting_after
from gannet_core.lifecycles import Lifecycle

# How a stretch begins: by an act that changed hands or the wait, or by opening again.
_PASSES_ON = frozenset({Act.LOGGED, Act.TAKEN, Act.HANDED_OVER})


@dataclass(frozen=True, slots=True)
class Stretch:
    """A part of a record's life in which nothing changed of who held it and what it waited on.

    `start` and `end` are epoch seconds, `end` None while it goes on; `team` is a key, `person`
    an id as text or None; `waiting` is empty while it is the desk's own move, `supplier` names
    whom it waits on then. `begun_by` and `ended_by` are the acts, `ended_by` empty while it
    goes on; `by` is who began it, an id as text. `next_team` and `next_person` are whose it was
    afterwards.
    """

    start: int
    team: str
    person: str | None
    waiting: str
    supplier: str
    begun_by: str
    by: str | None = None
    end: int | None = None
    ended_by: str = ""
    next_team: str = ""
    next_person: str | None = None

    @property
    def is_hand_over(self) -> bool:
        """Whether somebody else had it afterwards: another team, or one person after another.

        Finding the first person of the team that has it is none.
        """
        if self.ended_by not in (Act.HANDED_OVER, Act.TAKEN):
            return False
        if self.next_team != self.team:
            return True
        return self.person is not None and self.next_person != self.person


def stretches(history: Iterable[Happening], lifecycle: Lifecycle) -> list[Stretch]:
    """The stretches of a record, oldest first, from its whole history, oldest first.

    Acts that were not legal change nothing, as for the record's state. Stretches of no length
    are left out, unless it was handed on at their end.
    """
    found: list[Stretch] = []
    stage = lifecycle.first
    team, person, waiting, supplier = "", None, "", ""
    for event in history:
        facts, was_open = event.facts, stage.is_open
        is_first = event.act == Act.LOGGED
        if not is_first and not lifecycle.can(stage.name, event.act):
            continue
        stage = lifecycle.stage(lifecycle.stage_after([event.act], stage.name))
        if event.act in (Act.LOGGED, Act.HANDED_OVER):
            team = str(facts.get("team") or team)
        if event.act in _PASSES_ON:
            person = facts.get("person") or None
        waiting = waiting_after(waiting or None, event) or "" if stage.is_open else ""
        if event.act == Act.WAITING:
            supplier = str(facts.get("supplier") or "") if waiting == "supplier" else ""
        elif not waiting:
            supplier = ""
        if was_open and not is_first:
            _end(found, event, team, person, (team, person, waiting, supplier), stage.is_open)
        if stage.is_open and (not found or found[-1].end is not None):
            act = str(event.act)
            found.append(Stretch(event.at, team, person, waiting, supplier, act, event.actor))
    return [one for one in found if one.end != one.start or one.is_hand_over]


def _end(
    found: list[Stretch], event: Happening, team: str, person: str | None,
    now: tuple[str, str | None, str, str], is_open: bool,
) -> None:  # fmt: skip
    """End the stretch that goes on, if anything that makes it one has changed."""
    if not found or found[-1].end is not None:
        return
    last = found[-1]
    if is_open and now == (last.team, last.person, last.waiting, last.supplier):
        return
    found[-1] = replace(
        last, end=event.at, ended_by=str(event.act), next_team=team, next_person=person
    )


def hand_overs(found: Sequence[Stretch]) -> list[Stretch]:
    """Those at whose end somebody else had it."""
    return [one for one in found if one.is_hand_over]
