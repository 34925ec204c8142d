"""HTML of a mail as plain text, read once from left to right.

A parser that repairs HTML as browsers do takes time that grows with the square of what
hostile markup nests and leaves open. Plain text needs no tree: tags are left out, blocks
end lines, and every search goes on from where the last one ended, so that the time grows
with the length and no faster.
"""

import re
from html import unescape
from typing import Final

_NAME = re.compile(r"(/?)([a-z][a-z0-9:-]{0,20})|[!?/]", re.IGNORECASE)
_ENDS_LINE: Final = frozenset({"br", "/p", "/div", "/li", "/tr", "/blockquote"}) | {
    f"/h{level}" for level in range(1, 7)
}
_NOT_TEXT: Final = frozenset({"script", "style", "head", "title"})
_ASCII_LOWER: Final = {upper: upper + 32 for upper in range(ord("A"), ord("Z") + 1)}


def html_texts(html: str) -> tuple[str, str]:
    """The text before the first quote, and what is quoted from there on."""
    low = html.translate(_ASCII_LOWER)  # of the same length, unlike `lower`
    own: list[str] = []
    quoted: list[str] = []
    into, at = own, 0
    while True:
        opens = html.find("<", at)
        if opens < 0:
            into.append(html[at:])
            break
        into.append(html[at:opens])
        if html.startswith("<!--", opens):
            at = html.find("-->", opens + 4)
            if at < 0:
                break
            at += 3
            continue
        name = _NAME.match(html, opens + 1)
        if name is None:
            into.append("<")
            at = opens + 1
            continue
        closes = html.find(">", name.end())
        if closes < 0:
            into.append(html[opens:])
            break
        at = closes + 1
        tag = f"{name[1] or ''}{(name[2] or '').lower()}"
        if tag in _ENDS_LINE:
            into.append("\n")
        elif tag == "blockquote":
            into = quoted
        elif tag in _NOT_TEXT:
            at = low.find(f"</{tag}", at)
            if at < 0:
                break
    return _plain(own), _plain(quoted)


def _plain(pieces: list[str]) -> str:
    text = "".join(pieces)
    try:
        return unescape(text)
    except ValueError:  # a character number of thousands of digits
        return text
