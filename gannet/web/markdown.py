"""Markdown as people write it, as HTML that can do nothing but look like something."""

import re
from functools import lru_cache

import nh3
from markdown_it import MarkdownIt

_TAGS = {
    "p", "br", "strong", "em", "s", "code", "pre", "blockquote", "ul", "ol", "li", "a", "hr",
    "h1", "h2", "h3", "h4", "table", "thead", "tbody", "tr", "th", "td",
}  # fmt: skip
_MARKDOWN = MarkdownIt("commonmark", {"html": False, "linkify": False, "breaks": True}).enable(
    ["table", "strikethrough"]
)
_LOOKS_MARKED = re.compile(r"[*_`#>\[\]~|]|^\s*(?:[-+]|\d+[.)])\s|https?://", re.MULTILINE)
_BARE_LINK = re.compile(r"(?<![\w(\[<\"'=/])(https?://[^\s<>\"')\]]+[^\s<>\"')\].,;:!?])")


@lru_cache(maxsize=2_000)
def as_html(text: str) -> str:
    """The text as harmless HTML; empty when it has no marks and plain text says as much.

    Raw HTML in it is shown as it was typed. Pictures, scripts, styles and links that are
    not web or mail addresses are dropped; links open apart and name no referrer.
    """
    if not _LOOKS_MARKED.search(text):
        return ""
    linked = _BARE_LINK.sub(r"<\1>", text)
    html = _MARKDOWN.render(linked)
    return nh3.clean(
        html,
        tags=_TAGS,
        attributes={"a": {"href", "title"}},
        url_schemes={"http", "https", "mailto", "tel"},
        link_rel="noopener noreferrer",
        set_tag_attribute_values={"a": {"target": "_blank"}},
    )
