"""What the JSON Schema of a rulebook is put together from."""

from typing import Any

Schema = dict[str, Any]

TEXT: Schema = {"type": "string", "maxLength": 4000}
SHORT: Schema = {"type": "string", "minLength": 1, "maxLength": 160}
KEY: Schema = {"type": "string", "minLength": 1, "maxLength": 80}
FLAG: Schema = {"type": "boolean"}
WHOLE: Schema = {"type": "integer", "minimum": 0}
SECONDS: Schema = {"type": "integer", "minimum": 1, "maximum": 10**9}
DATE: Schema = {"type": ["string", "null"], "pattern": r"^\d{4}-\d{2}-\d{2}$"}
CLOCK_TIME: Schema = {"type": "string", "pattern": r"^([01]\d|2[0-3]):[0-5]\d$"}
CONDITION: Schema = {"$ref": "#/$defs/condition"}
ACTIONS: Schema = {"type": "array", "items": {"$ref": "#/$defs/action"}}
SPANS: Schema = {
    "type": "array",
    "items": {"type": "array", "items": {"type": "string"}, "minItems": 2, "maxItems": 2},
}


def list_of(item: Schema) -> Schema:
    return {"type": "array", "items": item}


def thing(required: list[str], /, **properties: Schema) -> Schema:
    return {
        "type": "object",
        "required": required,
        "properties": properties,
        "additionalProperties": False,
    }
