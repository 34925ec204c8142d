"""Checks on computed fields: that each can be read, and is called like no other field."""

from collections.abc import Iterator, Mapping
from datetime import date

from gannet_core import computed
from gannet_core.errors import ExpressionError
from gannet_core.findings import Finding, World, say
from gannet_core.rulebook import Document


def computed_fields(document: Document, world: World, today: date) -> Iterator[Finding]:
    """Each expression can be read, has the calendar that it needs, and a name of its own."""
    known = computed.readable(world.fields)
    own = {str(one["key"]) for section in ("fields", "questions") for one in document[section]}
    labels = [str(one["label"]) for one in document.get("computed") or ()]
    taken = {str(about.get("label", "")) for about in world.fields.values()}
    for one in document.get("computed") or ():
        name = {"key": one["key"], "name": one["label"]}
        if one["key"] in world.fields or one["key"] in own:
            yield say(
                "computed",
                name,
                f"There is another field with the key “{one['key']}”.",
                "A list that names it would mean either.",
                "Make it anew under another name.",
            )
        if labels.count(str(one["label"])) > 1 or one["label"] in taken:
            yield say(
                "computed",
                name,
                f"There are two fields called “{one['label']}”.",
                "Nobody could tell them apart in a list.",
                "Give it another name.",
            )
        yield from _of_expression(one, name, known)


def _of_expression(
    one: Mapping[str, object], name: Mapping[str, object], known: Mapping[str, Mapping[str, object]]
) -> Iterator[Finding]:
    try:
        node = computed.check(str(one["expression"]), known)
    except ExpressionError as error:
        yield say("computed", name, f"{error}.", "It would be empty everywhere.", "Correct it.")
        return
    if not computed.fields_in(node):
        yield say(
            "computed",
            name,
            "It reads no field.",
            "It would say the same of everything.",
            "Name a field in it, or remove it.",
        )
    if computed.asks_service_hours(node) and not one.get("calendar"):
        yield say(
            "computed",
            name,
            "It counts service hours, but of no calendar.",
            "They would be empty everywhere.",
            "Choose whose hours count.",
        )
