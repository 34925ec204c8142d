"""Taking people out of a text that others shall read: their names and addresses."""

import re
from collections.abc import Iterable
from dataclasses import dataclass

SOMEBODY, ADDRESS = "[somebody]", "[an address]"
_MAIL = re.compile(r"[\w.+-]{1,64}@[\w-]{1,63}(?:\.[\w-]{1,63})+")
# Two to four words in a row that begin with a capital letter may be a name.
_NAME = re.compile(r"\b[^\W\d_a-zß-öø-ÿ][\w'’-]*(?:\s+[^\W\d_a-zß-öø-ÿ][\w'’-]*){1,3}")


@dataclass(frozen=True, slots=True)
class WithoutPeople:
    """A text without people, and what was taken out of it, each once in its order."""

    text: str
    taken: tuple[str, ...]


def possible_names(text: str) -> list[str]:
    """What may be somebody's whole name in a text, for looking up: pairs of capitalised words."""
    found: dict[str, None] = {}
    for match in _NAME.finditer(text):
        words = match[0].split()
        for size in range(2, len(words) + 1):
            for start in range(len(words) - size + 1):
                found[" ".join(words[start : start + size])] = None
    return list(found)


def without_people(text: str, names: Iterable[str]) -> WithoutPeople:
    """The text with `[somebody]` for each whole name, and for each part of one.

    Parts – a first or last name by itself – are taken as they are written in a name, with their
    capital letter, and not inside of other words. Addresses of mail become `[an address]`.
    """
    whole = sorted({" ".join(name.split()) for name in names if name.strip()}, key=len)[::-1]
    parts = sorted({part for name in whole for part in name.split() if len(part) > 2}, key=len)
    taken: dict[str, None] = {}

    def somebody(match: re.Match[str]) -> str:
        taken[match[0].removesuffix("'s").removesuffix("’s")] = None
        return SOMEBODY

    def address(match: re.Match[str]) -> str:
        taken[match[0]] = None
        return ADDRESS

    found = _MAIL.sub(address, text)
    for name in [*whole, *parts[::-1]]:
        pattern = r"(?<![\w\[])" + r"\s+".join(map(re.escape, name.split())) + r"(?:['’]s)?(?!\w)"
        found = re.sub(pattern, somebody, found)
    # “[somebody] [somebody]” was one person of whom a part was known.
    found = re.sub(r"\[somebody\](?:\s+\[somebody\])+", SOMEBODY, found)
    return WithoutPeople(found, tuple(taken))
