"""The published JSON Schema of a rulebook, and reading one from YAML or JSON.

The schema holds the shape; what names mean (is there such a calendar?) is for the checks.
"""

import json
import re
from collections.abc import Mapping
from typing import Any

import yaml
from jsonschema import Draft202012Validator

from gannet.rulebook import schema_changes, schema_majors
from gannet.rulebook.refusals import place_in, says_of, within_entry
from gannet.rulebook.schema_parts import ACTIONS as _ACTIONS
from gannet.rulebook.schema_parts import CLOCK_TIME as _CLOCK_TIME
from gannet.rulebook.schema_parts import CONDITION as _CONDITION
from gannet.rulebook.schema_parts import DATE as _DATE
from gannet.rulebook.schema_parts import FLAG as _FLAG
from gannet.rulebook.schema_parts import KEY as _KEY
from gannet.rulebook.schema_parts import SECONDS as _SECONDS
from gannet.rulebook.schema_parts import SHORT as _SHORT
from gannet.rulebook.schema_parts import SPANS as _SPANS
from gannet.rulebook.schema_parts import TEXT as _TEXT
from gannet.rulebook.schema_parts import WHOLE as _WHOLE
from gannet.rulebook.schema_parts import Schema
from gannet.rulebook.schema_parts import list_of as _list
from gannet.rulebook.schema_parts import thing as _thing
from gannet.web.errors import Problem
from gannet.web.given import checked
from gannet_core import article_rules, computed, item_types, rulebook
from gannet_core.approvals import BY_LINK, WHEN_PASSED, WHO
from gannet_core.errors import CalendarError, DocumentError
from gannet_core.escalation import MOMENTS
from gannet_core.forms import EFFECTS, FIELD_TYPES, STAGES
from gannet_core.routing import MODES
from gannet_core.rules import ACTIONS
from gannet_core.servicetime import ServiceCalendar

MAX_BYTES = 4 * 1024 * 1024
MAX_DEPTH = 40

_OFFERED: Schema = {
    "key": _KEY,
    "name": _SHORT,
    "plain": _TEXT,
    "icon": _TEXT,
    "words": _TEXT,
    "group": _SHORT,
    "is_on": _FLAG,
    "who": {"anyOf": [_CONDITION, {"type": "null"}]},
    "form": _TEXT,
    "route": _TEXT,
}
_AUDIENCE = _thing([], shown=_FLAG, required=_FLAG, read_only=_FLAG)
_SECTIONS: dict[str, Schema] = {
    "states": _list(_thing(["key", "label", "stage"], key=_KEY, label=_SHORT, stage=_SHORT)),
    "waits": _list(
        _thing(
            ["key", "label", "on"],
            key=_KEY,
            label=_SHORT,
            on=_SHORT,
            who=_list(_SHORT),
            is_on=_FLAG,
        )
    ),
    "calendars": _list(
        _thing(
            ["key", "name", "zone", "weeks"],
            key=_KEY,
            name=_SHORT,
            zone=_SHORT,
            valid_from=_DATE,
            valid_to=_DATE,
            weeks=_list({"$ref": "#/$defs/week"}),
            exceptions={"type": ["array", "null"], "items": {"$ref": "#/$defs/exception"}},
        )
    ),
    "matrix": _thing(
        ["impact", "urgency", "cells"],
        impact=_list(_SHORT),
        urgency=_list(_SHORT),
        cells=_list(_list({"type": ["integer", "null"], "minimum": 1, "maximum": 9})),
    ),
    "questions": _list(
        _thing(
            ["key", "asks", "kind", "choices"],
            key=_KEY,
            asks=_SHORT,
            kind={"enum": ["choice", "place"]},
            sets={"enum": ["impact", "urgency", None]},
            choices=_list(
                _thing(["key", "label"], key=_KEY, label=_SHORT, level={"type": "integer"})
            ),
        )
    ),
    "categories": _list(_thing(["key"], key=_KEY, team=_SHORT, skills=_list(_SHORT))),
    "care_tiers": _list(
        _thing(
            ["key", "name", "share"],
            key=_KEY,
            name=_SHORT,
            share={"type": "string", "pattern": r"^\d*\.?\d+$"},
        )
    ),
    "suppliers": _list(_thing(["key", "name"], key=_KEY, name=_SHORT)),
    "item_groups": _list(
        _thing(
            ["key", "name"],
            key=_KEY,
            name=_SHORT,
            items=_list(_KEY),
            **{"if": {"anyOf": [_CONDITION, {"type": "null"}]}},
        )
    ),
    "item_types": _list(
        _thing(
            ["key", "layer"],
            key=_KEY,
            layer={"enum": list(item_types.LAYERS)},
            attributes=_list(
                _thing(
                    ["key", "label", "type"],
                    key=_KEY,
                    label=_SHORT,
                    type={"enum": list(item_types.TYPES)},
                    unit=_TEXT,
                    choices=_list(_SHORT),
                )
            ),
        )
    ),
    "clocks": _list(
        _thing(
            ["key", "label", "of", "starts", "stops"],
            key=_KEY,
            label=_SHORT,
            of={"enum": ["customer", "team", "supplier"]},
            starts=_list(_SHORT),
            stops=_list(_SHORT),
            restarts=_list(_SHORT),
        )
    ),
    "agreements": _list(
        _thing(
            ["key", "name", "kind", "scope", "calendar", "targets"],
            key=_KEY,
            name=_SHORT,
            description=_TEXT,
            owner=_TEXT,
            kind={"enum": ["customer", "team", "supplier"]},
            status={"enum": ["draft", "active", "retired"]},
            starts=_DATE,
            ends=_DATE,
            scope=_CONDITION,
            calendar=_KEY,
            targets={
                "type": "object",
                "propertyNames": {"pattern": "^[1-9]$"},
                "additionalProperties": {
                    "type": "object",
                    "properties": {"calendar": {"type": ["string", "null"]}},
                    "additionalProperties": _SECONDS,
                },
            },
            pauses_on=_list(_SHORT),
            answer_pauses_on=_list(_SHORT),
            steps=_list({"$ref": "#/$defs/step"}),
        )
    ),
    "rules": _list(
        _thing(
            ["key", "name", "when", "if", "then"],
            key=_KEY,
            name=_SHORT,
            description=_TEXT,
            when=_list(_SHORT),
            then=_ACTIONS,
            stop=_FLAG,
            is_on=_FLAG,
            **{"if": _CONDITION},
        )
    ),
    "article_rules": _list(
        _thing(
            ["key", "name", "when", "if", "then"],
            key=_KEY,
            name=_SHORT,
            description=_TEXT,
            when=_list({"enum": list(article_rules.MOMENTS)}),
            then=_list(
                _thing(
                    ["do"],
                    do={"enum": list(article_rules.ACTIONS)},
                    who=_list(_SHORT),
                    text=_TEXT,
                    hook=_KEY,
                    days={"type": "integer", "minimum": 1, "maximum": article_rules.MOST_DAYS},
                )
            ),
            stop=_FLAG,
            is_on=_FLAG,
            **{"if": _CONDITION},
        )
    ),
    "tasks": _list(
        _thing(
            ["key", "name", "tasks"],
            key=_KEY,
            name=_SHORT,
            tasks=_list(
                _thing(
                    ["title"],
                    title=_SHORT,
                    team=_TEXT,
                    phase=_TEXT,
                    estimate_minutes=_WHOLE,
                    cost_pence=_WHOLE,
                    after=_list(_SHORT),
                    runbook=_TEXT,
                    mode={"enum": list(MODES)},
                    inputs={"type": "object", "additionalProperties": _TEXT},
                    outputs=_list(_SHORT),
                    **{"if": {"anyOf": [_CONDITION, {"type": "null"}]}},
                )
            ),
        )
    ),
    "routing": _thing(
        ["teams", "chains"],
        weights={"type": "object", "additionalProperties": {"type": "number", "minimum": 0}},
        teams=_list(
            _thing(
                ["team", "mode"],
                team=_SHORT,
                mode={"enum": list(MODES)},
                exempt={"anyOf": [_CONDITION, {"type": "null"}]},
                members=_list(
                    _thing(
                        ["person"],
                        person=_SHORT,
                        skills=_list(_SHORT),
                        cap={"type": ["integer", "null"], "minimum": 0},
                    )
                ),
            )
        ),
        chains=_list(_thing(["service", "teams"], service=_SHORT, teams=_list(_SHORT))),
    ),
    "fields": _list(
        _thing(
            ["key", "label", "type"],
            key={"type": "string", "pattern": "^[a-z][a-z0-9_]{0,39}$"},
            label=_SHORT,
            type={"enum": list(FIELD_TYPES)},
            choices=_list(_SHORT),
            hint=_TEXT,
            default={"type": ["string", "number", "boolean", "array", "null"]},
            minimum={"type": ["number", "null"]},
            maximum={"type": ["number", "null"]},
            least_length={"type": ["integer", "null"], "minimum": 0},
            most_length={"type": ["integer", "null"], "minimum": 1},
            pattern={"type": "string", "maxLength": 60},
            first_day={"type": "string", "maxLength": 20},
            last_day={"type": "string", "maxLength": 20},
        )
    ),
    "computed": _list(
        _thing(
            ["key", "label", "expression"],
            key={"type": "string", "pattern": "^[a-z][a-z0-9_]{0,39}$"},
            label=_SHORT,
            expression={"type": "string", "maxLength": computed.MAX_LENGTH},
            calendar=_TEXT,
            hint=_TEXT,
        )
    ),
    "forms": _list(
        _thing(
            ["key", "name", "fields"],
            key=_KEY,
            name=_SHORT,
            kind=_SHORT,
            categories=_list(_SHORT),
            fields=_list(
                _thing(
                    ["field"],
                    field=_KEY,
                    requester=_AUDIENCE,
                    agent=_AUDIENCE,
                    default={},
                    required_at=_list({"enum": list(STAGES)}),
                )
            ),
            effects=_list(
                _thing(
                    ["if", "then"],
                    then=_list(
                        _thing(
                            ["do", "field"],
                            do={"enum": list(EFFECTS)},
                            field=_KEY,
                            value={},
                            choices=_list(_SHORT),
                        )
                    ),
                    **{"if": _CONDITION},
                )
            ),
        )
    ),
    "items": _list(
        _thing(
            ["key", "name", "plain", "group"],
            **_OFFERED,
            service=_TEXT,
            category=_TEXT,
            team=_TEXT,
            once_pence=_WHOLE,
            monthly_pence=_WHOLE,
            delivery=_TEXT,
            tasks=_list(_KEY),
            is_alone={"type": "boolean"},
        )
    ),
    "bundles": _list(
        _thing(
            ["key", "name", "plain", "group", "parts"],
            **_OFFERED,
            team=_TEXT,
            delivery=_TEXT,
            named_by=_TEXT,
            parts=_list(
                _thing(
                    ["item"],
                    item=_KEY,
                    is_required=_FLAG,
                    fill={"type": "object", "additionalProperties": _KEY},
                    **{"if": {"anyOf": [_CONDITION, {"type": "null"}]}},
                )
            ),
        )
    ),
    "groups": _list(_thing(["key"], key=_KEY)),
    "routes": _list(
        _thing(
            ["key", "name", "stages"],
            key=_KEY,
            name=_SHORT,
            owner=_TEXT,
            stages=_list(
                _thing(
                    ["key", "approvers"],
                    key=_KEY,
                    name=_SHORT,
                    approvers=_list(_thing(["who"], who={"enum": list(WHO)}, of=_TEXT)),
                    quorum={
                        "anyOf": [
                            {"enum": ["any", "all"]},
                            _thing(["of"], of={"type": "integer", "minimum": 1}),
                        ]
                    },
                    fallback=_TEXT,
                    shows=_list(_KEY),
                    remind_seconds=_SECONDS,
                    decide_seconds=_SECONDS,
                    when_passed={"enum": list(WHEN_PASSED)},
                    by_link={
                        "anyOf": [
                            {"enum": list(BY_LINK)},
                            _thing(["up_to_pence"], up_to_pence=_WHOLE),
                        ]
                    },
                    **{"if": {"anyOf": [_CONDITION, {"type": "null"}]}},
                )
            ),
        )
    ),
    "templates": _list(
        _thing(
            ["key", "name"],
            key=_KEY,
            name=_SHORT,
            kind=_SHORT,
            category=_TEXT,
            form=_TEXT,
            prefill={"type": "object"},
            hide=_list(_KEY),
            require=_list(_KEY),
            tasks=_list(_KEY),
            follow_ups=_list(
                _thing(["as", "text"], text=_TEXT, **{"as": {"enum": ["note", "reply"]}})
            ),
        )
    ),
    "starters": _list(
        _thing(
            ["key", "name", "values"],
            key=_KEY,
            name=_SHORT,
            template=_TEXT,
            values={"type": "object"},
            **{"for": _SHORT},
        )
    ),
    "closing": _thing(
        ["calendar", "after_seconds"],
        calendar=_KEY,
        after_seconds=_SECONDS,
        when_tasks_done=_FLAG,
        least_words={"type": "integer", "minimum": 1, "maximum": 50},
        conditions=_list(
            _thing(
                ["stage", "if", "says"],
                stage={"enum": ["resolving", "closing"]},
                says=_SHORT,
                **{"if": _CONDITION},
            )
        ),
    ),
    "problems": _thing(
        [],
        question=_TEXT,
        people=_list(_thing(["answer", "people"], answer=_KEY, people=_WHOLE)),
        shares=_list(
            _thing(
                ["urgency", "share"],
                urgency={"type": "integer", "minimum": 1, "maximum": 9},
                share={"type": "string", "pattern": r"^(0(\.\d{1,4})?|1(\.0{1,4})?)$"},
            )
        ),
        lost_hour_pence=_WHOLE,
        desk_hour_pence=_WHOLE,
        back_days={"type": "integer", "minimum": 1, "maximum": 366},
        branches=_list(_SHORT),
        words=_TEXT,
    ),
    "reports": _thing(
        [],
        first_month={"type": "integer", "minimum": 1, "maximum": 12},
        people=_list({"enum": ["agent", "team lead", "manager", "administrator"]}),
    ),
    **schema_changes.SECTIONS,
    **schema_majors.SECTIONS,
    "messages": _list(
        _thing(["key", "subject", "body"], key=_KEY, name=_SHORT, subject=_SHORT, body=_TEXT)
    ),
    "notifications": _list(
        _thing(
            ["key", "event", "to", "message"],
            key=_KEY,
            event=_SHORT,
            to=_SHORT,
            message=_KEY,
            is_on=_FLAG,
        )
    ),
    "quiet": {
        "type": "object",
        "properties": {
            "from": _CLOCK_TIME,
            "to": _CLOCK_TIME,
            "audiences": _list(_SHORT),
            "except": _list(_SHORT),
            "digest_at": _CLOCK_TIME,
        },
        "additionalProperties": False,
    },
    "hooks": _list(
        _thing(
            ["key", "name", "url"], key=_KEY, name=_SHORT, url={"type": "string", "maxLength": 400}
        )
    ),
}

_HOURS: Schema = {
    "type": "object",
    "properties": dict.fromkeys(("mon", "tue", "wed", "thu", "fri", "sat", "sun"), _SPANS),
    "additionalProperties": False,
}
SCHEMA: Schema = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    "title": "A rulebook of Gannet",
    "description": "Every policy of a service desk: one edition, exported or to be imported.",
    "type": "object",
    "required": ["calendars", "matrix", "agreements", "closing", "messages", "routing"],
    "properties": {
        name: {"description": rulebook.BY_NAME[name].label, **schema}
        for name, schema in _SECTIONS.items()
    },
    "additionalProperties": False,
    "$defs": {
        "condition": {
            "type": "object",
            "oneOf": [
                {"required": ["all"]},
                {"required": ["any"]},
                {"required": ["not"]},
                {"required": ["field", "op"]},
            ],
            "properties": {
                "all": _list({"$ref": "#/$defs/condition"}),
                "any": _list({"$ref": "#/$defs/condition"}),
                "not": {"$ref": "#/$defs/condition"},
                "field": _SHORT,
                "op": _SHORT,
                "value": {},
            },
            "additionalProperties": False,
        },
        "action": {
            "type": "object",
            "required": ["do"],
            "properties": {"do": {"enum": list(ACTIONS)}},
        },
        "step": _thing(
            ["key", "clock", "moment", "then"],
            key=_KEY,
            name=_SHORT,
            clock=_SHORT,
            moment={
                "type": "object",
                "properties": {name: {"type": "number", "minimum": 0} for name in MOMENTS},
                "minProperties": 1,
                "maxProperties": 1,
                "additionalProperties": False,
            },
            then=_ACTIONS,
            **{"if": {"anyOf": [_CONDITION, {"type": "null"}]}},
        ),
        "week": _thing(["from", "hours"], hours=_HOURS, **{"from": {"type": "string"}}),
        "exception": _thing(["date", "hours"], date=_DATE, hours=_SPANS, name=_TEXT),
    },
}
_VALIDATOR = Draft202012Validator(SCHEMA)


def validate(document: object) -> dict[str, Any]:
    """The document, whole and in canonical order; `DocumentError` names the first bad place."""
    if not isinstance(document, Mapping):
        raise DocumentError("", "a rulebook is an object with its sections")
    for name in document:
        if name not in rulebook.BY_NAME:
            raise DocumentError(str(name), "there is no such section in a rulebook")
    _limit_depth(document)
    errors = sorted(_VALIDATOR.iter_errors(document), key=lambda error: len(error.absolute_path))
    if errors:
        deepest = max(errors[:1], key=lambda error: len(error.absolute_path))
        path = list(deepest.absolute_path)
        raise DocumentError(place_in(document, path), says_of(deepest), within_entry(path))
    whole = {**rulebook.empty(), **document}
    for section in rulebook.SECTIONS:
        if section.is_list:
            _unique(section.name, whole[section.name])
    for index, entry in enumerate(whole["calendars"]):
        try:
            ServiceCalendar.from_json(entry)
        except CalendarError as error:
            raise DocumentError(f"calendars[{index}] {entry['key']}", str(error)) from error
    return rulebook.canonical(whole)


def _limit_depth(value: object, depth: int = 0) -> None:
    """No rulebook is nested so deeply; a hostile one would exhaust the stack of the checks."""
    if depth > MAX_DEPTH:
        raise DocumentError("", f"it is nested more than {MAX_DEPTH} levels deep")
    for part in (
        value.values() if isinstance(value, Mapping) else value if isinstance(value, list) else ()
    ):
        _limit_depth(part, depth + 1)


def parse(text: str) -> dict[str, Any]:
    """A rulebook from YAML or JSON text; `DocumentError` names the line or the place."""
    if len(text.encode()) > MAX_BYTES:
        raise DocumentError("", "this file is larger than any rulebook")
    try:
        # JSON is YAML, except for tabs, which some editors put in.
        found = json.loads(text) if text.lstrip().startswith("{") else plain_yaml(text)
    except json.JSONDecodeError as error:
        raise DocumentError(f"line {error.lineno}", error.msg) from error
    except RecursionError as error:
        raise DocumentError("", "it is nested too deeply for a rulebook") from error
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        place = f"line {mark.line + 1}" if mark else ""
        raise DocumentError(place, str(getattr(error, "problem", error))) from error
    try:
        return validate(checked(found))
    except Problem as error:
        raise DocumentError("", error.detail) from error


def to_yaml(document: Mapping[str, Any]) -> str:
    """The document as YAML, the same bytes for the same content."""
    return yaml.dump(
        rulebook.canonical(document),
        Dumper=_Dumper,
        sort_keys=False,
        allow_unicode=True,
        width=100,
    )


def to_json(document: Mapping[str, Any]) -> str:
    """The document as JSON, the same bytes for the same content."""
    return json.dumps(rulebook.canonical(document), ensure_ascii=False, indent=2) + "\n"


class _Dumper(yaml.SafeDumper):
    """Block style, nothing shared by reference, texts of several lines as blocks."""

    def ignore_aliases(self, data: Any) -> bool:
        return True


def _text(dumper: yaml.SafeDumper, value: str) -> yaml.ScalarNode:
    style = "|" if "\n" in value else None
    return dumper.represent_scalar("tag:yaml.org,2002:str", value, style=style)


_Dumper.add_representer(str, _text)


class _Loader(yaml.SafeLoader):
    """Text stays text: no dates, 22:30 is no number, "no" and "on" are words; no aliases."""

    def compose_node(self, parent: Any, index: Any) -> Any:
        if self.check_event(yaml.AliasEvent):
            event = self.peek_event()  # type: ignore[no-untyped-call]
            raise yaml.composer.ComposerError(
                None, None, "a rulebook repeats nothing by reference", event.start_mark
            )
        return super().compose_node(parent, index)


_Loader.yaml_implicit_resolvers = {}
for _tag, _pattern, _first in (
    ("null", r"^(null|~|)$", ["n", "~", ""]),
    ("bool", r"^(true|false)$", list("tf")),
    ("int", r"^-?(0|[1-9][0-9]*)$", list("-0123456789")),
    ("float", r"^-?(0|[1-9][0-9]*)\.[0-9]+$", list("-0123456789")),
):
    _Loader.add_implicit_resolver(f"tag:yaml.org,2002:{_tag}", re.compile(_pattern), _first)


def plain_yaml(text: str) -> Any:
    """YAML whose texts stay texts, and that repeats nothing by reference."""
    return yaml.load(text, Loader=_Loader)  # noqa: S506 - derived from the safe loader


def _unique(section: str, entries: list[dict[str, Any]]) -> None:
    seen = set()
    for entry in entries:
        if entry["key"] in seen:
            raise DocumentError(f"{section} {entry['key']}", "this key is there twice")
        seen.add(entry["key"])
