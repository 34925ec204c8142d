"""Knowledge, from a resolution to a reader who mistypes, and back to who keeps it true."""

from collections.abc import Callable
from pathlib import Path

from PIL import Image
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Server
from tests.browser.driver import Screen

Open = Callable[..., Screen]


def test_an_article_is_written_reviewed_found_and_disputed(server: Server, screen: Open) -> None:
    signe = screen("Signe")
    signe.open("/desk/articles")
    signe.press("New article")
    signe.fill("Title", "Change the ribbon of the badge printer")
    signe.fill("Text", "1. Open the lid.\nTurn the ribbon until it is tight.")
    signe.driver.find_element(By.XPATH, "//label[normalize-space(.)='everybody']/input").click()
    signe.press("Save")
    signe.see("Turn the ribbon until it is tight.")
    signe.press("Ask for review")
    signe.see("Editors see it among the drafts.")
    assert signe.violations() == []
    address = signe.driver.current_url.split("?")[0]
    number = address.rsplit("/", 1)[1]

    marit = screen("Marit")
    marit.open("/desk/articles?room=drafts")
    marit.see("Waiting for review")
    marit.see("Change the ribbon of the badge printer")
    marit.open(f"/desk/articles/{number}")
    marit.press("Publish")
    marit.see("Published.")

    # A requester with a slip of the keyboard finds it before any form.
    ines = screen("Ines", 390, 800)
    ines.open("/")
    ines.fill("What do you need", "bagde printer ribon")
    ines.see("Change the ribbon of the badge printer")
    ines.driver.find_element(By.PARTIAL_LINK_TEXT, "Change the ribbon").click()
    ines.see("Did it help?")
    ines.press("No")
    ines.fill("What was missing or wrong?", "Which way round does it go?")
    ines.press("Say so")
    ines.see("You wrote: Which way round does it go?")
    assert ines.violations() == []

    # Its owner answers, and writes the next version; readers see it once it is published.
    signe.open(f"/desk/articles/{number}")
    signe.see("Which way round does it go?")
    signe.press("Answer")
    signe.driver.find_element(By.CSS_SELECTOR, "input[aria-label^='Answer to']").send_keys(
        "The dark side down: it says so now."
    )
    signe.press("Send")
    signe.see("hears of it")
    signe.press("Change it")
    signe.fill("Text", "1. Open the lid.\nTurn the ribbon, dark side down.")
    signe.press("Save")
    signe.see("readers see 2 until you publish it")
    marit.open(f"/desk/articles/{number}")
    marit.press("Publish version 3")
    marit.see("Published.")
    ines.open(f"/articles/{number}")
    ines.see("dark side down")
    marit.open(f"/desk/articles/{number}")
    marit.see("0 of 1")
    assert marit.violations() == []
    for one in (signe, marit, ines):
        assert one.complaints() == []


def test_two_editors_lose_nothing(server: Server, screen: Open) -> None:
    marit, other = screen("Marit"), screen("Marit")
    marit.open("/desk/articles")
    marit.press("New article")
    marit.fill("Title", "Where the spare keys hang")
    marit.fill("Text", "In the purser’s office.")
    marit.press("Save")
    marit.see("In the purser’s office.")
    path = "/" + marit.driver.current_url.split("?")[0].split("/", 3)[3]
    other.open(path)
    other.press("Change it")
    other.fill("Text", "Behind the bar.")
    marit.press("Change it")
    marit.fill("Text", "In the wheelhouse.")
    marit.press("Save")
    marit.see("In the wheelhouse.")
    other.press("Save")
    other.see("saved version 3 meanwhile")
    other.see("In the wheelhouse.")
    assert other.violations() == []
    other.press("Write mine over it")
    other.press("Save")
    other.see("Behind the bar.")


def test_pictures_links_and_remarks_are_seen_before_and_after_it_is_published(
    server: Server, screen: Open, tmp_path: Path
) -> None:
    """What is put in by the buttons, as the writer looks at it and as a reader on a phone does."""
    Image.new("RGB", (900, 500), "#1e5b70").save(tmp_path / "Gate lamp.png")
    signe = screen("Signe")
    signe.open("/desk/articles")
    signe.press("New article")
    signe.fill("Title", "The lamp of a boarding gate")
    signe.driver.find_element(By.XPATH, "//label[normalize-space(.)='everybody']/input").click()
    signe.fill("Text", "See the lamp.\n\n")
    signe.driver.find_element(By.CSS_SELECTOR, "input[aria-label='Pictures']").send_keys(
        str(tmp_path / "Gate lamp.png")
    )
    drawn = "return [...document.querySelectorAll('.marked img')].map((i) => i.naturalWidth + ' ' + i.alt).join()"
    signe.until("the picture is drawn", lambda: "Gate lamp" in signe.driver.execute_script(drawn))
    # What it shows is chosen, to be said better at once.
    signe.driver.switch_to.active_element.send_keys("The lamp is lit")
    signe.until(
        "the picture is drawn as it was said",
        lambda: signe.driver.execute_script(drawn) == "900 The lamp is lit",
    )
    field = signe.field("Text")
    field.send_keys(Keys.CONTROL, Keys.END)
    field.send_keys("\n\n")
    signe.press("Remark")
    signe.press("Careful")
    signe.driver.switch_to.active_element.send_keys("It is hot.")
    signe.until(
        "the remark stands apart",
        lambda: (
            signe.driver.execute_script(
                "return document.querySelector('.marked .remark')?.innerText"
            )
            == "Careful: It is hot."
        ),
    )
    field.send_keys(Keys.CONTROL, Keys.END)
    field.send_keys("\n\n")
    signe.press("Link")
    signe.fill("What to link to", "https://northmere.example/gates")
    signe.see("address")
    signe.key(Keys.ENTER)
    signe.see("northmere.example/gates")
    assert signe.violations() == []

    address = signe.driver.current_url.split("?")[0]
    number = address.rsplit("/", 1)[1]
    signe.press("Save")
    signe.see("It is hot.")
    marit = screen("Marit")
    marit.open(f"/desk/articles/{number}")
    marit.press("Publish")
    marit.see("Published.")

    ines = screen("Ines", 390, 800)
    ines.open(f"/articles/{number}")
    ines.until(
        "the picture is drawn", lambda: ines.driver.execute_script(drawn) == "900 The lamp is lit"
    )
    width = "return document.documentElement.scrollWidth - document.documentElement.clientWidth"
    assert ines.driver.execute_script(width) == 0
    ines.press("Follow")
    ines.see("You hear of it when it is changed.")
    assert ines.violations() == []

    # Somebody else who writes it too is told so.
    signe.press("Change it")
    signe.see("Who may read it")
    marit.press("Change it")
    marit.see("is writing here too", patience=30)
    signe.press("Cancel")
    marit.fill("Text", "The lamp is gone.")
    marit.press("Save")
    marit.press("Publish version")
    marit.see("Published.")
    ines.open("/")
    ines.press("Notifications")
    ines.see("says something new")
    for one in (marit, signe, ines):
        assert one.complaints() == []


def test_upkeep_shows_what_wants_a_hand(server: Server, screen: Open) -> None:
    marit = screen("Marit")
    marit.open("/desk/articles?room=upkeep")
    marit.see("Searched for, not found")
    marit.see("badge printer ribbon")
    marit.see("disputed")
    marit.see("review late")
    assert marit.violations() == []
    marit.press("write it")
    marit.see("Title")
    assert marit.complaints() == []


def test_answers_are_looked_through_by_subject_on_a_phone(screen: Open) -> None:
    ines = screen("Ines", 390, 800)
    ines.open("/")
    ines.press("look through all answers, by subject")
    ines.see("All answers, by subject")
    titles = "section li a b"
    ines.until("lists answers", lambda: ines.driver.find_elements(By.CSS_SELECTOR, titles))
    title = ines.driver.find_element(By.CSS_SELECTOR, titles).text
    ines.fill("All answers, by subject", "zzzz")
    ines.see("No answer has these words")
    ines.fill("All answers, by subject", title)
    ines.see(title)
    assert ines.violations() == []
    ines.driver.find_element(By.PARTIAL_LINK_TEXT, title).click()
    ines.see("Did it help?")
    ines.driver.back()
    ines.see(f"with “{title}”")


def test_retiring_says_first_what_would_lead_nowhere(server: Server, screen: Open) -> None:
    number = server.run("""
from django.utils import timezone
from gannet.knowledge.actions import set_article_state, write_article
from gannet.people.acting import Acting
from gannet.people.models import Person
who = Person.objects.filter(name__startswith="Marit ").order_by("pk")[0]
marit = Acting(person=who, now=timezone.now())
one = write_article(marit, {"title": "Fold the gangway", "body": "Up.", "for_everybody": 1})
set_article_state(marit, one.pk, "published")
text = f"First read [how to fold](/articles/{one.pk})."
write_article(marit, {"title": "Leave the quay", "body": text, "for_everybody": 1})
print(one.pk)
""").split()[-1]
    marit = screen("Marit")
    marit.open(f"/desk/articles/{number}")
    marit.press("Retire…")
    marit.see("One article links to it")
    marit.see("Leave the quay")
    assert marit.violations() == []
    marit.press("Leave it published")
    marit.not_see("One article links to it")
    marit.press("Retire…")
    marit.press("Retire it")
    marit.see("Retired: nobody finds it any more.")


def test_that_was_it_closes_what_an_article_solved(server: Server, screen: Open) -> None:
    number = server.run("""
from email.message import EmailMessage
from time import time
from django.utils import timezone
from gannet.knowledge.actions import set_article_state, write_article
from gannet.messages.inbound import read_message
from gannet.people.acting import Acting
from gannet.people.models import Person
who = Person.objects.filter(name__startswith="Marit ").order_by("pk")[0]
marit = Acting(person=who, now=timezone.now())
title = "Winding the harbour clock"
one = write_article(marit, {"title": title, "body": "Eight turns, no more.", "for_everybody": 1})
set_article_state(marit, one.pk, "published")
mail = EmailMessage()
mail["From"], mail["Subject"] = "ines.corrado@northmere.example", "harbour clock winding"
mail["Message-ID"] = f"<clock.{time()}@sea.example>"
mail.set_content("It stands still.")
print(read_message(bytes(mail), int(time())).ticket_id)
""").split()[-1]
    ines = screen("Ines", 390, 800)
    ines.open(f"/my/{number}")
    ines.see("help at once?")
    assert ines.violations() == []
    ines.press("That was it: Winding the harbour clock")
    ines.see("It is closed, and the desk knows what solved it.")
    ines.not_see("help at once?")
    ines.see("closed")
    assert ines.complaints() == []
    signe = screen("Signe", 1280, 900)
    signe.open(f"/desk/tickets/{number}")
    signe.see("Solved with the article “Winding the harbour clock”")


def test_an_article_is_put_in_as_text_or_passed_over(server: Server, screen: Open) -> None:
    number = server.run("""
from django.utils import timezone
from gannet.knowledge.actions import set_article_state, write_article
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions import NewTicket, log_ticket
who = Person.objects.filter(name__startswith="Marit ").order_by("pk")[0]
marit = Acting(person=who, now=timezone.now())
body = "Oil the *third* hinge."
one = write_article(marit, {"title": "Silencing the fog door", "body": body, "for_everybody": 1})
set_article_state(marit, one.pk, "published")
new = NewTicket(requester=who, title="Silencing the fog door", text="It squeaks.")
print(log_ticket(new, marit).pk)
""").split()[-1]
    signe = screen("Signe", 1280, 900)
    signe.open(f"/desk/tickets/{number}")
    signe.see("Silencing the fog door")
    signe.press("as text")
    signe.until(
        "is in the reply",
        lambda: "Oil the *third* hinge." in str(signe.driver.execute_script(
            "return [...document.querySelectorAll('textarea')].map((one) => one.value).join()"
        )),
    )  # fmt: skip
    signe.press("Does not fit: Silencing the fog door")
    signe.see("is not suggested here any more.")
    signe.until("is gone", lambda: "Does not fit: Silencing" not in signe.driver.page_source)
    signe.press("Undo")
    signe.until("is back", lambda: "Does not fit: Silencing" in signe.driver.page_source)


def test_steps_are_ticked_for_a_ticket_and_stand_on_it(server: Server, screen: Open) -> None:
    number = server.run("""
from django.utils import timezone
from gannet.knowledge.actions import set_article_state, write_article
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions import NewTicket, log_ticket
who = Person.objects.filter(name__startswith="Marit ").order_by("pk")[0]
marit = Acting(person=who, now=timezone.now())
body = "Before noon:\\n\\n1. [ ] Wind the clock.\\n2. [ ] Ring the bell."
one = write_article(marit, {"title": "Ringing in the forenoon", "body": body})
set_article_state(marit, one.pk, "published")
new = NewTicket(requester=who, title="Ringing in the forenoon", text="It stands.")
print(log_ticket(new, marit).pk)
""").split()[-1]
    signe = screen("Signe", 1280, 900)
    signe.open(f"/desk/tickets/{number}")
    signe.see("It stands.")
    signe.until(
        "the article is suggested",
        lambda: signe.driver.find_elements(By.PARTIAL_LINK_TEXT, "Ringing in the forenoon"),
    )
    signe.driver.find_element(By.PARTIAL_LINK_TEXT, "Ringing in the forenoon").click()
    signe.see("0 of 2 steps done")
    boxes = signe.driver.find_elements(By.CSS_SELECTOR, "[role=checkbox]")
    assert [one.get_attribute("aria-label") for one in boxes] == [
        "Wind the clock.",
        "Ring the bell.",
    ]
    boxes[0].click()
    signe.see("1 of 2 steps done")
    # By keys as well, and back again.
    boxes[1].send_keys(Keys.SPACE)
    signe.see("2 of 2 steps done")
    boxes[1].send_keys(Keys.ENTER)
    signe.see("1 of 2 steps done")
    assert boxes[0].get_attribute("aria-checked") == "true"
    assert signe.violations() == []
    signe.open(f"/desk/tickets/{number}")
    signe.see("1 of 2 steps of")
    signe.driver.back()
    signe.see("1 of 2 steps done")
    # Read through with the requester, it solved the ticket: the resolution names it.
    signe.press("It solved it…")
    signe.see("What was done?")
    chosen = signe.field("Article that helped")
    signe.until("it is chosen", lambda: "Ringing in" in chosen.find_element(
        By.CSS_SELECTOR, "option:checked").text)  # fmt: skip
    signe.key(Keys.ESCAPE)
    signe.until("nothing comes again", lambda: "#resolve" not in signe.driver.current_url)
    signe.driver.refresh()
    signe.see("It stands.")
    signe.not_see("What was done?")
    assert signe.complaints() == []
