"""Why a text was found: the part of it in which the words that were sought stand."""

import re
from collections.abc import Iterable, Sequence

from gannet_core.conditions import words_of

# A piece of an excerpt: its text, and whether it is one of the words that were sought.
Piece = tuple[str, bool]
_TOKEN = re.compile(r"\w+", re.UNICODE)


def excerpt(texts: Iterable[str], wanted: str, length: int = 110) -> list[Piece]:
    """About `length` signs around the sought words, in the text that has most of them.

    A word is found where it begins so, whatever its case and accents, as search compares
    them. Empty when none of the words stands in any text. The pieces are the text as it was
    written, with its line breaks as blanks; a cut is told by an ellipsis.
    """
    sought = list(dict.fromkeys(words_of(wanted)))
    best: tuple[int, str, list[tuple[int, int]]] | None = None
    for text in texts:
        hits = _hits(text, sought)
        count = len({which for _, _, which in hits})
        if hits and (best is None or count > best[0]):
            best = (count, text, [(start, end) for start, end, _ in hits])
        if count == len(sought):
            break
    return _cut(best[1], best[2], length) if best and sought else []


def _hits(text: str, sought: Sequence[str]) -> list[tuple[int, int, str]]:
    found = []
    for token in _TOKEN.finditer(text):
        # One written word can be several compared ones; any of them may begin so.
        compared = words_of(token[0])
        which = next((piece for piece in sought if any(w.startswith(piece) for w in compared)), "")
        if which:
            found.append((token.start(), token.end(), which))
    return found


def _cut(text: str, hits: Sequence[tuple[int, int]], length: int) -> list[Piece]:
    first = hits[0][0]
    start = max(0, min(first - length // 3, len(text) - length))
    if start > 0:
        blank = text.find(" ", start, first)
        start = blank + 1 if blank >= 0 else start
    end = min(len(text), start + length)
    if end < len(text):
        blank = text.rfind(" ", max(start, hits[0][1]), end)
        end = blank if blank > 0 else end
    pieces: list[Piece] = [("… ", False)] if start > 0 else []
    at = start
    for begin, stop in hits:
        if stop > end:
            break
        if begin > at:
            pieces.append((_line(text[at:begin]), False))
        pieces.append((text[begin:stop], True))
        at = stop
    if at < end:
        pieces.append((_line(text[at:end]), False))
    if end < len(text):
        pieces.append((" …", False))
    return pieces


def _line(text: str) -> str:
    return re.sub(r"\s+", " ", text)


_HEADING = re.compile(r"^\s{0,3}#{1,6}\s.*$|^\s*\|?[\s:|-]*-{3,}[\s:|-]*$", re.MULTILINE)
_LINK = re.compile(r"!?\[([^\]]*)\]\([^)]*\)")
_MARKS = re.compile(r"[*`_>|]")


def start_of(body: str, length: int = 140) -> str:
    """How a text begins, in one line of at most so many letters: without its headings and marks.

    A text of headings alone begins with them.
    """
    some = body[: length * 20]
    said = _HEADING.sub(" ", some)
    plain = _plain(said) or _plain(some.replace("#", ""))
    if len(plain) <= length:
        return plain
    cut = plain[: length - 1]
    return cut.rsplit(" ", 1)[0].rstrip(" ,;:–") + "…"


def _plain(text: str) -> str:
    return " ".join(_MARKS.sub("", _LINK.sub(r"\1", text)).split())
