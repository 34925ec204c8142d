"""Keys in mails: what lets somebody decide or say how it was without signing in.

All of them look alike, so that one glance tells whether a text holds any: `gk-` and 32
letters and digits (160 bits, RFC 4648 base 32). A key is made when its mail leaves, stands
nowhere in the database but as a digest, and dies as soon as it is seen in a text that
somebody else can read.
"""

import base64
import re
import secrets
from collections.abc import Iterable
from hashlib import sha256
from typing import Final

from gannet.people.models import MailKey, Person

DECIDE: Final = "decide"
SURVEY: Final = "survey"
# How long each is good for, in seconds.
GOOD_FOR: Final = {DECIDE: 14 * 86_400, SURVEY: 30 * 86_400}
REMOVED: Final = "(a link of one person's own was here)"
_KEY = re.compile(r"gk-[a-z2-7]{32}", re.IGNORECASE)
# What mail programs put between the pieces of a line that they break: line ends, quote
# marks, soft ends of quoted-printable, and characters that nobody sees.
_BETWEEN: Final = " \t\r\n>|=\u00ad\u200b\u200c\u200d\u2060\ufeff"
_PACK: Final = str.maketrans("", "", _BETWEEN)
# The address that a key ends, as our mails write it, so that no torn half of it stays.
_ADDRESS = re.compile(r"https?://[^\s<>\"']{1,200}[/#?=]\Z")
_REST = re.compile(r"[?&][^\s<>\"')]{0,80}")


def make(person: Person, opens: str, what: int, now_s: int, message: int | None = None) -> str:
    """A new key; only this answer ever has it."""
    key = "gk-" + base64.b32encode(secrets.token_bytes(20)).decode().lower()
    MailKey.objects.create(
        person=person,
        opens=opens,
        what=what,
        digest=digest_of(key),
        message=message,
        made_s=now_s,
        ends_s=now_s + GOOD_FOR[opens],
    )
    return key


def find(key: str, opens: str) -> MailKey | None:
    """What a key opens, dead or alive; None when it is none of ours."""
    rows = MailKey.objects.select_related("person").filter(opens=opens)
    return rows.filter(digest=digest_of(key)).first()


def in_messages(messages: Iterable[int], opens: str) -> list[MailKey]:
    """The keys that some messages carried."""
    rows = MailKey.objects.select_related("person").filter(message__in=list(messages), opens=opens)
    return list(rows.order_by("-id"))


def is_alive(row: MailKey, now_s: int) -> bool:
    return row.dead_s is None and row.ends_s > now_s and row.person.is_active


def end(opens: str, what: Iterable[int], now_s: int) -> int:
    """Nothing is left to open: the keys to it die."""
    found = MailKey.objects.filter(opens=opens, what__in=list(what), dead_s=None)
    return found.update(dead_s=now_s)


def seen(keys: Iterable[str], now_s: int) -> list[MailKey]:
    """Keys that stood where others may read them die at once; returns those that were alive."""
    digests = [digest_of(key) for key in keys]
    alive = MailKey.objects.select_related("person").filter(
        digest__in=digests, dead_s=None, ends_s__gt=now_s
    )
    rows = list(alive)
    # Each is taken once, however many see it at the same time.
    taken = MailKey.objects.filter(dead_s=None)
    return [row for row in rows if taken.filter(pk=row.pk).update(dead_s=now_s)]


def without_keys(text: str) -> tuple[str, list[str]]:
    """A text with its keys taken out, and those keys; also keys that a mail program broke.

    Whatever looks like a key goes; what looks like one only when line ends and quote marks
    are left out goes when it is one of ours. Takes time in proportion to the text.
    """
    packed = text.translate(_PACK)
    found = list(_KEY.finditer(packed))
    if not found:
        return text, []
    kept = [at for at, letter in enumerate(text) if letter not in _BETWEEN]
    pieces: list[str] = []
    keys: list[str] = []
    done = 0
    for one in found:
        begins, ends = kept[one.start()], kept[one.end() - 1] + 1
        is_whole = ends - begins == len(one[0])
        if not is_whole and not MailKey.objects.filter(digest=digest_of(one[0])).exists():
            continue
        before = text[done:begins]
        address = _ADDRESS.search(before[-220:])
        pieces += [before[: len(before) - len(address[0])] if address else before, REMOVED]
        rest = _REST.match(text, ends)
        done = rest.end() if rest else ends
        keys.append(one[0].lower())
    pieces.append(text[done:])
    return "".join(pieces), keys


def digest_of(key: str) -> str:
    return sha256(key.lower().encode()).hexdigest()
