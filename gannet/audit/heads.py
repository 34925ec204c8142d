"""Signed heads of the event log, outside the database.

The chain tells whether rows were changed by somebody who did not go on to chain them anew.
Whoever can write the database file can do that too. So the head of the chain – number and
hash of the last event – is signed every hour with a key that is not in the database, into
a file that each new line chains on to. A history that was written anew before the last
signed head no longer meets it.

It proves nothing of what came after the last head, nor against somebody who has the key and
both files: keep copies of the heads where the server cannot write.
"""

import base64
import json
import os
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from datetime import datetime
from hashlib import sha256
from pathlib import Path
from typing import Literal

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import (
    Ed25519PrivateKey,
    Ed25519PublicKey,
)
from django.conf import settings

from gannet.audit.models import Event
from gannet.audit.safely import folder_to_disk, to_disk
from gannet_core.instants import seconds_of

EVERY_SECONDS = 3600
_MOST_LINE = 4096
What = Literal["head", "restored"]


@dataclass(frozen=True)
class Head:
    """One line of the file. `restored`: the log was put back to this event on purpose."""

    what: What
    event: int
    hash: str
    at_s: int
    before: str
    key: str
    signature: str = ""

    def signed_part(self) -> bytes:
        said = {name: value for name, value in asdict(self).items() if name != "signature"}
        return json.dumps(said, sort_keys=True, separators=(",", ":")).encode()

    def digest(self) -> str:
        return sha256(self.signed_part() + self.signature.encode()).hexdigest()


@dataclass(frozen=True)
class HeadsFound:
    """What the signed heads say of the log: how many meet it, and the first that does not."""

    met: int
    passed_over: int
    last_s: int | None
    problem: str = ""


def heads_file() -> Path:
    return Path(settings.CHAIN_HEADS_FILE)


def key_file() -> Path:
    return Path(settings.CHAIN_KEY_FILE)


def sign_head(now: datetime, *, at_least: int = EVERY_SECONDS) -> Head | None:
    """Sign the last event, unless that was done within the hour or nothing is new."""
    last = Event.objects.order_by("-id").values_list("id", "hash").first()
    known = _last_line()
    if last is None or (known is not None and known.event == last[0] and known.what == "head"):
        return None
    if known is not None and seconds_of(now) - known.at_s < at_least:
        return None
    return _add("head", last[0], last[1], now, known)


def note_restored(event: int, last_hash: str, now: datetime) -> Head | None:
    """The log was put back to an event: what was signed of later ones does not count."""
    known = _last_line()
    if known is None:
        return None
    return _add("restored", event, last_hash, now, known)


def check_heads(
    lines: Iterable[bytes] | None = None, public: Ed25519PublicKey | None = None
) -> HeadsFound:
    """Whether every signed head is genuine, in its place, and meets the log as it is now."""
    if lines is None:
        lines = heads_file().read_bytes().splitlines() if heads_file().is_file() else []
    heads: list[Head] = []
    before = ""
    for number, line in enumerate(lines, 1):
        try:
            head = Head(**json.loads(line))
            _check_signature(head, public)
        except (ValueError, TypeError, InvalidSignature):
            return HeadsFound(0, 0, None, f"line {number} of the heads is not signed by this key")
        if head.before != before:
            return HeadsFound(0, 0, None, f"a line is missing before line {number} of the heads")
        before = head.digest()
        heads.append(head)
    return _met(heads)


def _met(heads: list[Head]) -> HeadsFound:
    """A head counts unless the log was put back before it, later on, and on purpose."""
    still = []
    reached = None
    for head in reversed(heads):
        if head.what == "restored":
            reached = head.event if reached is None else min(reached, head.event)
            still.append(head)
        elif reached is None or head.event <= reached:
            still.append(head)
    hashes = dict(
        Event.objects.filter(pk__in=[head.event for head in still]).values_list("pk", "hash")
    )
    last_s = heads[-1].at_s if heads else None
    for head in sorted(still, key=lambda one: one.event):
        if head.event and hashes.get(head.event) != head.hash:
            words = "is not the one that was signed" if head.event in hashes else "is gone"
            return HeadsFound(0, 0, last_s, f"event {head.event} {words}")
    return HeadsFound(len(still), len(heads) - len(still), last_s)


def public_key_text() -> str:
    """The public key, with which anybody can check copies of the heads."""
    public = _private_key().public_key()
    return public.public_bytes(
        serialization.Encoding.PEM, serialization.PublicFormat.SubjectPublicKeyInfo
    ).decode()


def _private_key() -> Ed25519PrivateKey:
    """The key; made when there is none, readable by its owner only."""
    file = key_file()
    if not file.exists():
        made = Ed25519PrivateKey.generate().private_bytes(
            serialization.Encoding.PEM,
            serialization.PrivateFormat.PKCS8,
            serialization.NoEncryption(),
        )
        file.parent.mkdir(parents=True, exist_ok=True)
        try:
            handle = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        except FileExistsError:
            pass  # another process was quicker
        else:
            with os.fdopen(handle, "wb") as target:
                target.write(made)
                to_disk(target)
    key = serialization.load_pem_private_key(file.read_bytes(), password=None)
    if not isinstance(key, Ed25519PrivateKey):
        raise ValueError(f"{file} is no Ed25519 key")
    return key


def _add(what: What, event: int, last_hash: str, now: datetime, known: Head | None) -> Head:
    private = _private_key()
    head = Head(
        what=what,
        event=event,
        hash=last_hash,
        at_s=seconds_of(now),
        before=known.digest() if known else "",
        key=_fingerprint(private.public_key()),
    )
    signature = base64.b64encode(private.sign(head.signed_part())).decode()
    signed = Head(**{**asdict(head), "signature": signature})
    file = heads_file()
    is_new = not file.exists()
    with file.open("ab") as target:
        target.write(json.dumps(asdict(signed), sort_keys=True).encode() + b"\n")
        to_disk(target)
    if is_new:
        folder_to_disk(file.parent)
    return signed


def _last_line() -> Head | None:
    """The last whole line; one that a crash cut short is taken away."""
    file = heads_file()
    if not file.is_file():
        return None
    with file.open("rb+") as target:
        size = target.seek(0, os.SEEK_END)
        begin = max(0, size - _MOST_LINE)
        target.seek(begin)
        end = target.read()
        if end and not end.endswith(b"\n"):
            end = end[: end.rfind(b"\n") + 1]
            target.truncate(begin + len(end))
            to_disk(target)
    lines = end.splitlines()
    return Head(**json.loads(lines[-1])) if lines else None


def _check_signature(head: Head, public: Ed25519PublicKey | None) -> None:
    key = public or _private_key().public_key()
    if head.key != _fingerprint(key):
        raise InvalidSignature
    key.verify(base64.b64decode(head.signature, validate=True), head.signed_part())


def load_public_key(file: Path) -> Ed25519PublicKey:
    key = serialization.load_pem_public_key(file.read_bytes())
    if not isinstance(key, Ed25519PublicKey):
        raise ValueError(f"{file} is no Ed25519 key")
    return key


def _fingerprint(key: Ed25519PublicKey) -> str:
    raw = key.public_bytes(serialization.Encoding.Raw, serialization.PublicFormat.Raw)
    return sha256(raw).hexdigest()[:16]
