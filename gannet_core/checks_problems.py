"""Checks on what the rulebook assumes of problems: their costs, and how workarounds are told."""

from collections.abc import Iterator
from datetime import date

from gannet_core.findings import Finding, World, say
from gannet_core.problems import PLACEHOLDERS
from gannet_core.rulebook import Document
from gannet_core.tasks import reads

_LABEL = {"key": "", "name": "Problems"}


def problems(document: Document, world: World, today: date) -> Iterator[Finding]:
    """Its question has the answers that people are counted by, its words stand for something."""
    said = document.get("problems") or {}
    strange = [name for name in reads(str(said.get("words") or "")) if name not in PLACEHOLDERS]
    if strange:
        yield say(
            "problems",
            _LABEL,
            f"“{{{strange[0]}}}” stands for nothing in the words of a workaround.",
            "Requesters would read the braces.",
            f"Choose {', '.join(PLACEHOLDERS)}.",
        )
    if not said.get("people"):
        return
    asked = {str(one["key"]): one for one in document["questions"]}
    question = asked.get(str(said.get("question") or "who"))
    if question is None:
        yield say(
            "problems",
            _LABEL,
            f"There is no question “{said.get('question') or 'who'}”.",
            "Nobody could be counted as stopped but the requester.",
            "Choose the question that says who is affected.",
        )
        return
    choices = {str(one["key"]) for one in question.get("choices") or ()}
    for row in said["people"]:
        if row["answer"] not in choices:
            yield say(
                "problems",
                _LABEL,
                f"“{row['answer']}” is no answer to “{question['asks']}”.",
                "It counts nobody.",
                "Choose one of its answers, or take the line away.",
            )
