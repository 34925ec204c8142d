"""The one running number that everything with a number of its own shares."""

from collections.abc import Callable
from typing import Any, TypeVar

from django.db.models import Model, QuerySet

from gannet.web.kept import Givens, KeptQueries

_Numbered = TypeVar("_Numbered", bound=type[Model])
_numbered: list[type[Model]] = []


def is_numbered(model: _Numbered) -> _Numbered:
    """Let the rows of a model take their keys from the shared numbers; a class decorator."""
    _numbered.append(model)
    return model


def next_number() -> int:
    """The next free number; taken in a transaction that holds the write lock."""
    used = [number for model in _numbered for (number,) in _kept.rows(model, _last(model), {})]
    return max(used, default=0) + 1


_kept = KeptQueries()


def _last(model: type[Model]) -> Callable[[Givens], QuerySet[Any, Any]]:
    return lambda givens: model._default_manager.order_by("-pk").values_list("pk")[:1]
