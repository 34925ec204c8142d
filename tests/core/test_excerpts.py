"""Excerpts: they hold the sought words, as written, and no more than was asked for."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core.conditions import has_words, words_of
from gannet_core.excerpts import excerpt

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
