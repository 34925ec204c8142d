"""What a browser keeps of one person is gone for the next at the same computer."""

from collections.abc import Callable

import pytest

from tests.browser.conftest import Server
from tests.browser.driver import Screen

pytestmark = pytest.mark.browser
Open = Callable[..., Screen]
SECRET = "Their password is on the yellow note."
TICKET = "Two gates at Saltgate open without a ticket"


def kept_here(screen: Screen) -> str:
    """Everything that the browser itself keeps for this application."""
    script = "return JSON.stringify({...localStorage}) + JSON.stringify({...sessionStorage})"
    return str(screen.driver.execute_script(script))


def cut_off(screen: Screen, *, is_off: bool = True) -> None:
    """Take the network away, so that only what the browser itself has can be shown."""
    screen.driver.execute_cdp_cmd("Network.enable", {})
    screen.driver.execute_cdp_cmd(
        "Network.emulateNetworkConditions",
        {"offline": is_off, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1},
    )


def write(screen: Screen) -> None:
    screen.open("/desk/queue")
    screen.press(TICKET)
    screen.see("Details")
    screen.fill("Reply to", SECRET)


def sign_out(screen: Screen) -> None:
    screen.press("SH, Signe Hallam: menu")
    screen.press("Sign out")
    screen.see("Sign in as")


def test_signing_out_leaves_nothing_for_the_next_person(screen: Open) -> None:
    shared = screen("Signe")
    write(shared)
    sign_out(shared)  # at once, before the draft had its second to be kept
    assert SECRET not in kept_here(shared)
    shared.press("Marit Osei")
    shared.see("Waiting for us")
    # Everything Marit has not read herself is not there, though Signe had read it.
    cut_off(shared)
    shared.driver.back()
    shared.driver.back()
    shared.not_see(TICKET)
    assert SECRET not in shared.driver.page_source
    cut_off(shared, is_off=False)
    # Nothing that Signe typed is lost: it waits for her, wherever she goes on.
    elsewhere = screen("Signe")
    elsewhere.open("/desk/queue")
    elsewhere.press(TICKET)
    elsewhere.until(
        "the draft is there",
        lambda: elsewhere.field("Reply to").get_attribute("value") == SECRET,
    )
    elsewhere.fill("Reply to", " ")


def test_another_person_over_an_ended_session_begins_anew(server: Server, screen: Open) -> None:
    shared = screen("Signe")
    write(shared)
    shared.until("it is kept", lambda: SECRET in kept_here(shared))
    server.run("from django.contrib.sessions.models import Session\nSession.objects.all().delete()")
    shared.see("Your session has ended", patience=30)
    shared.press("Sign in again")
    shared.press("Marit Osei")
    shared.not_see("Your session has ended")
    shared.until("Signe's words are gone", lambda: SECRET not in shared.driver.page_source)
    assert SECRET not in kept_here(shared)
    value = shared.field("Reply to").get_attribute("value")
    assert SECRET not in (value or "")


def test_signing_out_in_one_tab_signs_the_others_out(screen: Open) -> None:
    shared = screen("Signe")
    write(shared)
    first = shared.driver.current_window_handle
    shared.driver.switch_to.new_window("tab")
    shared.open("/desk/queue")
    sign_out(shared)
    shared.driver.switch_to.window(first)
    shared.see("Sign in as")
    assert SECRET not in shared.driver.page_source and TICKET not in shared.text()
