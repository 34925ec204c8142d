"""Drawings for the handbook: made here, of things that Northmere has."""

import io
from collections.abc import Callable, Mapping
from typing import NamedTuple

from PIL import Image, ImageDraw, ImageFont

_PAPER, _INK, _SEA, _CROWN, _RUST, _GREEN, _LINE = (
    "#fffefb", "#17222b", "#1e5b70", "#d9992b", "#a63a22", "#2f7d4f", "#cfc8b5",
)  # fmt: skip
_WIDE, _HIGH = 900, 420


class Drawing(NamedTuple):
    """A picture for an article: its file's name, what it shows, how wide, and how it is drawn."""

    file: str
    shows: str
    size: str
    draws: Callable[[ImageDraw.ImageDraw], None]


def content_of(one: Drawing) -> bytes:
    """The drawing as a PNG."""
    image = Image.new("RGB", (_WIDE, _HIGH), _PAPER)
    one.draws(ImageDraw.Draw(image))
    made = io.BytesIO()
    image.save(made, "PNG", optimize=True)
    return made.getvalue()


def _say(draw: ImageDraw.ImageDraw, at: tuple[int, int], words: str, size: int = 26) -> None:
    draw.text(at, words, fill=_INK, font=ImageFont.load_default(size))


def _gate(draw: ImageDraw.ImageDraw) -> None:
    draw.rounded_rectangle((90, 60, 230, 390), 14, outline=_INK, width=4)
    draw.rounded_rectangle((110, 90, 210, 170), 8, fill=_SEA)
    draw.rectangle((230, 200, 620, 224), fill=_CROWN)
    draw.ellipse((142, 200, 178, 236), outline=_INK, width=4)
    draw.line((160, 212, 160, 226), fill=_INK, width=4)
    draw.line((210, 130, 420, 110), fill=_LINE, width=3)
    _say(draw, (430, 92), "the glass: wipe it dry")
    draw.line((178, 218, 420, 300), fill=_LINE, width=3)
    _say(draw, (430, 286), "the key: turn it to open")
    _say(draw, (640, 196), "the arm")


def _lights(draw: ImageDraw.ImageDraw) -> None:
    rows = (
        ("#f2f0ea", "ready"), (_GREEN, "let them through"), (_CROWN, "of another sailing"),
        (_RUST, "refused: read the small screen"),
    )  # fmt: skip
    for at, (colour, words) in enumerate(rows):
        top = 40 + at * 90
        draw.ellipse((120, top, 180, top + 60), fill=colour, outline=_INK, width=4)
        _say(draw, (220, top + 14), words, 30)


def _roll(draw: ImageDraw.ImageDraw) -> None:
    draw.rounded_rectangle((160, 150, 520, 380), 18, outline=_INK, width=4)
    draw.ellipse((250, 190, 410, 350), fill=_PAPER, outline=_INK, width=4)
    draw.ellipse((315, 255, 345, 285), outline=_INK, width=4)
    draw.line((410, 270, 470, 150), fill=_SEA, width=6)
    draw.line((470, 150, 470, 60), fill=_SEA, width=6)
    _say(draw, (560, 70), "the end comes off the top,")
    _say(draw, (560, 106), "towards you")
    _say(draw, (560, 250), "a finger's width out")


def _bars(draw: ImageDraw.ImageDraw) -> None:
    for at, (many, words) in enumerate(((4, "all works"), (2, "mail, no calls"), (0, "no link"))):
        left = 90 + at * 280
        for bar in range(4):
            place = (left + bar * 44, 270 - bar * 55, left + bar * 44 + 32, 300)
            draw.rectangle(place, fill=_SEA if bar < many else _PAPER, outline=_INK, width=3)
        _say(draw, (left, 330), words)


def _dish(draw: ImageDraw.ImageDraw) -> None:
    draw.ellipse((110, 50, 430, 370), outline=_INK, width=4)
    for words, at in (("bow", (250, 14)), ("stern", (240, 378))):
        _say(draw, at, words, 22)
    draw.line((270, 210, 400, 110), fill=_CROWN, width=8)
    draw.ellipse((258, 198, 282, 222), fill=_INK)
    _say(draw, (480, 90), "turn it until the arrow")
    _say(draw, (480, 126), "points at the mark,")
    _say(draw, (480, 180), "then up, a degree at a time")


def _card(draw: ImageDraw.ImageDraw) -> None:
    draw.rounded_rectangle((120, 90, 520, 340), 20, outline=_INK, width=4)
    draw.rectangle((120, 140, 520, 190), fill=_INK)
    draw.rounded_rectangle((160, 230, 240, 290), 8, fill=_CROWN)
    _say(draw, (270, 244), "NORTHMERE 0042", 24)
    _say(draw, (560, 244), "this number, not the long one")
    draw.line((500, 258, 552, 258), fill=_LINE, width=3)


DRAWINGS: Mapping[str, Drawing] = {
    "Open a gate by hand when a sailing must leave": Drawing(
        "gate by hand.png", "a gate with its glass, its key in the right post and its arm", "", _gate
    ),
    "What the lights of a gate mean": Drawing(
        "gate lights.png", "four lights one above the other: white, green, amber, red", "#half",
        _lights,
    ),
    "Change the paper roll of a till": Drawing(
        "paper roll.png", "a till from above, the paper coming off the top of its roll", "#half",
        _roll,
    ),
    "Read the signal bars of the bridge": Drawing(
        "signal bars.png", "four bars: all works; two: mail and no calls; none: no link", "", _bars
    ),
    "Steer the dish by hand": Drawing(
        "dish.png", "the dish from above, its arrow between bow and starboard", "#half", _dish
    ),
    "Give a guest a Wi-Fi voucher": Drawing(
        "voucher card.png", "a voucher card with its short number beside the mark", "#small", _card
    ),
}  # fmt: skip
