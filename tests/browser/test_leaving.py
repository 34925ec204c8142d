"""What was typed in the last moment is kept when the page goes; what was sent does not return."""

from collections.abc import Callable

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.driver import Screen

pytestmark = pytest.mark.browser
Open = Callable[..., Screen]


def type_into(screen: Screen, label: str, words: str) -> None:
    """Type without waiting for anything afterwards.

    What stands there is typed over, as people do it: emptied from outside, the page would not
    notice, and whatever draws the field again brings its words back.
    """
    screen.field(label).send_keys(Keys.CONTROL, "a")
    screen.field(label).send_keys(words)


def test_a_rulebook_entry_typed_in_the_moment_before_a_reload_is_kept(screen: Open) -> None:
    anneke = screen("Anneke")
    anneke.open("/desk/rulebook/agreements?open=offices")
    anneke.until("read", lambda: anneke.field("Owner").get_attribute("value"))
    type_into(anneke, "Owner", "Joss Abery")
    anneke.driver.refresh()  # at once, before the edit had its moment to be kept
    anneke.until("kept", lambda: anneke.field("Owner").get_attribute("value") == "Joss Abery")


def test_a_reply_typed_in_the_moment_before_the_tab_closes_waits_elsewhere(screen: Open) -> None:
    signe = screen("Signe")
    signe.open("/desk/queue")
    signe.press("Two gates at Saltgate open without a ticket")
    signe.see("Details")
    signe.see("Reply to")
    record = signe.path
    signe.until("there", lambda: signe.field("Reply to"))
    signe.driver.switch_to.new_window("tab")  # closing the last tab would end the browser
    signe.driver.switch_to.window(signe.driver.window_handles[0])
    type_into(signe, "Reply to", "The left gate only, I think.")
    signe.driver.close()
    elsewhere = screen("Signe")
    elsewhere.open(record)
    elsewhere.until(
        "the words are there",
        lambda: (
            elsewhere.field("Reply to").get_attribute("value") == "The left gate only, I think."
        ),
    )


def test_what_was_reported_is_no_draft_even_when_the_page_closes_at_once(screen: Open) -> None:
    ines = screen("Ines", 390, 844)
    ines.open("/report")
    ines.fill("What is wrong?", "The ramp light flickers")
    for answer in ("Only me", "Yes, it is a nuisance"):
        ines.tick(answer)
    ines.press("Report it")
    ines.see("Thank you. It is incident")
    ines.close()
    again = screen("Ines", 390, 844)
    again.open("/report")
    again.see("Who is affected?")
    again.until("its field is there", lambda: again.field("What is wrong?"))
    kept = again.driver.execute_async_script(
        "const tell = arguments[0];"
        "fetch('/api/drafts/report').then((answer) => answer.text()).then(tell)"
    )
    assert "flickers" not in kept
    assert again.field("What is wrong?").get_attribute("value") == ""
