"""The base of every shape of the API."""

from typing import Any

from rest_framework import serializers


class Shape(serializers.Serializer[Any]):
    """A serializer that refuses what it does not know, naming it."""

    def to_internal_value(self, data: Any) -> Any:
        if isinstance(data, dict):
            unknown = sorted(set(data) - set(self.fields))
            if unknown:
                raise serializers.ValidationError(
                    {name: ["There is no such field here."] for name in unknown}
                )
        return super().to_internal_value(data)
