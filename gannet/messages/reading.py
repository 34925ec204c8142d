"""Reading a message as it came over the wire: text, quotes, addresses, files.

Mail is written by every program there ever was. Nothing here raises on what a message
contains: a header that cannot be read is empty, text in a wrong encoding is read as well
as it can be, and what cannot be read at all is left out.

The application reads mail by way of `reader`, in a process of its own with a deadline:
the parsers of the standard library take too long for what some messages hold. Nothing of
Django is needed here.
"""

import re
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from email import message_from_bytes, policy
from email.header import decode_header
from email.message import Message
from email.parser import BytesHeaderParser
from email.utils import getaddresses, parseaddr
from typing import Any

from gannet.messages.html_text import html_texts
from gannet_core.texts import FOLD

MAX_TEXT = 45_000
_MOST_DECODED = 1_000_000  # far more than is kept: enough to find where quotes begin
_MAX_QUOTED = 12_000
_MOST_PARTS = 200
_MOST_WALKED = 2_000
_MOST_HEADERS = 300
_LONGEST_HEADER = 8_000
_MOST_DEEP = 20
_QUOTE_START = re.compile(
    r"^(On .{5,160} wrote:|Am .{5,160} schrieb.*:|Le .{5,160} a écrit ?:|"
    r"-{2,} ?(Original|Forwarded) Message ?-{2,}|_{10,}|From: .+)$",
    re.IGNORECASE,
)
_SIGNATURE = re.compile(r"^-- ?$")
_SENT_FROM = re.compile(r"^(Sent from my|Get .{2,30} for) .{2,40}$", re.IGNORECASE)
_LONGEST_MARK = 400  # no line that begins a quote is longer
_OUR_ID = re.compile(r"<gannet\.(\d{1,9})[.\w-]{0,120}@")
_FINAL_RECIPIENT = re.compile(
    r"(?im)^Final-Recipient:[^;\n]{0,40};[ \t<]{0,8}([^\s<>@]{1,80}@[^\s<>]{1,200})"
)
_MOST_REPORT = 200_000
_MOST_NAMED = 100


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


@dataclass(frozen=True)
class ReadMail:
    """All that is read of a message, with nothing left of how it was written."""

    message_id: str = ""
    sender: str = ""
    sender_name: str = ""
    # How many senders it names: a genuine mail names one.
    senders: int = 0
    subject: str = ""
    copies: list[str] = field(default_factory=list)
    # The Message-IDs that it answers, those it names first of all first.
    answers: list[str] = field(default_factory=list)
    automatic: str = ""
    precedence: str = ""
    list_id: str = ""
    is_ours: bool = False
    # What servers on its way say of who sent it, the last one first.
    authentication: list[str] = field(default_factory=list)
    received: str = ""
    text: str = ""
    carried: str = ""
    # Of a report that something could not be delivered: the address ("" when it names none).
    bounced: str | None = None
    bounced_of: list[int] = field(default_factory=list)
    headers: list[list[str]] = field(default_factory=list)
    files: list[File] = field(default_factory=list)

    @property
    def whole(self) -> str:
        return Read(self.text, self.carried).whole


def read_mail(raw: bytes) -> ReadMail:
    """Everything that is read of a message as it came over the wire."""
    message = parse(raw)
    said = read_text(message)
    named = _raw(message, "From")
    bounced = _bounced(message)
    answered = [*_ids(message, "In-Reply-To"), *reversed(_ids(message, "References"))]
    shown = list(dict.fromkeys(message.keys()))[:_MOST_NAMED]
    return ReadMail(
        message_id=header(message, "Message-ID")[:200],
        sender=sender(message),
        sender_name=_sender_name(message),
        senders=len(_addresses_of(named)),
        subject=header(message, "Subject")[:300],
        copies=addresses(message, "Cc")[:_MOST_NAMED],
        answers=list(dict.fromkeys(answered))[:_MOST_NAMED],
        automatic=header(message, "Auto-Submitted").casefold().split(";")[0].strip()[:60],
        precedence=header(message, "Precedence").casefold()[:60],
        list_id=header(message, "List-Id")[:200],
        is_ours=bool(header(message, "X-Gannet")),
        authentication=[
            " ".join(_safe(one).split())[:2_000]
            for one in headers(message, "Authentication-Results")[:10]
        ],
        received=" ".join(_safe(one) for one in headers(message, "Received")[:1])[:1_000],
        text=said.text,
        carried=said.carried,
        bounced=bounced,
        bounced_of=[] if bounced is None else _reported(raw),
        headers=[[name, header(message, name)[:2_000]] for name in shown],
        files=files(message),
    )


def as_sent(mail: ReadMail) -> tuple[dict[str, Any], list[bytes]]:
    """A read message as it goes from process to process: what is text, and the files."""
    said = {
        **asdict(mail),
        "files": [[one.name, one.content_type, len(one.content)] for one in mail.files],
    }
    return said, [one.content for one in mail.files]


def _sender_name(message: Message) -> str:
    try:
        name = parseaddr(next(iter(_raw(message, "From")), ""))[0]
    except Exception:
        return ""
    return " ".join(_decoded_header(name).split())[:120]


def _ids(message: Message, name: str) -> list[str]:
    """Message-IDs, each from its < to its >."""
    found = []
    for piece in header(message, name)[-20_000:].split("<")[1:]:
        inner, closes, _ = piece.partition(">")
        if closes and inner:
            found.append(f"<{inner}>"[:200])
    return found[-40:]


def _addresses_of(values: list[str]) -> set[str]:
    try:
        return {address for _, address in getaddresses(values) if address}
    except Exception:
        return {"", "?"}  # what cannot be read is not one sender


def _bounced(message: Message) -> str | None:
    """The address that could not be reached, when a message is such a report (RFC 3464)."""
    kind = header(message, "Content-Type").casefold().replace('"', "")
    is_report = "report-type=delivery-status" in kind
    is_daemon = sender(message).partition("@")[0] in ("mailer-daemon", "postmaster")
    if not is_report and not is_daemon:
        return None
    for part in message.walk():
        if part.is_multipart() and part.get_content_type() != "message/delivery-status":
            continue
        try:
            text = str(part)[:_MOST_REPORT]
        except Exception:
            text = ""  # a part that cannot be written down names nobody
        found = _FINAL_RECIPIENT.search(text)
        if found:
            return found[1].casefold()[:254]
    return ""


def _reported(raw: bytes) -> list[int]:
    """The tickets whose messages a report speaks of."""
    text = raw[:_MOST_REPORT].decode("latin-1")
    return [int(number) for number in dict.fromkeys(_OUR_ID.findall(text))][:20]


def _safe(text: object) -> str:
    return str(text).encode("utf-8", "replace").decode("utf-8", "replace").replace("\0", "")


def parse(raw: bytes) -> Message:
    """The message; bytes that are none at all give an empty one.

    Headers are cut where no program writes longer ones: what the standard library makes of
    them takes time that grows with the square of their length, and worse.
    """
    try:
        found = message_from_bytes(raw, policy=policy.compat32)
    except Exception:
        return Message()
    for count, part in enumerate(found.walk()):
        if count > _MOST_WALKED:
            break
        _cut(part)
    return found


def parse_head(raw: bytes) -> Message:
    """The headers of a message alone, for a list of many."""
    try:
        found = BytesHeaderParser(policy=policy.compat32).parsebytes(raw)
    except Exception:
        return Message()
    _cut(found)
    return found


def _cut(message: Message) -> None:
    kept = [(name, str(value)[:_LONGEST_HEADER]) for name, value in message.raw_items()]
    message._headers = kept[:_MOST_HEADERS]  # type: ignore[attr-defined]


def header(message: Message, name: str) -> str:
    """A header in one line; empty when it is missing or cannot be read."""
    return next(iter(headers(message, name)), "")


def headers(message: Message, name: str) -> list[str]:
    """All headers of a name, each decoded and in one line."""
    wanted = name.lower()
    raw = [value for key, value in message.raw_items() if key.lower() == wanted]
    return [" ".join(_decoded_header(str(value)).split()) for value in raw]


def _decoded_header(raw: str) -> str:
    """A header with its encoded words as text (RFC 2047); what is none stays as it is."""
    words = ""
    try:
        for piece, charset in decode_header(_safe_bytes(raw)):
            words += piece if isinstance(piece, str) else _in_charset(piece, charset or "utf-8")
    except Exception:
        words = raw
    return _safe(words)


def _in_charset(content: bytes, charset: str) -> str:
    for name in (charset, "utf-8"):
        try:
            return content.decode(name)
        except (LookupError, UnicodeError, ValueError):
            continue
    return content.decode("latin-1")


def _safe_bytes(raw: str) -> str:
    """Raw bytes of a header, which the parser hides in surrogates, as the text they are."""
    if raw.isascii():
        return raw
    return raw.encode("utf-8", "surrogateescape").decode("utf-8", "replace")


def sender(message: Message) -> str:
    """The address that a message says it is from, folded."""
    try:
        return _safe(parseaddr(next(iter(_raw(message, "From")), ""))[1]).casefold()[:254]
    except Exception:
        return ""


def _raw(message: Message, name: str) -> list[str]:
    """Headers as they were written: what an encoded word says is no address."""
    wanted = name.lower()
    return [_safe_bytes(str(v)) for key, v in message.raw_items() if key.lower() == wanted]


def addresses(message: Message, *names: str) -> list[str]:
    """The addresses of headers, folded, each once."""
    try:
        found = getaddresses([value for name in names for value in _raw(message, name)])
    except Exception:
        return []
    return list(
        dict.fromkeys(_safe(address).casefold()[:254] for _, address in found if "@" in address)
    )


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
            plain = _decoded(part)[:_MOST_DECODED]
        elif kind == "text/html" and not html:
            html = _decoded(part)[:_MOST_DECODED]
    if plain.strip():
        return fold_quotes(_tidy(plain))
    if html:
        return _read_html(html)
    return Read("", "")


def _read_html(html: str) -> Read:
    own, quoted = (_tidy(text) for text in html_texts(html))
    found = fold_quotes(own)
    if not found.text:
        return fold_quotes(_tidy(f"{own}\n{quoted}"))
    return Read(found.text, _join(found.carried, quoted))


def fold_quotes(text: str) -> Read:
    """New words apart from quotes and signature; a message of quotes only is all new."""
    kept: list[str] = []
    carried: list[str] = []
    lines = text.splitlines()
    for at, line in enumerate(lines):
        bare = line[:_LONGEST_MARK].strip()
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
    found: list[File] = []
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
