"""Columns that take less room than what they hold: hexadecimal as bytes, JSON packed.

A history is written once and kept for years; at a million tickets it is most of the
database. Both columns give and take what the plain ones would: texts of hexadecimal
digits, and what JSON can say.
"""

import json
import zlib
from typing import TYPE_CHECKING, Any

import orjson
from django.db import models

if TYPE_CHECKING:
    _TextField = models.Field[str, str]
    _AnyField = models.Field[Any, Any]
else:
    _TextField = _AnyField = models.Field

# The first byte of a value says how the rest is to be read. None is ever given another meaning.
_AS_IT_IS, _PACKED = b"\x00", b"\x01"
# Shorter than this, packing gains nothing worth the work.
_SHORT = 40
# What explanations say again and again, the commonest at the end. It is part of the data
# that was packed with it: another one needs another first byte.
_COMMON = (
    b'{"changes":{"","keys":{"priority":["P3","P2"],"requester","holder","team","category"'
    b'"stages":["Line manager: always","Service owner: always"],"because":"Hand-overs is at least'
    b' 3 \xe2\x80\x93 but it is 0","leaves":[],"did":[],"overridden":[],"stopped":false},{"key":"'
    b'","name":"","matched":false,"because":"is not set","matched":true,"rules":[{"key":"'
    b'{"what":"approved by itself","state":"approved","value":"could take it","chosen":false}'
    b'"off shift"},{"label":""absent""away"nobody in  can take it now"was longest without one in '
    b'"why_team":"the service\'s team","the category\'s team","triage""hands out its work by hand'
    b'","channel":"phone","channel":"e-mail","channel":"portal","classified_by":"","answers":{},'
    b'"as":{"service":null,"ci":null,"place":"","impact":2,"urgency":3,"values":{}}}'
    b'" has the least load in ","why_person":[{"label":"","value":"load 4","chosen":false},'
    b'{"label":"","value":"load 2","chosen":true},{"label":"","value":"load 0","chosen":false},'
    b'"agreement":"","why":[{"label":"Delivery in 1 working day","value":" is  \xe2\x80\x93 '
    b'but it is nothing","chosen":false},{"label":"","value":"applies: Service is  or ",'
    b'"chosen":true}],'
    b'"targets":{"answer":3600,"fix":43200},"normal":{"answer":3600,"fix":43200},"priority":3}'
)


class HexField(_TextField):
    """Text of hexadecimal digits, kept as the bytes it stands for; empty text is no bytes."""

    def get_internal_type(self) -> str:
        return "BinaryField"

    def get_db_prep_value(self, value: Any, connection: Any, prepared: bool = False) -> Any:
        if value is None:
            return None
        return connection.Database.Binary(bytes.fromhex(value))

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> str | None:
        if value is None or isinstance(value, str):
            return value  # somebody wrote text here: what reads it sees that it is not its own
        return bytes(value).hex()


class PackedJSONField(_AnyField):
    """What JSON can say, packed when it is long; nothing asks the database for parts of it."""

    def get_internal_type(self) -> str:
        return "BinaryField"

    def get_db_prep_value(self, value: Any, connection: Any, prepared: bool = False) -> Any:
        return None if value is None else connection.Database.Binary(pack(value))

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> Any:
        if value is None:
            return None
        try:
            return unpack(bytes(value))
        except (TypeError, ValueError, zlib.error):
            # Somebody has been at it. Whoever checks the chain says so; a page goes on.
            return {"unreadable": True}


def pack(value: Any) -> bytes:
    """What JSON can say, as few bytes as it takes."""
    try:
        plain = orjson.dumps(value)
    except TypeError:  # such as a key that is no text
        plain = json.dumps(value, ensure_ascii=False, separators=(",", ":")).encode()
    if len(plain) > _SHORT:
        packer = zlib.compressobj(6, wbits=-15, zdict=_COMMON)
        packed = packer.compress(plain) + packer.flush()
        if len(packed) < len(plain):
            return _PACKED + packed
    return _AS_IT_IS + plain


def unpack(kept: bytes) -> Any:
    """What was packed."""
    how, rest = kept[:1], kept[1:]
    if how == _PACKED:
        unpacker = zlib.decompressobj(wbits=-15, zdict=_COMMON)
        rest = unpacker.decompress(rest) + unpacker.flush()
    elif how != _AS_IT_IS:
        raise ValueError(f"a value is packed in a way that is not known: {how!r}")
    return orjson.loads(rest)
