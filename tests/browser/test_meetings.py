"""The CAB's meeting, dragging on the schedule, and a release of three, in the real browser."""

import time
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Server
from tests.browser.driver import Screen

pytestmark = pytest.mark.browser
Open = Callable[..., Screen]
LONDON = ZoneInfo("Europe/London")
# A change of Joss's of the booking site, far ahead: `made(title, weeks, **more)` is its number.
MAKING = """
from datetime import datetime, timedelta
from django.utils import timezone
from gannet.changes import planning, releases, stages
from gannet.changes.models import ChangeFacts
from gannet.estate.models import ConfigItem, Service
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions import approvals
from gannet.tickets.models import Approval, Ticket
now = timezone.now()
joss = Acting(person=Person.objects.get(name="Joss Levering"), now=now)
marit = Acting(person=Person.objects.get(name="Marit Osei"), now=now)
def made(title, starts_s, key="booking-site", minutes=45, **more):
    new = planning.NewChange(title=title, why="x", items=[ConfigItem.objects.get(key=key)],
        service=Service.objects.get(name="Web booking"), starts_s=starts_s,
        ends_s=starts_s + minutes * 60, **more)
    ticket = planning.open_change(new, joss)
    planning.edit(ticket.pk, joss, {"steps": [
        {"part": part, "says": f"{part} of {title}", "minutes": 10}
        for part in ("implement", "test", "back out")]})
    return ticket
def until_cab(ticket):
    stages.submit(ticket.pk, joss)
    # Before the cut-off of the next meeting, on whatever day and hour this is run.
    early = int((now - timedelta(days=2)).timestamp())
    ChangeFacts.objects.filter(ticket=ticket.pk).update(submitted_s=early)
    stages.assess_it(ticket.pk, marit)
    for _ in range(9):
        asked = Approval.objects.filter(ticket=ticket, state="pending").select_related("stage").first()
        if asked is None or asked.stage.key == "cab":
            return
        approvals.decide(Acting(person=asked.asked_of, now=now), asked.pk, approves=True, reason="")
"""


def ahead(weeks: int, hour: int = 2) -> int:
    """A Thursday night some weeks on, outside the freeze at Christmas."""
    day = datetime.now(LONDON).date() + timedelta(weeks=weeks)
    day += timedelta(days=(3 - day.weekday()) % 7)
    if (day.month, day.day) >= (12, 18) or (day.month, day.day) <= (1, 5):
        day += timedelta(weeks=4)
    return int(datetime(day.year, day.month, day.day, hour, 0, tzinfo=LONDON).timestamp())


def run(server: Server, code: str) -> str:
    """Run code with the helpers above; returns what it prints last."""
    return str(server.run(MAKING + code)).strip().splitlines()[-1]


def test_a_meeting_is_run_from_its_page(server: Server, screen: Open) -> None:
    first = run(server, f"t = made('New certificates', {ahead(6)})\nuntil_cab(t)\nprint(t.pk)")
    second = run(server, f"t = made('New front page', {ahead(7)})\nuntil_cab(t)\nprint(t.pk)")
    marit = screen("Marit")
    marit.open("/desk/changes")
    marit.press("Agenda and minutes")
    marit.see("undecided, the riskiest first")
    marit.see("New certificates")
    assert marit.violations() == []

    box = marit.driver.find_elements(By.CSS_SELECTOR, "section[aria-label='Attendance'] input")[0]
    box.click()
    marit.see("1 of")
    marit.fill("What was said", "Certificates first.")
    marit.press("Keep the notes")
    marit.see("They go out with the minutes.")

    item = marit.driver.find_element(By.CSS_SELECTOR, "article[aria-label='New certificates']")
    item.find_element(By.XPATH, ".//button[.='On condition…']").click()
    marit.fill("What has to be done before it begins", "Tell the ticket offices")
    marit.key(Keys.ENTER)
    marit.see("Authorised on condition: Tell the ticket offices")
    other = marit.driver.find_element(By.CSS_SELECTOR, "article[aria-label='New front page']")
    other.find_element(By.XPATH, ".//button[.='Put off…']").click()
    marit.fill("What the board wants to know first", "Who has seen it?")
    marit.key(Keys.ENTER)
    marit.see("Put off: Who has seen it?")

    marit.press("Invite")
    marit.see("are invited.")
    marit.open("/desk/changes/cab")
    kept = "Certificates first."
    marit.until("the notes", lambda: marit.field("What was said").get_attribute("value") == kept)
    marit.open(f"/desk/tickets/{first}")
    marit.see("planned")
    marit.see("Tell the ticket offices")

    joss = screen("Joss")
    joss.open("/desk/changes/cab")
    joss.see("Certificates first.")
    for label in ("Invite", "Send the minutes", "Keep the notes", "Authorise"):
        assert not joss.driver.find_elements(By.XPATH, f"//button[.='{label}']"), label
    assert run(server, f"print(Ticket.objects.get(pk={second}).is_open)") == "True"


def bar(screen: Screen, number: str) -> Any:
    found = (By.CSS_SELECTOR, f"[data-change='{number}'] > span")
    screen.until("its bar", lambda: screen.driver.find_elements(*found))
    return screen.driver.find_elements(*found)[0]


def test_a_change_is_dragged_into_a_clash_and_out_by_keys(server: Server, screen: Open) -> None:
    starts = ahead(9)
    fixed = run(
        server, f"t = made('Stays there', {starts})\nstages.submit(t.pk, joss)\nprint(t.pk)"
    )
    number = run(server, f"print(made('Is moved', {starts} + 4 * 3600, minutes=60).pk)")
    # The week that has it: how many weeks on from the one that is drawn.
    today = datetime.now(LONDON).date()
    monday = today - timedelta(days=today.weekday())
    weeks = (datetime.fromtimestamp(starts, LONDON).date() - monday).days // 7
    joss = screen("Joss")
    joss.open(f"/desk/changes?span=week&shift={weeks}")
    pixels = 4 * 3600 / (7 * 86_400) * 1070
    chain = ActionChains(joss.driver)
    chain.move_to_element_with_offset(bar(joss, number), -1, 0).click_and_hold()
    chain.move_by_offset(-round(pixels / 2), 0).pause(0.1)
    chain.move_by_offset(-round(pixels / 2), 0).pause(1.0).perform()
    joss.see("clash: same")
    ActionChains(joss.driver).send_keys(Keys.ESCAPE).perform()
    joss.not_see("clash: same")
    ActionChains(joss.driver).release().perform()
    time.sleep(0.3)
    assert joss.path.startswith("/desk/changes"), "leaving it opens nothing"
    kept = f"print(planning.facts_of(Ticket.objects.get(pk={number})).starts_s)"
    assert run(server, kept) == str(starts + 4 * 3600)

    link = joss.driver.find_element(By.CSS_SELECTOR, f"[data-change='{number}']")
    joss.driver.execute_script("arguments[0].focus()", link)
    for _ in range(4):
        ActionChains(joss.driver).key_down(Keys.SHIFT).send_keys(Keys.ARROW_RIGHT).key_up(
            Keys.SHIFT
        ).perform()
    joss.see("Let go or press Enter")
    joss.key(Keys.ENTER)
    joss.see(f"{number} is planned for")
    assert run(server, kept) == str(starts + 5 * 3600)
    joss.press("Undo")
    joss.until("it is back", lambda: run(server, kept) == str(starts + 4 * 3600))
    assert joss.violations() == []
    assert run(server, kept.replace(number, fixed)) == str(starts)


def test_a_view_is_kept_and_a_calendar_reads_it(server: Server, screen: Open) -> None:
    joss = screen("Joss")
    joss.open("/desk/changes?span=month&by=team")
    joss.press("Views")
    joss.fill("Name of the view", "Teams of the month")
    joss.key(Keys.ENTER)
    joss.see("“Teams of the month” is kept.")
    joss.press("Link to Teams of the month")
    joss.see("Whoever has it reads this view as you do.")
    address = joss.field("The link").get_attribute("value")
    path = str(address).partition("/feeds/")[2]
    joss.driver.execute_script("window.open('about:blank')")
    found = joss.driver.execute_async_script(
        "const done = arguments[1];"
        "fetch(arguments[0], {credentials: 'omit'}).then((r) => r.text()).then(done)",
        f"/feeds/{path}",
    )
    assert str(found).startswith("BEGIN:VCALENDAR")
    joss.open("/desk/changes")
    joss.press("Views")
    joss.press("Teams of the month")
    joss.until("its span and lanes", lambda: "span=month" in joss.driver.current_url)
    joss.press("Remove Teams of the month")
    joss.see("is removed.")


def test_a_release_of_three_goes_together_and_stops_at_a_go(server: Server, screen: Open) -> None:
    starts = ahead(12)
    keys = ("booking-site", "gate-server", "mail-server-1")
    parts = [run(server, f"print(made('Part {key}', {starts}, key='{key}').pk)") for key in keys]
    joss = screen("Joss")
    joss.open("/desk/changes?new")
    joss.fill("What changes", "Three at once")
    joss.tick("A release: it carries several changes together")
    joss.fill("Service or item", "Web booking")
    joss.press("Web booking")
    joss.press("Open the draft")
    joss.until("its page", lambda: "/desk/tickets/" in joss.path)
    number = joss.path.rsplit("/", 1)[1].split("?")[0]
    joss.see("Name the changes that it carries.")
    for part in parts:
        joss.fill("A draft that it carries too", part)
        option = f"//*[@role='option'][contains(., '{part}')]"
        offered = (By.CSS_SELECTOR, "[role=option]")
        joss.until("it alone", lambda: len(joss.driver.find_elements(*offered)) == 1)  # noqa: B023
        joss.driver.find_element(By.XPATH, option).click()
        joss.until("it goes with it", lambda: f"Let {part} leave" in joss.driver.page_source)  # noqa: B023
    joss.press("Phases…")
    joss.fill("Name of phase 1", "Booking")
    joss.press("another phase")
    joss.fill("Name of phase 2", "Gates and mail")
    joss.driver.find_elements(By.XPATH, "//label[contains(., 'waits for a go')]/input")[1].click()
    for select in joss.driver.find_elements(By.XPATH, "//fieldset//select")[1:]:
        select.find_elements(By.TAG_NAME, "option")[1].click()
    joss.press("Keep the phases")
    joss.see("2. Gates and mail")
    assert joss.violations() == []

    joss.press(f"Let {parts[2]} leave")
    joss.see("without it")
    joss.press("Cancel")
    run(
        server,
        f"planning.edit({number}, joss, {{'why': 'At once', 'starts_s': {starts}, 'ends_s': {starts} + 7200}})\n"
        f"t = Ticket.objects.get(pk={number})\n"
        "until_cab(t)\n"
        "for asked in Approval.objects.filter(ticket=t, state='pending'):\n"
        "    approvals.decide(marit, asked.pk, approves=True, reason='All of them')\n"
        "    break\n"
        "print(1)",
    )
    joss.open(f"/desk/tickets/{number}")
    joss.press("Begin")
    joss.see("0 of 2 tasks done")
    joss.open(f"/desk/tickets/{parts[1]}")
    joss.see(f"release {number}")
    joss.see("under way")
