"""Excerpts: they hold the sought words, as written, and no more than was asked for."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core.conditions import has_words, words_of
from gannet_core.excerpts import excerpt, start_of

LONG = "The hall was quiet. " * 20 + "Gate 3 rejects every Barcode since six. " + "It rained. " * 20


def said(texts: list[str], wanted: str, length: int = 110) -> str:
    return "".join(f"[{text}]" if hit else text for text, hit in excerpt(texts, wanted, length))


@pytest.mark.parametrize(
    ("texts", "wanted", "shown"),
    [
        (["The gate is stuck"], "gate", "The [gate] is stuck"),
        (["The gates are stuck"], "GATE stuck", "The [gates] are [stuck]"),
        (["Café till jams"], "cafe", "[Café] till jams"),
        (["one\n\ntwo gate"], "gate", "one two [gate]"),
        (["no such word"], "gate", ""),
        (["investigate it"], "gate", ""),
        (["gate here", "the gate and the barcode"], "gate barcode",
         "the [gate] and the [barcode]"),
        (["anything"], "", ""),
        (["anything"], "  ,;", ""),
        ([], "gate", ""),
    ],
)  # fmt: skip
def test_what_is_shown(texts: list[str], wanted: str, shown: str) -> None:
    assert said(texts, wanted) == shown


def test_a_long_text_is_cut_around_the_words() -> None:
    shown = said([LONG], "barcode gate", 80)
    assert shown.startswith("… ") and shown.endswith(" …")
    assert "[Gate] 3 rejects every [Barcode]" in shown
    assert len(shown) < 100


@given(
    st.lists(st.text(max_size=300), max_size=4),
    st.text(max_size=20),
    st.integers(min_value=20, max_value=200),
)
def test_hits_begin_with_a_sought_word_and_nothing_is_made_up(
    texts: list[str], wanted: str, length: int
) -> None:
    pieces = excerpt(texts, wanted, length)
    sought = words_of(wanted)
    assert bool(pieces) == any(has_words(text, one) for text in texts for one in sought)
    for text, hit in pieces:
        if hit:
            assert any(has_words(text, one) for one in sought)
    bare = "".join(text for text, _ in pieces).removeprefix("… ").removesuffix(" …")
    flat = [" ".join(text.split()) for text in texts]
    assert any(" ".join(bare.split()) in text for text in flat) or not pieces


@pytest.mark.parametrize(
    ("body", "start"),
    [
        ("", ""),
        ("Wipe it.", "Wipe it."),
        ("## What you see\n\nIt is *red*.\n\n## Cure\n\n1. Wipe.", "It is red. 1. Wipe."),
        ("Choose *close*, and `say`.", "Choose close, and say."),
        ("Read [the other](/articles/7) first.", "Read the other first."),
        ("![A lamp](x.png) is red.", "A lamp is red."),
        ("| light | what |\n|---|---|\n| red | bad |", "light what red bad"),
        ("# Only a heading", "Only a heading"),
        ("> said\n> so", "said so"),
        ("a-b --- c", "a-b --- c"),
    ],
)
def test_how_a_text_begins(body: str, start: str) -> None:
    assert start_of(body) == start


@given(st.text(max_size=800), st.integers(10, 200))
def test_a_beginning_is_one_short_line(body: str, length: int) -> None:
    start = start_of(body, length)
    assert len(start) <= length
    assert "\n" not in start and start == start.strip()


def test_a_long_text_is_cut_between_words() -> None:
    start = start_of("gangway " * 60, 40)
    assert start == "gangway gangway gangway gangway…"
