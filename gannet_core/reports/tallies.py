"""Tallies: whole numbers of some records, which add up exactly, and the figures they give."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from gannet_core import measures

COUNT, SHARE = "count", "share"
Key = str | int | float | bool | None


@dataclass(slots=True)
class Tally:
    """Whole numbers of some records: how many, their sum, least and greatest, perhaps all."""

    n: int = 0
    total: int = 0
    least: int | None = None
    most: int | None = None
    values: list[int] = field(default_factory=list)

    def add(self, other: "Tally") -> None:
        """Count another's records too."""
        self.n += other.n
        self.total += other.total
        self.least = _kept(min, self.least, other.least)
        self.most = _kept(max, self.most, other.most)
        self.values += other.values

    @classmethod
    def of(cls, values: Iterable[int]) -> "Tally":
        """A tally of values, which it keeps."""
        kept = list(values)
        return cls(len(kept), sum(kept), min(kept, default=None), max(kept, default=None), kept)

    def figure(self, way: str) -> float | None:
        """The figure: zero for counts and sums of nothing, None for averages of nothing."""
        if way == COUNT:
            return self.n
        if way == "sum":
            return self.total
        if self.n == 0:
            return None
        match way:
            case "share":
                return measures.share(self.total, self.n)
            case "mean":
                return self.total / self.n
            case "min":
                return self.least
            case "max":
                return self.most
            case _:
                return measures.percentile(sorted(self.values), 50 if way == "median" else 90)


def _kept(which: Callable[[int, int], int], one: int | None, other: int | None) -> int | None:
    if one is None or other is None:
        return one if other is None else other
    return which(one, other)


Tallies = dict[str, Tally]
Group = tuple[tuple[Key, ...], Key]
