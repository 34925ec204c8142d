"""The section of the rulebook's schema that major incidents are planned by."""

from gannet.rulebook.schema_parts import CONDITION, FLAG, KEY, SHORT, TEXT, Schema, list_of, thing

_NAME: Schema = {"type": "string", "minLength": 1, "maxLength": 40}

SECTIONS: dict[str, Schema] = {
    "major_plans": list_of(
        thing(
            ["key", "name"],
            key=KEY,
            name=SHORT,
            is_on=FLAG,
            is_closed=FLAG,
            team=TEXT,
            conference=TEXT,
            report=TEXT,
            roles=list_of(_NAME),
            told=list_of(SHORT),
            folders=list_of(SHORT),
            tasks=list_of(KEY),
            checklist=list_of(SHORT),
            channels=list_of(
                thing(
                    ["name"],
                    name=_NAME,
                    is_closed=FLAG,
                    in_chat=FLAG,
                    teams=list_of(SHORT),
                    people=list_of(SHORT),
                )
            ),
            audiences=list_of(
                thing(
                    ["name", "minutes"],
                    name=_NAME,
                    minutes={"type": "integer", "minimum": 5, "maximum": 1440},
                    words=TEXT,
                    to=list_of(SHORT),
                    on_portal=FLAG,
                    on_status_page=FLAG,
                )
            ),
            suggested=thing(
                [],
                count={"type": "integer", "minimum": 2, "maximum": 500},
                minutes={"type": "integer", "minimum": 1, "maximum": 1440},
            ),
            **{"if": {"anyOf": [CONDITION, {"type": "null"}]}},
        )
    ),
}
