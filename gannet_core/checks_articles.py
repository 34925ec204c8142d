"""Checks on the rules for articles: that each can run, and tells and posts to what is there."""

from collections.abc import Iterator, Mapping
from datetime import date
from typing import Any

from gannet_core import conditions
from gannet_core.article_rules import FIELDS, WHO, check_rule
from gannet_core.errors import GannetError
from gannet_core.findings import Finding, World, say
from gannet_core.logic import is_impossible
from gannet_core.rulebook import Document

SECTION = "article_rules"


def article_rules(document: Document, world: World, today: date) -> Iterator[Finding]:
    """Each rule can run, can come true, and names what is there."""
    hooks = {str(one["key"]) for one in document["hooks"]}
    choices = {
        "category": {str(one["key"]) for one in document["categories"]},
        "service": set(world.services),
    }
    for one in document.get(SECTION) or ():
        try:
            check_rule(one)
        except GannetError as error:
            yield say(SECTION, one, f"{error}.", "The rule cannot run.", "Correct that place.")
            continue
        if is_impossible(one["if"], FIELDS):
            yield say(
                SECTION,
                one,
                "It can never run.",
                "Its parts contradict each other.",
                "Take one of the contradicting parts out.",
            )
        yield from _named(one, hooks, world)
        yield from _values(one, choices)


def _named(one: Mapping[str, Any], hooks: set[str], world: World) -> Iterator[Finding]:
    for action in one["then"]:
        if action["do"] == "webhook" and action["hook"] not in hooks:
            yield say(
                SECTION,
                one,
                f"It posts to “{action['hook']}”.",
                "There is no such webhook, or it is gone.",
                "Choose another one.",
            )
        for who in action.get("who") or ():
            if who not in WHO and who not in world.people and who not in world.teams:
                yield say(
                    SECTION,
                    one,
                    f"It tells “{who}”.",
                    "That is neither somebody of the article, nor a team, nor anybody’s address.",
                    "Choose somebody else.",
                )


def _values(one: Mapping[str, Any], choices: Mapping[str, set[str]]) -> Iterator[Finding]:
    for leaf in conditions.leaves(one["if"]):
        known = choices.get(leaf["field"])
        if known is None or leaf["op"] not in ("is", "is not", "is one of", "is none of"):
            continue
        said = leaf["value"] if isinstance(leaf["value"], list) else [leaf["value"]]
        for value in said:
            if str(value) not in known:
                yield say(
                    SECTION,
                    one,
                    f"It asks for the {leaf['field']} “{value}”.",
                    "There is none of that name: this part can never be so.",
                    "Choose one that is there.",
                )
