"""Reading a message as it came over the wire: text, quotes, addresses, files.

Mail is written by every program there ever was. Nothing here raises on what a message
contains: a header that cannot be read is empty, text in a wrong encoding is read as well
as it can be, and what cannot be read at all is left out.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from email import message_from_bytes, policy
from email.message import EmailMessage, Message
from email.utils import getaddresses, parseaddr
from html import unescape
from typing import Any

import nh3

# Stands between somebody's new words and what their program carried along below them.
FOLD = "\n\u2063\n"
MAX_TEXT = 45_000
_MAX_QUOTED = 12_000
_MOST_PARTS = 200
_MOST_DEEP = 20
_QUOTE_START = re.compile(
    r"^(On .{5,160} wrote:|Am .{5,160} schrieb.*:|Le .{5,160} a écrit ?:|"
    r"-{2,} ?(Original|Forwarded) Message ?-{2,}|_{10,}|From: .+)$",
    re.IGNORECASE,
)
_SIGNATURE = re.compile(r"^-- ?$")
_SENT_FROM = re.compile(r"^(Sent from my|Get .{2,30} for) .{2,40}$", re.IGNORECASE)
_BLOCKS = re.compile(r"(?i)<(br|/p|/div|/li|/tr|/h\d|/blockquote)[^>]*>")
_NOT_TEXT = re.compile(r"(?is)<(script|style|head|title)\b.*?</\1>|<!--.*?-->")
_QUOTED_HTML = re.compile(r"(?i)<blockquote[^>]*>")


@dataclass(frozen=True)
class Read:
    """What a message says: new words, what was carried along, the files."""

    text: str
    carried: str

    @property
    def whole(self) -> str:
        return f"{self.text}{FOLD}{self.carried}" if self.carried else self.text


@dataclass(frozen=True)
class File:
    name: str
    content_type: str
    content: bytes


def parse(raw: bytes) -> EmailMessage:
    """The message; bytes that are none at all give an empty one."""
    try:
        found = message_from_bytes(raw, policy=policy.default)
    except Exception:  # the parser trips over some headers that nobody should send
        try:
            found = message_from_bytes(raw, policy=policy.compat32)  # type: ignore[arg-type]
        except Exception:
            return EmailMessage()
    if isinstance(found, EmailMessage):
        return found
    lenient = EmailMessage()
    for name, value in list(getattr(found, "_headers", [])):
        try:
            lenient[name] = str(value)
        except (ValueError, TypeError, AttributeError, IndexError):
            continue
    lenient.set_payload(found.get_payload())
    return lenient


def header(message: Message, name: str) -> str:
    """A header in one line; empty when it is missing or cannot be read."""
    try:
        value = message.get(name, "")
        words = str(value or "")
    except Exception:  # a header that its own parser cannot read
        words = next((str(raw) for key, raw in _raw_headers(message) if key == name.lower()), "")
    clean = words.encode("utf-8", "replace").decode("utf-8", "replace").replace("\0", "")
    return " ".join(clean.split())


def headers(message: Message, name: str) -> list[str]:
    try:
        return [str(value) for value in message.get_all(name, [])]
    except Exception:
        return [str(raw) for key, raw in _raw_headers(message) if key == name.lower()]


def _raw_headers(message: Message) -> Iterator[tuple[str, Any]]:
    for key, value in getattr(message, "_headers", []):
        yield str(key).lower(), value


def sender(message: Message) -> str:
    """The address that a message says it is from, folded."""
    try:
        return parseaddr(header(message, "From"))[1].casefold()[:254]
    except Exception:
        return ""


def addresses(message: Message, *names: str) -> list[str]:
    """The addresses of headers, folded, each once."""
    try:
        found = getaddresses([value for name in names for value in headers(message, name)])
    except Exception:
        return []
    return list(dict.fromkeys(address.casefold() for _, address in found if "@" in address))


def parts(message: Message, depth: int = 0) -> Iterator[Message]:
    """The leaves of a message; what is nested too deep is left out."""
    if depth > _MOST_DEEP:
        return
    payload = message.get_payload()
    if isinstance(payload, list):
        for part in payload[:_MOST_PARTS]:
            if isinstance(part, Message):
                yield from parts(part, depth + 1)
        return
    yield message


def read_text(message: Message) -> Read:
    """The readable text: the plain part, else the HTML without markup."""
    plain = html = ""
    for count, part in enumerate(parts(message)):
        if count > _MOST_PARTS:
            break
        if _is_file(part):
            continue
        kind = _type(part)
        if kind == "text/plain" and not plain:
            plain = _decoded(part)
        elif kind == "text/html" and not html:
            html = _decoded(part)
    if plain.strip():
        return fold_quotes(_tidy(plain))
    if html:
        return _read_html(html)
    return Read("", "")


def _read_html(html: str) -> Read:
    own, *quoted = _QUOTED_HTML.split(html, maxsplit=1)
    found = fold_quotes(html_to_text(own))
    carried = html_to_text(quoted[0]) if quoted else ""
    if not found.text:
        return fold_quotes(html_to_text(html))
    return Read(found.text, _join(found.carried, carried))


def html_to_text(html: str) -> str:
    """HTML as plain text: line breaks where blocks end, no markup, nothing that runs."""
    broken = _BLOCKS.sub("\n", _NOT_TEXT.sub("", html))
    return _tidy(unescape(nh3.clean(broken, tags=set())))


def fold_quotes(text: str) -> Read:
    """New words apart from quotes and signature; a message of quotes only is all new."""
    kept: list[str] = []
    carried: list[str] = []
    lines = text.splitlines()
    for at, line in enumerate(lines):
        bare = line.strip()
        if _SIGNATURE.match(line) or _QUOTE_START.match(bare) or _SENT_FROM.match(bare):
            carried.extend(lines[at:])
            break
        (carried if line.startswith(">") else kept).append(line)
    own = "\n".join(kept).strip()
    if not own:
        return Read(text.strip()[:MAX_TEXT], "")
    return Read(own[:MAX_TEXT], "\n".join(carried).strip()[:_MAX_QUOTED])


def files(message: Message, most: int = 20) -> list[File]:
    """The files of a message: attachments and pictures in its text."""
    found = []
    for part in parts(message):
        if len(found) >= most:
            break
        if not _is_file(part):
            continue
        content = _bytes(part)
        if content:
            name = _file_name(part) or "attachment"
            found.append(File(name, _type(part), content))
    return found


def _is_file(part: Message) -> bool:
    try:
        disposition = part.get_content_disposition()
    except Exception:
        disposition = None
    kind = _type(part)
    if disposition == "attachment":
        return True
    return not kind.startswith(("text/", "multipart/", "message/")) or bool(
        _file_name(part) and disposition == "inline" and kind not in ("text/plain", "text/html")
    )


def _file_name(part: Message) -> str:
    try:
        name = part.get_filename() or ""
    except Exception:
        name = ""
    return " ".join(str(name).replace("\0", "").split())[:120]


def _type(part: Message) -> str:
    try:
        return part.get_content_type()
    except Exception:
        return "text/plain"


def _bytes(part: Message) -> bytes:
    try:
        payload = part.get_payload(decode=True)
    except Exception:
        return b""
    return payload if isinstance(payload, bytes) else b""


def _decoded(part: Message) -> str:
    content = _bytes(part)
    try:
        named = str(part.get_content_charset() or "")
    except Exception:
        named = ""
    for charset in (named, "utf-8", "cp1252"):
        try:
            return content.decode(charset) if charset else content.decode("ascii")
        except (LookupError, UnicodeError, ValueError):
            continue
    return content.decode("utf-8", "replace")


def _tidy(text: str) -> str:
    lines = text.replace("\r\n", "\n").replace("\r", "\n").replace("\0", "")
    lines = lines.encode("utf-8", "replace").decode("utf-8", "replace")
    return re.sub(
        r"\n{4,}", "\n\n\n", "\n".join(line.rstrip() for line in lines.split("\n"))
    ).strip()


def _join(*texts: str) -> str:
    return "\n".join(text for text in texts if text)[:_MAX_QUOTED]
