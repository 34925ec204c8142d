"""People taken out of a text: whole names, parts of them, addresses – and nothing else."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core.people_words import ADDRESS, SOMEBODY, possible_names, without_people

NAMES = ["Ines Corrado", "Signe Hallam", "Jo van der Berg", "Núria Åsberg"]


@pytest.mark.parametrize(
    ("text", "left", "taken"),
    [
        ("Ines Corrado called.", "[somebody] called.", ["Ines Corrado"]),
        ("Ines called, then Hallam.", "[somebody] called, then [somebody].", ["Hallam", "Ines"]),
        ("Ines’s gate and Signe's till", "[somebody] gate and [somebody] till", ["Ines", "Signe"]),
        ("Signe\nHallam swapped it", "[somebody] swapped it", ["Signe\nHallam"]),
        ("Write to ines.corrado@northmere.example.", "Write to [an address].",
         ["ines.corrado@northmere.example"]),
        ("Ask Núria Åsberg", "Ask [somebody]", ["Núria Åsberg"]),
        # Words that only contain a name, or are written small, are words.
        ("The inesful Hallamshire", "The inesful Hallamshire", []),
        ("business as usual", "business as usual", []),
        ("Jo swapped it", "Jo swapped it", []),  # two letters by themselves are too few
        ("Jo van der Berg swapped it", "[somebody] swapped it", ["Jo van der Berg"]),
        ("", "", []),
        ("Nobody is named.", "Nobody is named.", []),
    ],
)  # fmt: skip
def test_people_are_taken_out(text: str, left: str, taken: list[str]) -> None:
    found = without_people(text, NAMES)
    assert (found.text, sorted(found.taken)) == (left, sorted(taken))


@given(
    st.lists(
        st.sampled_from([*NAMES, "Ines", "Hallam", "gate", "till,", "a@b.example", "\n", "the"]),
        max_size=30,
    )
)
def test_no_name_is_left_and_nothing_but_people_goes(pieces: list[str]) -> None:
    found = without_people(" ".join(pieces), NAMES)
    for name in [*NAMES, "Ines", "Signe", "Hallam", "Corrado", "Berg", "a@b.example"]:
        assert name not in found.text
    kept = [piece for piece in pieces if piece in ("gate", "till,", "the")]
    said = [word for word in found.text.split() if word in ("gate", "till,", "the")]
    assert said == kept
    again = without_people(found.text, NAMES)
    assert again.text == found.text and again.taken == ()


@pytest.mark.parametrize(
    ("text", "some"),
    [
        ("Then Ines Corrado came", ["Ines Corrado"]),
        ("Boarding Gate Reader", ["Boarding Gate", "Gate Reader", "Boarding Gate Reader"]),
        ("no names here", []),
        ("Åsa Öberg", ["Åsa Öberg"]),
    ],
)
def test_what_may_be_a_name(text: str, some: list[str]) -> None:
    assert set(some) <= set(possible_names(text))
    assert bool(some) == bool(possible_names(text))


def test_the_marks_are_no_names() -> None:
    assert without_people(f"{SOMEBODY} wrote {ADDRESS}", NAMES).taken == ()
