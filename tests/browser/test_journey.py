"""Journeys through the real interface, as people go through it."""

import re
import smtplib
import time
from collections.abc import Callable
from email.message import EmailMessage
from pathlib import Path
from typing import Any

import pytest
from PIL import Image
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Server
from tests.browser.driver import Screen

pytestmark = pytest.mark.browser
Open = Callable[..., Screen]
FAULT = "The gate at our ramp reads no barcode since six"


def report(screen: Screen, words: str, picture: Path | None = None) -> int:
    """Report a fault on the portal; returns its number."""
    screen.open("/")
    screen.fill("What do you need", words)
    screen.press("report\nReport a problem with Boarding gates")
    screen.see("Who is affected?")
    screen.tick("My team or this counter")
    screen.tick("No, not at all")
    if picture:
        screen.driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(picture))
        screen.see(picture.name)
    screen.press("Report it")
    screen.see("Thank you. It is incident")
    found = re.search(r"incident (\d+)", screen.text())
    assert found
    return int(found[1])


def test_a_fault_from_report_to_closing_across_three_people(
    server: Server, screen: Open, tmp_path: Path
) -> None:
    picture = tmp_path / "gate.png"
    Image.new("RGB", (40, 30), "red").save(picture)
    ines, signe = screen("Ines"), screen("Signe")

    # Report: one field, what fits is offered, plain questions, a number and when they hear.
    signe.see("Good ")
    number = report(ines, FAULT, picture)
    ines.see("A problem with Boarding gates")
    ines.see("You will hear")
    assert "by " in ines.text()

    # See: it is on Signe's Lookout by itself.
    signe.see(str(number))
    signe.open(f"/desk/tickets/{number}")
    signe.see(FAULT)
    signe.see("Bridge crew · 75 % of the target")
    signe.press("why: agreement")
    signe.see("rulebook edition ")
    signe.see("Sailing-critical")
    signe.key(Keys.ESCAPE)
    signe.press("why: priority")
    signe.see("My team or this counter")
    signe.key(Keys.ESCAPE)
    assert signe.until(
        "the picture is shown", lambda: signe.driver.find_elements(By.CSS_SELECTOR, "article img")
    )

    # Work: take, reply, wait on the requester.
    signe.press("Take it")
    signe.see("It is yours now.")
    signe.fill("Reply to Ines", "Is the light on the reader on?")
    signe.press("Send and…")
    signe.press("wait on Ines")
    signe.see("waiting on Ines Corrado")

    # Tell: the mail is in the Mail room, and is answered there as Ines.
    ines.open("/desk/mailroom")
    subject = f"[Gannet {number}] {FAULT}"
    ines.until("both mails", lambda: ines.text().count(subject) >= 2, patience=40)
    ines.press(subject)
    ines.see("Is the light on the reader on?")
    ines.press("Answer as ines.corrado")
    ines.fill("Message", "No, it is dark.")
    ines.press("Send")

    # The answer resumes it, marks it answered, and is on Signe's screen by itself.
    signe.see("No, it is dark.", patience=40)
    signe.see("answered")
    signe.see("resumed automatically")

    # Hand over with the reason, which reaches Joss on his Lookout and page.
    signe.press("Hand over")
    signe.choose("To team", "Ship Systems")
    signe.until("people of the team", lambda: "Joss" in signe.field("To person").text)
    signe.choose("To person", "Joss Levering")
    signe.press("Hand over")
    signe.see("A hand-over needs its reason.")
    signe.fill("Why", "Power comes from the ship here.")
    signe.press("Hand over")
    signe.see("Handed over.")
    joss = screen("Joss")
    joss.see("handed to you")
    joss.open(f"/desk/tickets/{number}")
    joss.see("Power comes from the ship here.")

    # Priority by hand: clocks retarget, nothing is reset.
    joss.key("p")
    joss.choose("Priority", "P1")
    joss.fill("Why", "full ship waiting")
    joss.press("Set priority")
    joss.see("by hand: full ship waiting")
    joss.see("of 8 min, ")  # the answer clock, read again with 10 min at 75 %

    # Resolve; Ines sees it, reopens, it is resolved again.
    joss.key("z")
    joss.fill("What was done?", "Changed the fuse of the reader.")
    joss.press("Resolve")
    joss.see("closes by itself")
    ines.open(f"/my/{number}")
    ines.see("Changed the fuse of the reader.")
    ines.press("It is not solved")
    ines.fill("What is still wrong?", "Dark again.")
    ines.press("Tell the desk")
    ines.see("With Ship Systems")
    joss.see("Dark again.")
    joss.key("z")
    joss.fill("What was done?", "Changed the cable too.")
    joss.press("Resolve")
    joss.see("resolved")

    # Close and count: the worker closes it when its time has come; the report shows it.
    server.run(
        f"from gannet.tickets.models import Timer\nTimer.objects.filter(ticket={number}, kind='close', state=1).update(at_s=1)"
    )
    ines.open(f"/my/{number}")
    ines.see("closed by itself after the closing period", patience=40)
    signe.open("/desk/reports/targets")
    signe.see("SLA results")
    cell = signe.until(
        "a number of the report",
        lambda: [
            link
            for link in signe.driver.find_elements(
                By.CSS_SELECTOR, "td a[aria-label$='met, open them']"
            )
            if not str(link.get_attribute("aria-label")).startswith("0 ")
        ],
    )[0]
    wanted = int(cell.get_attribute("aria-label").split()[0])
    cell.click()
    signe.see(f"{wanted} tickets:" if wanted != 1 else "1 tickets:")
    rows = signe.until(
        "the tickets behind it", lambda: signe.driver.find_elements(By.CSS_SELECTOR, "[id^=row-]")
    )
    assert 0 < len(rows) <= wanted
    assert "held" in server.run(
        "from gannet.audit.log import verify\nheld, broken = verify()\nprint('held' if broken is None else broken)"
    )
    for who in (ines, signe, joss):
        assert who.complaints() == []


def test_mail_over_the_wire_becomes_a_ticket_and_its_answer_threads(
    server: Server, screen: Open
) -> None:
    mail = EmailMessage()
    mail["From"], mail["To"] = "maeve.tarrant@northmere.example", "help@northmere.example"
    mail["Subject"], mail["Message-ID"] = "Wire mail about a till", "<wire-1@sea.example>"
    mail.set_content("Till 3 prints blank tickets.")
    with smtplib.SMTP("127.0.0.1", server.mail_port) as wire:
        wire.send_message(mail)
    signe = screen("Signe")
    signe.open("/desk/mailroom")
    signe.see("became a ticket", patience=40)
    signe.press("Wire mail about a till")
    signe.press("incident ")
    signe.see("Till 3 prints blank tickets.")
    signe.see("by e-mail")


def test_log_on_the_phone_by_keyboard_only(screen: Open) -> None:
    signe = screen("Signe")
    signe.see("Waiting for us")
    signe.key("l")
    signe.see("Log an incident")
    signe.key("ferr nun")
    signe.see("Accountant, Ilha Clara")
    signe.key(Keys.ENTER)
    signe.see("Open for Nuno Ferrer")
    signe.see("Expenses claim 317 stuck")
    signe.key(Keys.TAB, "Phone on the desk is dead", Keys.TAB, "No tone at all.")
    signe.choose("Service", "Terminal phones")
    signe.press("Log it")
    signe.see("Choose one: the priority follows from it.")
    signe.press("Only me")
    signe.press("Yes, with difficulty")
    signe.press("Log it")
    signe.see("Logged as")
    signe.press("Open")
    signe.see("Phone on the desk is dead")
    number = int(signe.path.rsplit("/", 1)[1])

    # The whole pass by keys: take, note, reply, resolve.
    signe.key("a")
    signe.see("It is yours now.")
    signe.key("n")
    signe.see("desk only, never sent")
    signe.key("Cable was pulled.")
    signe.chord(Keys.CONTROL, Keys.ENTER)
    signe.see("Note added.")
    signe.key(Keys.ESCAPE, "r")
    signe.until(
        "the reply is chosen",
        lambda: signe.find("Reply to Nuno").get_attribute("aria-pressed") == "true",
    )
    signe.key("Put the cable back, please.")
    signe.chord(Keys.CONTROL, Keys.ENTER)
    signe.see("Sent in ten seconds.")
    signe.key(Keys.ESCAPE, "z")
    signe.key("Cable put back.")
    signe.chord(Keys.CONTROL, Keys.ENTER)
    signe.see("Resolved.")
    signe.press("Undo")
    signe.see("Taken back.")
    signe.see("in progress")
    signe.chord(Keys.CONTROL, "k")
    signe.key(str(number))
    signe.see("Phone on the desk is dead")
    signe.key(Keys.ESCAPE, "?")
    signe.see("None of them acts while you type.")


def test_back_finds_the_same_list_at_the_same_place(screen: Open) -> None:
    signe = screen("Signe", height=420)
    signe.open("/desk/queue")
    signe.see("shown")
    signe.press("Resolved this week")
    signe.see("resolved, latest first")
    before_filter = signe.path
    height = "return document.documentElement.scrollHeight"
    signe.until("the list", lambda: signe.driver.execute_script(height) > 1200)
    signe.driver.execute_script("window.scrollTo(0, 700)")
    time.sleep(0.5)
    place = signe.driver.execute_script("return window.scrollY")
    assert place > 200, "the list is long enough to scroll"
    row = signe.driver.execute_script(
        "return [...document.querySelectorAll('[id^=row-] a')].find((a) => a.getBoundingClientRect().top > 150)"
    )
    row.click()
    signe.see("Details")
    signe.driver.back()
    signe.see("resolved, latest first")
    assert signe.path == before_filter
    signe.until(
        "the same place",
        lambda: abs(signe.driver.execute_script("return window.scrollY") - place) < 60,
    )
    signe.driver.back()
    signe.until("the list before", lambda: "resolved" not in signe.path)


def test_the_sentence_filter_and_its_words(screen: Open) -> None:
    signe = screen("Signe")
    signe.open("/desk/queue")
    signe.press("+ and…")
    signe.key("priority", Keys.ENTER)
    signe.tick("P1")
    signe.tick("P2")
    signe.press("Done")
    signe.see("priority is P1 or P2")
    signe.until(
        "only P1 and P2",
        lambda: (
            {
                e.text
                for e in signe.driver.find_elements(
                    By.CSS_SELECTOR, "[id^=row-] [role=cell]:first-child"
                )
            }
            <= {"P1", "P2"}
        ),
    )
    signe.press("count all")
    signe.see("in all")
    signe.open("/desk/queue?filter=%7Bnonsense")
    signe.see("Everything where")
    signe.open('/desk/queue?filter={"all":[{"field":"title","op":"contains","value":"zzzz"}]}')
    signe.see("Nothing fits this sentence")


def test_a_stale_edit_asks_and_loses_nobodys_words(server: Server, screen: Open) -> None:
    signe = screen("Signe")
    number = int(
        server.run(
            "from gannet.tickets.models import Ticket\nprint(Ticket.objects.filter(is_open=True, holder__name='Signe Hallam').order_by('id').first().pk)"
        )
    )
    signe.open(f"/desk/tickets/{number}")
    signe.see("Details")
    signe.press("Change Place")
    server.run(
        "from gannet.tickets import actions\nfrom gannet.people.models import Person\nfrom django.utils import timezone\n"
        f"actions.change_facts({number}, actions.Acting(person=Person.objects.get(name='Marit Osei'), now=timezone.now()), {{'place': 'Vell Island'}}, None)"
    )
    signe.see("Marit Osei changed place")
    signe.choose("place", "Orrin Bay")
    signe.see("Somebody changed place meanwhile.")
    signe.see("Theirs: Vell Island. Yours: Orrin Bay.")
    signe.press("Use mine")
    signe.see("Changed.")
    assert (
        server.run(
            f"from gannet.tickets.models import Ticket\nprint(Ticket.objects.get(pk={number}).place)"
        )
        == "Orrin Bay"
    )


def test_a_session_that_ends_keeps_the_draft(server: Server, screen: Open) -> None:
    signe = screen("Signe")
    signe.press("Roster shows Tuesday's crew twice")
    signe.see("Details")
    signe.fill("Reply to Lena", "Half a sentence that must not")
    server.run("from django.contrib.sessions.models import Session\nSession.objects.all().delete()")
    signe.key(" be lost")
    signe.see("Your session has ended", patience=30)
    signe.key(", not even now")  # the words go on where they were
    signe.press("Sign in again")
    signe.press("Signe Hallam")
    signe.not_see("Your session has ended")
    assert (
        signe.field("Reply to Lena").get_attribute("value")
        == "Half a sentence that must not be lost, not even now"
    )
    signe.driver.back()
    signe.see("Waiting for us")
    signe.driver.forward()
    signe.until(
        "the draft came back",
        lambda: "must not be lost" in (signe.field("Reply to Lena").get_attribute("value") or ""),
    )
    signe.driver.refresh()
    signe.until(
        "after loading again too",
        lambda: "must not be lost" in (signe.field("Reply to Lena").get_attribute("value") or ""),
    )


def test_two_who_look_at_one_ticket_see_each_other_and_who_took_it(screen: Open) -> None:
    signe, marit = screen("Signe"), screen("Marit")
    signe.press("Two gates at Saltgate open without a ticket")
    number = signe.until("on the ticket", lambda: re.search(r"/tickets/(\d+)", signe.path))[1]
    marit.open(f"/desk/tickets/{number}")
    marit.see("Signe Hallam is here")
    signe.see("Marit Osei is here")
    marit.press("Take it")
    marit.see("It is yours now.")
    signe.until("Signe sees who has it", lambda: re.search(r"Assignee\s+Marit Osei", signe.text()))


def test_double_clicks_and_nonsense_do_no_harm(server: Server, screen: Open) -> None:
    ines = screen("Ines")
    ines.open("/report")
    ines.fill("What is wrong?", "<b>double</b> & 'odd' \"words\" {number} 🐦")
    ines.press("Report it")
    ines.see("Choose one: the priority follows from it.")
    ines.tick("Only me")
    ines.tick("Yes, with difficulty")
    button = ines.find("Report it")
    ines.driver.execute_script("arguments[0].click(); arguments[0].click()", button)
    ines.see("Thank you. It is incident")
    made = "from gannet.tickets.models import Ticket\nprint(Ticket.objects.filter(title__contains='<b>double').count())"
    assert server.run(made) == "1"
    ines.open("/my/999999")
    ines.see("There is nothing of yours")
    ines.open("/desk/lookout")
    ines.see("This part is for the desk")
    ines.open("/nowhere/at/all")
    ines.see("There is nothing at this address")


SCREENS: list[tuple[str, str, str, tuple[int, int]]] = [
    ("Ines", "/", "What do you need", (1280, 800)),
    ("Ines", "/", "What do you need", (390, 844)),
    ("Ines", "/report", "Who is affected?", (390, 844)),
    ("Signe", "/desk/lookout", "Waiting for us", (1280, 800)),
    ("Signe", "/desk/lookout", "Waiting for us", (820, 1180)),
    ("Signe", "/desk/queue", "shown", (1280, 800)),
    ("Signe", "/desk/queue", "shown", (820, 1180)),
    ("Signe", "{ticket}", "Details", (1280, 800)),
    ("Signe", "{ticket}", "Details", (820, 1180)),
    ("Signe", "/desk/lookout?log=", "Log an incident", (1280, 800)),
    ("Signe", "/desk/mailroom", "Mail room", (1280, 800)),
    ("Marit", "/desk/lookout?team=1", "load", (1280, 800)),
    ("Marit", "/desk/lookout?team=1", "load", (820, 1180)),
    ("Signe", "/desk/queue?form=cards", "shown", (1280, 800)),
    ("Signe", "/desk/queue?group=team&columns=holder,category,horizon", "shown", (1280, 800)),
    ("Signe", "/desk/articles", "Knowledge", (1280, 800)),
    ("Signe", "/desk/ready", "Routines", (1280, 800)),
    ("Signe", "/desk/tokens", "A new token", (1280, 800)),
    ("Marit", "/desk/import", "Nothing is written", (1280, 800)),
    ("Signe", "/desk/print?filter={{}}&sort=due&columns=category", "tickets", (1280, 800)),
    ("Tomas", "/desk/reports", "drawn as", (1280, 800)),
    ("Tomas", "/desk/reports?report=arrivals", "most ", (820, 1180)),
    ("Tomas", "/desk/dashboards", "Storm season", (1280, 800)),
    ("Tomas", "/desk/reports/targets", "SLA results", (1280, 800)),
    ("Tomas", "/desk/reports/behind?age=under+a+day", "tickets:", (1280, 800)),
]


def test_no_screen_has_a_serious_barrier_or_runs_off_its_width(
    server: Server, screen: Open
) -> None:
    opened: dict[str, Screen] = {"": screen()}
    opened[""].open("/")
    opened[""].see("Sign in as")
    found: dict[str, Any] = {"sign-in": opened[""].violations()}
    number = server.run(
        "from gannet.tickets.models import Ticket\nprint(Ticket.objects.get(title__startswith='Ship-to-shore link drops near Farrow Sound', is_open=True).pk)"
    )
    for who, path, words, (width, height) in SCREENS:
        if who not in opened:
            opened[who] = screen(who)
        page = opened[who]
        page.resize(width, height)
        page.open(path.format(ticket=f"/desk/tickets/{number}"))
        page.see(words)
        time.sleep(0.6)
        found[f"{path} at {width}"] = page.violations()
        beyond = page.driver.execute_script(
            "return document.documentElement.scrollWidth - document.documentElement.clientWidth"
        )
        if beyond > 1:
            found[f"{path} at {width}"].append(f"{beyond} px too wide")
        if page.complaints():
            found[f"{path} at {width}"].append("the console complains")
    assert "\n".join(f"{name}: {line}" for name, what in found.items() for line in what) == ""
