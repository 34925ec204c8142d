"""The one running number that everything with a number of its own shares."""

from typing import TypeVar

from django.db.models import Max, Model

_Numbered = TypeVar("_Numbered", bound=type[Model])
_numbered: list[type[Model]] = []


def is_numbered(model: _Numbered) -> _Numbered:
    """Let the rows of a model take their keys from the shared numbers; a class decorator."""
    _numbered.append(model)
    return model


def next_number() -> int:
    """The next free number; taken in a transaction that holds the write lock."""
    used = (model._default_manager.aggregate(last=Max("pk"))["last"] or 0 for model in _numbered)
    return max(used, default=0) + 1
