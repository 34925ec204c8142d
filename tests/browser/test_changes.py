"""Changes in the real browser: a standard one in four fields, a normal one to its doing, the
schedule with what clashes, and an administrator's window."""

import time
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Server
from tests.browser.driver import Screen

pytestmark = pytest.mark.browser
Open = Callable[..., Screen]


@pytest.fixture(autouse=True)
def no_draft(server: Server) -> None:
    server.run("from gannet.rulebook.models import Draft\nDraft.objects.all().delete()")


LONDON = ZoneInfo("Europe/London")


def evening(weeks: int = 3) -> str:
    """A Tuesday evening some weeks on, as somebody types it: in the offices' windows."""
    day = datetime.now(LONDON).date() + timedelta(weeks=weeks)
    day += timedelta(days=(1 - day.weekday()) % 7)
    if (day.month, day.day) >= (12, 20) or (day.month, day.day) <= (1, 3):
        day += timedelta(weeks=3)  # not in the freeze at Christmas
    return f"{day.isoformat()} 18:30"


def decide(server: Server, number: str, most: int = 9) -> None:
    """Whoever is asked approves, one after the other."""
    server.run(
        "from django.utils import timezone\n"
        "from gannet.people.acting import Acting\n"
        "from gannet.tickets.actions import approvals\n"
        "from gannet.tickets.models import Approval\n"
        f"for _ in range({most}):\n"
        f"    asked = Approval.objects.filter(ticket={number}, state='pending').first()\n"
        "    if asked is None:\n"
        "        break\n"
        "    approvals.decide(Acting(person=asked.asked_of, now=timezone.now()), asked.pk,"
        " approves=True, reason='')\n"
    )


def number_of(screen: Screen) -> str:
    screen.until("its page", lambda: "/desk/tickets/" in screen.path)
    return screen.path.rsplit("/", 1)[1].split("?")[0].split("#")[0]


def test_a_standard_change_takes_four_fields_and_less_than_a_minute(screen: Open) -> None:
    signe = screen("Signe")
    signe.open("/desk/changes")
    signe.see("To the CAB")
    assert signe.violations() == []
    began = time.monotonic()
    signe.press("New change…")
    signe.fill("What changes", "sign player")
    signe.press("New version of the sign player authorised beforehand")
    signe.see("From the template")
    signe.fill("Service or item", "Sign player")
    signe.press("Sign player")
    signe.fill("Begins", evening())
    signe.press("Open the draft")
    number_of(signe)
    signe.see("its template is authorised beforehand, its risk is low")
    signe.press("Submit")
    signe.see("it is authorised")
    assert time.monotonic() - began < 60
    assert "nobody" not in signe.text().split("Track record")[0]
    assert signe.violations() == []


def test_a_normal_change_from_its_gaps_to_its_doing(server: Server, screen: Open) -> None:
    joss = screen("Joss")
    joss.open("/desk/changes?new")
    joss.fill("What changes", "Longer cable for the radio")
    joss.key(Keys.ESCAPE)
    joss.press("New change…")
    assert joss.field("What changes").get_attribute("value") == "Longer cable for the radio"
    joss.fill("Service or item", "Ship-to-shore")
    joss.press("Ship-to-shore link")
    joss.press("Open the draft")
    number = number_of(joss)
    joss.see("Before it can be submitted:")
    joss.see("Write how it is backed out.")

    joss.press("Write the plan")
    for part, says in enumerate(("Lay the cable", "Make a call", "Lay the old one")):
        joss.driver.find_elements(By.XPATH, "//button[.='add a step']")[part].click()
        joss.until("the new step has the focus", lambda: joss.focused() == "What is done")
        joss.driver.switch_to.active_element.send_keys(says)
    joss.press("Save the plan")
    joss.see("Lay the old one")
    joss.not_see("Write how it is backed out.")

    joss.press("Edit")
    joss.fill("Why it is needed", "The old one breaks at sea.")
    joss.fill("Another item", "Satellite terminal 2, Mer")
    joss.press("Satellite terminal 2, Merrow")
    joss.see("remove")
    joss.press("Save")
    joss.see("The old one breaks at sea.")

    # A time outside the windows says so while it is typed; a free span is taken in one press.
    joss.press("Plan it…")
    day = evening(4).split(" ")[0]
    joss.fill("Begins", f"{day} 11:00")
    joss.fill("Ends", f"{day} 12:00")
    joss.see("outside its maintenance windows")
    slots = (By.XPATH, "//li/button[contains(., '–')]")
    joss.until("free spans", lambda: joss.driver.find_elements(*slots))
    joss.driver.find_elements(*slots)[0].click()
    joss.see("The time is set.")
    joss.not_see("outside its maintenance windows")
    assert joss.violations() == []
    joss.press("Submit")
    joss.see("submitted it")

    marit = screen("Marit")
    marit.open(f"/desk/tickets/{number}")
    marit.press("Assessed…")
    marit.fill("A word for the approvers", "Well prepared")
    marit.chord(Keys.CONTROL, Keys.ENTER)
    marit.see("to approve")
    decide(server, number)
    joss.open(f"/desk/tickets/{number}")
    joss.press("Begin")
    joss.see("before its span")
    joss.press("Implemented…")
    joss.fill("What there is to say", "As planned")
    joss.chord(Keys.CONTROL, Keys.ENTER)
    joss.see("Looked back on from")
    marit.open(f"/desk/tickets/{number}")
    marit.see("Looked back on from")
    assert marit.violations() == []


def test_the_schedule_says_what_clashes_and_is_kept_in_its_address(
    server: Server, screen: Open
) -> None:
    signe = screen("Signe")
    signe.open("/desk/changes")
    signe.see("maintenance window")
    lanes = (By.CSS_SELECTOR, "section[aria-label='Schedule'] li[aria-label]")
    signe.until("lanes", lambda: signe.driver.find_elements(*lanes))
    bars = (By.CSS_SELECTOR, "section[aria-label='Schedule'] a[data-change]")
    drawn = signe.until("bars", lambda: signe.driver.find_elements(*bars))
    assert any(" clash: " in bar.get_attribute("aria-label") for bar in drawn)

    signe.choose("How much is drawn", "Quarter")
    signe.choose("Lanes by", "by team")
    signe.until("its address", lambda: "span=quarter" in signe.path and "by=team" in signe.path)
    signe.until("more bars", lambda: len(signe.driver.find_elements(*bars)) > len(drawn))
    signe.press("Later")
    signe.until("moved on", lambda: "shift=1" in signe.path)
    signe.driver.back()
    signe.until("back again", lambda: "shift" not in signe.path)
    signe.fill("Words in a change", "satellite")
    signe.until("fewer", lambda: 0 < len(signe.driver.find_elements(*bars)) <= 12)
    signe.fill("Words in a change", "zzz")
    signe.see("No change of this time has these words.")
    signe.fill("Words in a change", Keys.BACKSPACE)

    # By keys alone: a bar is a link that says what it is.
    first = signe.until("a bar", lambda: signe.driver.find_elements(*bars))[0]
    signe.driver.execute_script("arguments[0].focus()", first)
    signe.key(Keys.ENTER)
    number_of(signe)
    signe.see("Risk ")
    signe.driver.back()
    signe.see("Schedule")
    signe.resize(820, 1000)
    assert signe.violations() == []
    signe.resize(1280, 800)


def test_an_administrators_window_says_in_words_when_it_is_open(screen: Open) -> None:
    anneke = screen("Anneke")
    anneke.open("/desk/rulebook/windows")
    anneke.see("Sunday and Thursday nights")
    anneke.press("New maintenance window")
    anneke.until("the new one is open", lambda: "open=" in anneke.path)
    anneke.see("every ")
    anneke.fill("Name", "Router mornings")
    anneke.press("Wed")
    anneke.see("every Wednesday, 01:30 to 04:30")
    rule = anneke.field("Rule of recurrence")
    assert rule.get_attribute("value") == "FREQ=WEEKLY;BYDAY=WE"
    anneke.fill("Rule of recurrence", "FREQ=MONTHLY;BYDAY=2TU")
    anneke.see("on the second Tuesday of each month, 01:30 to 04:30")
    anneke.fill("Rule of recurrence", "FREQ=HOURLY")
    anneke.see("FREQ is one of")
    anneke.fill("Rule of recurrence", "FREQ=WEEKLY;BYDAY=WE")
    anneke.see("every Wednesday")
    assert anneke.violations() == []


def test_an_administrators_group_of_items_is_offered_in_a_list(
    server: Server, screen: Open
) -> None:
    anneke = screen("Anneke")
    anneke.open("/desk/rulebook/item_groups")
    anneke.see("Network gear")
    anneke.press("New group of items")
    anneke.until("the new one is open", lambda: "open=" in anneke.path)
    anneke.fill("Name", "Quay printers")
    anneke.fill("Another item", "Printer 1, Salt")
    anneke.press("Printer 1, Saltgate")
    anneke.see("Printer 1, Saltgate")
    assert anneke.violations() == []
    anneke.open("/desk/rulebook/differences")
    anneke.see("Quay printers")
    anneke.press("Publish…")
    anneke.fill("What changes, and why", "A group for the quay")
    anneke.press("Publish now")
    anneke.see("is in force.")
    fields: Any = anneke.driver.execute_async_script(
        "const done = arguments[0];"
        "fetch('/api/fields').then((r) => r.json()).then((all) =>"
        " done(all.find((one) => one.name === 'ci.group').choices))"
    )
    assert "Quay printers" in fields
