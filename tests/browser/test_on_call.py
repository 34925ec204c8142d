"""A rota is made, somebody is paged, answers, and everybody sees it."""

from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Server
from tests.browser.driver import Screen

Open = Callable[..., Screen]


def test_a_rota_is_made_and_whoever_is_on_call_is_paged_and_answers(
    server: Server, screen: Open
) -> None:
    anneke = screen("Anneke")
    anneke.open("/desk/working")
    anneke.see("Quayside Support")
    anneke.press_beside("Quayside Support gives", "Make a rota…")
    anneke.see("The rota of Quayside Support")
    anneke.press("Save")
    anneke.see("Everybody is of the team.")
    anneke.press("+ Bram Okafor")
    anneke.press("Save")
    anneke.see("The rota is kept.")
    anneke.see("On call: Bram Okafor")
    assert anneke.violations() == []

    signe = screen("Signe")
    signe.see("Waiting for us")
    signe.key("l")
    signe.see("Log an incident")
    signe.key("ferr nun")
    signe.see("Accountant, Ilha Clara")
    signe.key(Keys.ENTER)
    signe.see("Open for Nuno Ferrer")
    signe.fill("What is wrong", "The ramp does not come down")
    signe.choose("Service", "Boarding gates")
    signe.press("My team")
    signe.press("No, not at all")
    signe.press("Log it")
    signe.press("Open")
    signe.see("The ramp does not come down")
    signe.press("More")
    signe.press("Page on call")
    signe.choose("Of which team", "Ship Systems")
    signe.see("Joss Levering is on call now.")
    signe.press("Page")
    signe.see("This is empty.")
    signe.fill("Why they are paged", "Thirty cars wait")
    signe.press("Page")
    signe.see("has not answered yet")
    number = int(signe.path.rsplit("/", 1)[1])

    joss = screen("Joss")
    joss.open(f"/desk/tickets/{number}")
    joss.press("Answer the page")
    joss.see("answered by Joss Levering")
    signe.see("answered by Joss Levering")
    assert signe.violations() == []
