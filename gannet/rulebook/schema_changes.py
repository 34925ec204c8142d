"""The sections of the rulebook's schema that changes are planned by."""

from gannet.rulebook.schema_parts import (
    CLOCK_TIME,
    FLAG,
    KEY,
    SHORT,
    TEXT,
    WHOLE,
    Schema,
    list_of,
    thing,
)
from gannet_core.changes import LIKE, NEEDS, PARTS, WITHIN
from gannet_core.risk import FACTORS, RATINGS
from gannet_core.schedule import DAYS
from gannet_core.windows import KINDS

_LOCAL: Schema = {"type": "string", "pattern": r"^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}$"}
_DAY: Schema = {"type": "string", "pattern": r"^\d{4}-\d{2}-\d{2}$"}
_PERCENT: Schema = {"type": "integer", "minimum": 0, "maximum": 100}
_POINTS: Schema = {"type": "integer", "minimum": 0, "maximum": 101}
_RATING: Schema = {"enum": list(RATINGS)}
# What has to be there: a part of the change, or a field of the rulebook's own by its key.
_NEED: Schema = {
    "anyOf": [
        {"enum": list(NEEDS)},
        {"type": "string", "pattern": "^field\\.[a-z][a-z0-9_]{0,39}$"},
    ]
}

SECTIONS: dict[str, Schema] = {
    "windows": list_of(
        thing(
            ["key", "name", "kind", "zone", "from", "to"],
            key=KEY,
            name=SHORT,
            kind={"enum": list(KINDS)},
            zone=SHORT,
            to=_LOCAL,
            rrule={"anyOf": [TEXT, {"type": "null"}]},
            services=list_of(SHORT),
            items=list_of(KEY),
            groups=list_of(SHORT),
            **{"from": _LOCAL, "except": list_of(_DAY)},
        )
    ),
    "changes": thing(
        [],
        risk=thing(
            [],
            weights=list_of(
                thing(
                    ["criticality", "percent"],
                    criticality={"type": "integer", "minimum": 1, "maximum": 4},
                    percent=_PERCENT,
                )
            ),
            factors=list_of(
                thing(["factor", "percent"], factor={"enum": list(FACTORS)}, percent=_PERCENT)
            ),
            thresholds=thing([], moderate=_POINTS, high=_POINTS, critical=_POINTS),
            many_items={"type": "integer", "minimum": 1, "maximum": 1000},
        ),
        types=list_of(
            thing(
                ["key", "name", "like"],
                key=KEY,
                name=SHORT,
                like={"enum": list(LIKE)},
                needs=list_of(_NEED),
                spares=list_of(_NEED),
                route=TEXT,
                cab=list_of(_RATING),
                stages=list_of(
                    thing(
                        ["key", "name", "within"],
                        key=KEY,
                        name=SHORT,
                        within={"enum": list(WITHIN)},
                        needs=list_of(_NEED),
                        spares=list_of(_NEED),
                    )
                ),
            )
        ),
        cab=thing(
            ["weekday", "time", "zone", "cutoff_minutes"],
            weekday={"enum": list(DAYS)},
            time=CLOCK_TIME,
            zone=SHORT,
            cutoff_minutes={"type": "integer", "minimum": 0, "maximum": 20_160},
            minutes={"type": "integer", "minimum": 5, "maximum": 600},
            board=TEXT,
        ),
        tell=thing(
            ["hours", "ratings"],
            hours={"type": "integer", "minimum": 0, "maximum": 720},
            ratings=list_of(_RATING),
        ),
        ends_problem=thing(
            ["outcomes"],
            outcomes=list_of({"enum": ["done", "with issues"]}),
            with_incidents=FLAG,
        ),
        lead_hours={"type": "integer", "minimum": 0, "maximum": 8760},
        review_days={"type": "integer", "minimum": 0, "maximum": 100},
        review_calendar=TEXT,
        incident_days={"type": "integer", "minimum": 1, "maximum": 60},
    ),
    "change_templates": list_of(
        thing(
            ["key", "name"],
            key=KEY,
            name=SHORT,
            is_preauthorised=FLAG,
            title=SHORT,
            why=TEXT,
            category=TEXT,
            service=TEXT,
            items=list_of(KEY),
            groups=list_of(TEXT),
            minutes=WHOLE,
            tried=TEXT,
            steps=list_of(
                thing(
                    ["part", "says"],
                    part={"enum": list(PARTS)},
                    says=SHORT,
                    who=TEXT,
                    minutes=WHOLE,
                    runbook=TEXT,
                    inputs={"type": "object", "additionalProperties": TEXT},
                    outputs=list_of(SHORT),
                    only_if=thing(["output", "is"], **{"output": SHORT, "is": SHORT}),
                )
            ),
            expects=list_of(thing(["attribute", "value"], attribute=KEY, value=TEXT)),
        )
    ),
}
