"""The base of every shape of the API."""

from typing import TYPE_CHECKING, Any

from django.utils import timezone
from rest_framework import serializers
from rest_framework.request import Request

from gannet_core.instants import seconds_of

# A field of a shape may be called what a serializer has too ("label", "errors"), which a
# checker of types cannot know to be harmless.
_Base: Any = Any if TYPE_CHECKING else serializers.Serializer


class Shape(_Base):  # type: ignore[misc]
    """A serializer that refuses what it does not know, naming it."""

    def to_internal_value(self, data: Any) -> Any:
        if isinstance(data, dict):
            unknown = sorted(set(data) - set(self.fields))
            if unknown:
                raise serializers.ValidationError(
                    {name: ["There is no such field here."] for name in unknown}
                )
        return super().to_internal_value(data)


class NamedShape(Shape):
    """Something by its key and its name."""

    id = serializers.IntegerField()
    name = serializers.CharField()


def given(shape: type[Shape], request: Request) -> Any:
    """What a request says, as its shape reads it; what does not fit is refused at its field."""
    read = shape(data=request.data)
    read.is_valid(raise_exception=True)
    return read.validated_data


def now_s() -> int:
    """The moment of a request, in seconds."""
    return seconds_of(timezone.now())
