"""Numbers in addresses: those that the database can hold, and no others."""

from django.urls import register_converter


class NumberConverter:
    """A whole number of at most 18 ASCII digits; an address with another one is not found."""

    regex = "[0-9]{1,18}"

    def to_python(self, value: str) -> int:
        return int(value)

    def to_url(self, value: int) -> str:
        return str(value)


def register() -> None:
    register_converter(NumberConverter, "number")
