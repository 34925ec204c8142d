"""Markdown as people write it, as HTML that can do nothing but look like something.

Everything here takes time that grows with the length of the text and no faster, whatever
the text is, and what is longer, deeper or in more lines than people write is left plain.
"""

import json
import re
from functools import lru_cache, partial
from typing import Any, Final

import cmarkgfm
import nh3
from cmarkgfm.cmark import Options
from django.utils.functional import Promise

MOST_CHARACTERS: Final = 60_000
MOST_LINES: Final = 3_000
_MOST_DEEP: Final = 24
_MOST_GROWTH: Final = 20  # a table of many columns and rows is larger than what was typed
_TAGS: Final = {
    "p", "br", "strong", "em", "del", "code", "pre", "blockquote", "ul", "ol", "li", "a", "hr",
    "h1", "h2", "h3", "h4", "table", "thead", "tbody", "tr", "th", "td",
}  # fmt: skip
_LOOKS_MARKED = re.compile(r"[*_`#>\[\]~|]|^[ \t]{0,12}(?:[-+]|\d{1,9}[.)])[ \t]|https?://", re.M)
_BARE_LINK = re.compile(r"(?<![\w(\[<\"'=/])https?://[^\s<>\"')\]]+")
_CLOSES_SENTENCE: Final = ".,;:!?"
_NESTING = re.compile(r"<(/?)(?:blockquote|ul|ol)\b")
# A line of dashes under text is where a signature begins, and no heading of what is above.
_UNDERLINE = re.compile(r"(?<=[^\n]\n)([ \t]{0,3})([-=]+[ \t]*)(?=\n|\Z)")
# Where an article names one of its pictures, and how wide it is shown.
PICTURE = re.compile(r"pictures/([a-z0-9][a-z0-9-]{0,60}\.(?:png|jpg|gif|webp))(#small|#half)?")
# What a remark in an article may begin with; its sort is said by its word and its look.
REMARKS: Final = ("Note", "Tip", "Careful")
_WITHIN = re.compile(r'(<a href="/(?!/)[^"]*"(?: title="[^"]*")?) target="_blank"')
_LOST_PICTURE = re.compile(r"<img(?![^>]*\ssrc=)[^>]*>")
TICK: Final = '<span class="tick"></span>'
_BOX = re.compile(r"<input[^>]*>")
_REMARK = re.compile(rf"<blockquote>\s*<p><strong>({'|'.join(REMARKS)})(:?)</strong>")
# Stands for "<" while the text is read as Markdown, so that HTML in it is shown as typed.
_LESS: Final = "\ue000"


class Html(Promise):
    """The HTML of a text, made when the answer is written out: never under the write lock.

    `pictures` is where the pictures of an article are; of other texts it is empty.
    """

    def __init__(self, text: str, pictures: str = "") -> None:
        self.text, self.pictures = text, pictures

    def __str__(self) -> str:
        return as_html(self.text, self.pictures)


class KeepsTexts(json.JSONEncoder):
    """Keeps an answer with the texts instead of their HTML; `restored` makes it whole."""

    def default(self, o: Any) -> Any:
        if not isinstance(o, Html):
            return super().default(o)
        return {"$html": o.text, "$pictures": o.pictures}


class RestoresTexts(json.JSONDecoder):
    """Reads what `KeepsTexts` has written."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, object_hook=_restored, **kwargs)


def _restored(found: dict[str, Any]) -> Any:
    if found.keys() != {"$html", "$pictures"}:
        return found
    return Html(found["$html"], found["$pictures"])


@lru_cache(maxsize=1_000)
def as_html(text: str, pictures: str = "") -> str:
    """The text as harmless HTML; empty when it has no marks and plain text says as much.

    Raw HTML in it is shown as it was typed. Pictures, scripts, styles and links that are
    not web or mail addresses are dropped; links open apart and name no referrer, those within
    the application do not open apart. With `pictures`, an address that ends in a slash, the
    text is an article: its own pictures, boxes to tick before steps, and remarks that begin
    with a word such as **Careful:** are shown too.
    """
    if len(text) > MOST_CHARACTERS or text.count("\n") > MOST_LINES:
        return ""
    if not _LOOKS_MARKED.search(text):
        return ""
    plain = _UNDERLINE.sub(r"\1\\\2", text.replace("\r\n", "\n"))
    linked = _BARE_LINK.sub(_link, plain.replace(_LESS, "").replace("<", _LESS))
    html = cmarkgfm.markdown_to_html_with_extensions(
        linked,
        Options.CMARK_OPT_HARDBREAKS,
        extensions=["table", "strikethrough", *(["tasklist"] if pictures else [])],
    )
    if len(html) > _MOST_GROWTH * len(text) + 2_000 or _depth(html) > _MOST_DEEP:
        return ""
    clean = nh3.clean(
        html,
        tags=_TAGS | ({"img", "input"} if pictures else set()),
        attributes={"a": {"href", "title"}, "img": {"src", "alt"}, "input": {"checked"}},
        attribute_filter=partial(_kept, pictures),
        url_schemes={"http", "https", "mailto", "tel"},
        link_rel="noopener noreferrer",
        set_tag_attribute_values={"a": {"target": "_blank"}},
    )
    clean = _WITHIN.sub(r"\1", clean)
    if pictures:
        clean = _LOST_PICTURE.sub("", clean)
        clean = _BOX.sub(TICK, clean)
        clean = _REMARK.sub(
            r'<blockquote class="remark" data-sort="\1"><p><strong>\1\2</strong>', clean
        )
    return clean.replace(_LESS, "&lt;")


def _kept(pictures: str, tag: str, name: str, value: str) -> str | None:
    """What an attribute is let be: a picture's address only where it is one of the text's own."""
    if tag == "img" and name == "src":
        found = PICTURE.fullmatch(value)
        return f"{pictures}{found[1]}{found[2] or ''}" if found else None
    return value or None  # no address: no link


def _link(found: re.Match[str]) -> str:
    address = found[0].rstrip(_CLOSES_SENTENCE)
    return f"<{address}>{found[0][len(address) :]}"


def _depth(html: str) -> int:
    """How deep quotes and lists stand in each other."""
    depth = deepest = 0
    for found in _NESTING.finditer(html):
        depth += -1 if found[1] else 1
        deepest = max(deepest, depth)
    return deepest
