"""Somebody on a phone: finds the words, is led to what is missing, and sees where it is."""

from collections.abc import Callable

import pytest

from tests.browser.driver import Screen

pytestmark = pytest.mark.browser
Open = Callable[..., Screen]


def is_within(screen: Screen) -> bool:
    """Whether the page is no wider than the phone."""
    return bool(
        screen.driver.execute_script(
            "return document.documentElement.scrollWidth <= window.innerWidth"
        )
    )


def test_a_fault_is_reported_on_a_phone(screen: Open) -> None:
    ines = screen("Ines", 390, 844)
    ines.see("What do you need")
    assert is_within(ines)
    ines.fill("What do you need", "the handheld reader at the gate will not read tickets")
    ines.see("Report a problem with Boarding gates")
    offers = ines.driver.find_elements("css selector", "[aria-label='What fits'] > li")
    words = [one.text for one in offers]
    report = next(at for at, one in enumerate(words) if "Report a problem with" in one)
    request = next(at for at, one in enumerate(words) if one.rstrip().endswith("Request"))
    assert report < request, words
    ines.press("Report a problem with Boarding gates")
    ines.see("Who is affected?")
    ines.until("the page has the focus", lambda: ines.focused().startswith("Report a problem"))
    assert ines.driver.title.startswith("Report a problem")
    ines.see("What does it do?")  # a question of this service alone
    assert is_within(ines)

    ines.press("Report it")
    ines.see("Choose one: the priority follows from it.")
    ines.until("led to it", lambda: "A ship, a terminal" in ines.focused())
    ines.tick("My team or this counter")
    ines.tick("Yes, with difficulty")
    ines.not_see("Choose one: the priority follows from it.")
    ines.press("Report it")
    ines.see("Thank you. It is incident")
    assert is_within(ines)
    assert ines.violations() == []
    assert ines.complaints() == []


def test_a_report_without_words_leads_to_the_field_which_is_quiet_once_mended(
    screen: Open,
) -> None:
    ines = screen("Ines", 390, 844)
    ines.open("/report")
    ines.see("Who is affected?")
    for answer in ("Only me", "Yes, it is a nuisance"):
        ines.tick(answer)
    ines.press("Report it")
    ines.until("led to it", lambda: ines.focused().startswith("What is wrong?"))
    field = ines.field("What is wrong?")
    assert field.get_attribute("aria-invalid") == "true"
    ines.key("Gate 2")
    ines.until("it is quiet", lambda: field.get_attribute("aria-invalid") is None)


def test_the_path_of_a_request_fits(screen: Open) -> None:
    ines = screen("Ines", 390, 844)
    ines.see("My requests")
    links = ines.until(
        "its things are there",
        lambda: ines.driver.find_elements("css selector", "a[href^='/my/']"),
    )
    ines.driver.get(str(links[0].get_attribute("href")))
    ines.until("its page is there", lambda: "has it" in ines.text() or "with " in ines.text())
    assert is_within(ines)
    ines.until("its title is said", lambda: ines.driver.title[:1].isdigit())
    steps = ines.driver.find_elements("css selector", "[aria-label='Where it is'] > li")
    assert steps
    for step in steps:
        box = step.rect
        assert box["x"] >= 0 and box["x"] + box["width"] <= 390, step.text
