"""Checks on the plans for major incidents: who is told, in which words, and how often."""

from collections.abc import Iterator, Mapping
from datetime import date
from typing import Any

from gannet_core import conditions
from gannet_core.errors import GannetError
from gannet_core.findings import WARNING, Finding, World, say
from gannet_core.majors import (
    EVERYONE_AFFECTED,
    EVERYONE_REPORTED,
    OF_REPORTS,
    PLACEHOLDERS,
    RESPONDERS,
)
from gannet_core.rulebook import Document
from gannet_core.tasks import reads

_SECTION = "major_plans"
_TOLD = frozenset(
    {"holder", "requester", "team", "team lead", "service owner", "requester's manager",
     "administrators", "followers"}
)  # fmt: skip
_HEARERS = (EVERYONE_AFFECTED, EVERYONE_REPORTED, RESPONDERS)


def major_plans(document: Document, world: World, today: date) -> Iterator[Finding]:
    """Each plan names teams and people there are, and says what stands for something."""
    listed = document.get(_SECTION) or ()
    for one in listed:
        yield from _condition(one, world)
        yield from _whom(one, world)
        yield from _words(one)
        yield from _report(one)
        names = [str(each["name"]).casefold() for each in one.get("channels") or ()]
        for name in sorted({name for name in names if names.count(name) > 1}):
            yield say(
                _SECTION, one, f"Two channels are called “{name}”.",
                "Nobody would know which is meant.", "Give one another name.",
            )  # fmt: skip
        if one.get("is_closed") and not one.get("team"):
            yield say(
                _SECTION, one, "It is a closed circle and names no team.",
                "The team of the incident would see it, whichever that is.",
                "Choose the team that may know.", WARNING,
            )  # fmt: skip
    is_used = [one for one in listed if one.get("is_on", True)]
    if is_used and all(one.get("if") for one in is_used):
        yield say(
            _SECTION, is_used[-1], "Every plan has a condition.",
            "What fits none is declared by the last one.",
            "Let one have none: it is for everything else.", WARNING,
        )  # fmt: skip


def _condition(one: Mapping[str, Any], world: World) -> Iterator[Finding]:
    if not one.get("if"):
        return
    try:
        conditions.check(one["if"], world.fields)
    except GannetError as error:
        yield say(_SECTION, one, str(error), "The plan would fit nothing.", "Correct that place.")


def _whom(one: Mapping[str, Any], world: World) -> Iterator[Finding]:
    teams = [one["team"]] if one.get("team") else []
    people: list[str] = []
    for channel in one.get("channels") or ():
        teams += channel.get("teams") or ()
        people += channel.get("people") or ()
    for audience in one.get("audiences") or ():
        # An address may be outside; what is no address is a team, or one of ours.
        teams += [to for to in audience.get("to") or () if "@" not in to and to not in _HEARERS]
    teams += [who for who in one.get("told") or () if "@" not in who and who not in _TOLD]
    people += [who for who in one.get("told") or () if "@" in who]
    for name in dict.fromkeys(teams):
        if name not in world.teams:
            yield say(
                _SECTION, one, f"There is no team “{name}”.",
                "Nobody would be there.", "Choose another.",
            )  # fmt: skip
    for email in dict.fromkeys(people):
        if email not in world.people:
            yield say(
                _SECTION, one, f"Nobody here has the address {email}.",
                "Nobody would be there.", "Choose a person.",
            )  # fmt: skip


def _report(one: Mapping[str, Any]) -> Iterator[Finding]:
    for name in reads(str(one.get("report") or "")):
        if name not in OF_REPORTS:
            yield say(
                _SECTION, one, f"“{{{name}}}” stands for nothing in a situation report.",
                "It would be sent with the braces.", f"Choose {', '.join(OF_REPORTS)}.",
            )  # fmt: skip


def _words(one: Mapping[str, Any]) -> Iterator[Finding]:
    for audience in one.get("audiences") or ():
        words = str(audience.get("words") or "")
        for name in reads(words):
            if name not in PLACEHOLDERS:
                yield say(
                    _SECTION, one, f"“{{{name}}}” stands for nothing in an update.",
                    f"{audience['name']} would read the braces.",
                    f"Choose {', '.join(PLACEHOLDERS)}.",
                )  # fmt: skip
        if not audience.get("to") and not audience.get("on_status_page"):
            yield say(
                _SECTION, one, f"Updates to {audience['name']} go to nobody.",
                "They would be due and be read by nobody.", "Say to whom they go.",
            )  # fmt: skip
