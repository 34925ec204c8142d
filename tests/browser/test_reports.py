"""Reports in the real browser: a matrix from nothing, a number to its records, kept and mailed."""

import json
import time
from collections.abc import Callable
from urllib.parse import parse_qs, urlparse

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Server
from tests.browser.driver import Screen

pytestmark = pytest.mark.browser
Open = Callable[..., Screen]
COUNTS = "section table tbody td button, [aria-label='The table'] tbody td button"


def choose(who: Screen, word: str, option: str) -> None:
    """Open a word of the sentence by what it is, and choose another for it."""
    who.press(word)

    def chosen() -> bool:
        found = [
            one
            for one in who.driver.find_elements(
                By.CSS_SELECTOR, "[data-radix-popper-content-wrapper] li button"
            )
            if one.text.strip() == option
        ]
        if not found:
            boxes = who.driver.find_elements(
                By.CSS_SELECTOR, "[data-radix-popper-content-wrapper] input[aria-label^='Search']"
            )
            if boxes and not boxes[0].get_attribute("value"):
                boxes[0].send_keys(option)
            return False
        found[0].click()
        return True

    who.until(f"should offer {option!r} for {word!r}", chosen)


def open_all(who: Screen) -> None:
    """Open the list of all reports, however many there are."""

    def opened() -> bool:
        who.driver.find_element(
            By.CSS_SELECTOR, "nav[aria-label='Reports'] button[aria-haspopup]"
        ).click()
        return True

    who.until("should open the list of all reports", opened)


def counts(who: Screen) -> list[str]:
    found = who.driver.find_elements(By.CSS_SELECTOR, COUNTS)
    return [one.text for one in found]


def test_a_matrix_from_nothing_with_a_second_axis_and_a_number_to_its_ticket(
    screen: Open,
) -> None:
    tomas = screen("Tomas")
    tomas.open("/desk/reports")
    open_all(tomas)
    tomas.press("Begin with a blank one")
    choose(tomas, "What happened", "closed")
    choose(tomas, "Span", "last 90 days")
    choose(tomas, "Rows:", "month opened")
    choose(tomas, "Columns", "month closed")
    choose(tomas, "Another figure", "average age")
    choose(tomas, "Drawn as", "bars and a line")
    tomas.until("a drawing", lambda: tomas.driver.find_elements(By.CSS_SELECTOR, "figure svg"))
    tomas.see("average age, days")
    said = parse_qs(urlparse(tomas.driver.current_url).query)["as"][0]
    assert json.loads(said)["columns"] == {"by": "month", "field": "closed"}
    assert tomas.violations() == []

    first = tomas.until("a count", lambda: tomas.driver.find_elements(By.CSS_SELECTOR, COUNTS))[0]
    count = first.text
    first.click()
    tomas.see("most first")
    panel = tomas.driver.find_element(By.CSS_SELECTOR, "aside[aria-label='Records of the number']")
    tomas.until("its count", lambda: panel.text.split(" record")[0].splitlines()[-1] == count)
    tomas.press("Open as a list")
    tomas.until("the list", lambda: "/desk/queue" in tomas.driver.current_url)
    tomas.see(f"{count} ")
    tomas.driver.back()
    tomas.until("the report", lambda: "/desk/reports" in tomas.driver.current_url)
    tomas.see("average age, days")
    assert count in counts(tomas)
    assert tomas.complaints() == []


def test_words_are_changed_by_keys_gone_back_on_and_nonsense_is_refused(screen: Open) -> None:
    tomas = screen("Tomas")
    tomas.open("/desk/reports?report=sla")
    tomas.see("response SLA met")
    word = tomas.find("Span")
    word.send_keys(Keys.ENTER)
    tomas.until(
        "the choices",
        lambda: tomas.driver.find_elements(By.CSS_SELECTOR, "[aria-label='Span'] li button"),
    )
    tomas.driver.switch_to.active_element.send_keys(Keys.ESCAPE)
    choose(tomas, "Span", "last month")
    tomas.see("SLA results, changed")
    tomas.driver.back()
    tomas.until("as it was", lambda: "as=" not in tomas.driver.current_url)
    tomas.see("this month")
    tomas.open("/desk/reports?report=sla&as=nonsense")
    tomas.see("response SLA met")
    tomas.open("/desk/reports?as=" + json.dumps({"event": "eaten", "rows": [], "measures": []}))
    tomas.see("“eaten” is none of")
    tomas.see("Incidents")


def test_a_report_is_kept_and_goes_out_by_mail_and_the_mail_is_there(
    server: Server, screen: Open
) -> None:
    tomas = screen("Tomas")
    tomas.open("/desk/reports?report=age-of-open")
    tomas.see("Age of open work")
    tomas.press("Save as")
    tomas.fill("Name", "Open work of the board")
    tomas.press("Save")
    tomas.see("“Open work of the board” is saved.")
    tomas.press("Send it by mail")
    tomas.fill("To, addresses", "tomas.wray@northmere.example; board@outside.example")
    tomas.fill("A note that stands first", "Please decide by Friday.")
    tomas.press("Send it so")
    tomas.see(
        "Goes out every Monday at 07:00 to tomas.wray@northmere.example, board@outside.example"
    )
    assert tomas.violations() == []
    server.run(
        "from gannet.reports.models import Delivery\nDelivery.objects.update(next_s=1)\nprint(1)"
    )
    end = time.monotonic() + 60
    said = ""
    while "board@outside.example" not in said and time.monotonic() < end:
        time.sleep(1)
        said = str(
            server.run(
                "from gannet.messages.models import Outgoing\n"
                "for one in Outgoing.objects.filter(event_name='report delivery'):\n"
                "    print(one.to, one.subject, [(f.name, bytes(f.content)[:4]) for f in one.files.all()])"
            )
        )
    assert "open-work-of-the-board.pdf', b'%PDF" in said, said
    assert "open-work-of-the-board.xlsx', b'PK" in said
    tomas.open(tomas.path)
    tomas.see("Goes out every Monday")
    marks = tomas.driver.find_elements(By.CSS_SELECTOR, "ol[aria-label='What went out'] li")
    assert len(marks) == 1 and "sent: " in str(marks[0].get_attribute("innerText"))


def test_a_dashboard_is_arranged_by_keys_and_hung_up(server: Server, screen: Open) -> None:
    tomas = screen("Tomas")
    tomas.open("/desk/dashboards")
    tomas.press("New dashboard")
    tomas.fill("Name of the dashboard", "Harbour")
    for report, show in (("When work arrives", "its drawing"), ("SLA results", "its figures")):
        choose(tomas, "Report:", report)
        choose(tomas, "Shown as", show)
        tomas.press("Add it")
    tomas.press("Move SLA results up")
    tomas.press("Save")
    tomas.see("“Harbour” is saved.")
    tomas.see("response SLA met")
    rows = "section[aria-label='arrivals'], section[aria-label='sla']"
    boxes = [one.rect for one in tomas.driver.find_elements(By.CSS_SELECTOR, rows)]
    assert len(boxes) == 2 and boxes[0]["y"] == boxes[1]["y"], boxes  # side by side
    choose(tomas, "Team:", "Networks")
    tomas.until("the team", lambda: "team=Networks" in tomas.driver.current_url)
    assert tomas.violations() == []

    tomas.press("On the wall")
    tomas.see("leave the wall")
    tomas.see("Networks")
    tomas.driver.find_element(By.TAG_NAME, "body").send_keys(Keys.ESCAPE)
    tomas.see("Change…")
    assert tomas.complaints() == []


def test_a_dashboard_is_shared_by_a_link_that_is_ended(server: Server, screen: Open) -> None:
    marit = screen("Marit")
    marit.open("/desk/dashboards")
    marit.press("More")
    marit.press("Links for people without an account")
    marit.fill("For whom, for your own memory", "Kelp Market")
    marit.press("Make a link")
    marit.see("Copy it now; it is not shown again.")
    address = str(
        marit.driver.find_element(By.CSS_SELECTOR, "input[aria-label='The link']").get_attribute(
            "value"
        )
    )
    assert marit.violations() == []
    guest = screen(None)
    guest.open("/" + address.split("/", 3)[3])
    guest.see("from Marit Osei, until")
    guest.see("Unassigned")
    guest.see("likely to be missed by")
    assert guest.driver.find_elements(By.CSS_SELECTOR, "section a, section button") == []
    assert guest.violations() == []
    # The wall lives through a restart of the server: it shows what it has, and looks again.
    server.restart()
    guest.driver.execute_script("window.dispatchEvent(new Event('focus'))")
    guest.see("from Marit Osei, until")
    marit.open("/desk/dashboards")
    marit.press("More")
    marit.press("Links for people without an account")
    marit.see("opened from 127.0.0.1")
    marit.press("End it")
    marit.see("The link opens nothing any more.")
    guest.driver.refresh()
    guest.see("This link opens nothing, or no more")


def test_a_question_becomes_a_report_on_tasks_and_opens_its_records(screen: Open) -> None:
    tomas = screen("Tomas")
    tomas.open("/desk/reports")
    open_all(tomas)
    asked = tomas.driver.switch_to.active_element
    asked.send_keys("how do you do")
    tomas.see("No report says that.")
    asked.send_keys(Keys.CONTROL, "a")
    asked.send_keys("tasks made this year by team")
    tomas.see("It could mean")
    tomas.press("Tasks made this year by team: count")
    tomas.see("Tasks made this year by team")
    tomas.until("should count tasks", lambda: counts(tomas))
    many = counts(tomas)[-1]
    tomas.driver.find_elements(By.CSS_SELECTOR, COUNTS)[-1].click()
    tomas.see(f"{many} record")
    assert tomas.violations() == []
    # On another kind of record the sentence keeps what that one has.
    choose(tomas, "Which records", "Waits")
    tomas.see("Waits begun this year by team")


def test_what_came_and_went_opens_exactly_what_it_counts(screen: Open) -> None:
    tomas = screen("Tomas")
    tomas.open("/desk/reports?report=flow")
    tomas.until("should show the weeks", lambda: len(counts(tomas)) >= 3)
    came = next(
        one
        for one in tomas.driver.find_elements(By.CSS_SELECTOR, COUNTS)
        if ", came: " in (one.get_attribute("aria-label") or "")
    )
    many = came.text
    came.click()
    tomas.see(f"{many} record")
    tomas.see("came in week")
    assert tomas.violations() == []
