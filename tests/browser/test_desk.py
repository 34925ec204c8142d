"""A shift at the desk in the real browser: the agent's morning, the lead's, the line cut."""

import json
import re
import smtplib
import time
from collections.abc import Callable
from email.message import EmailMessage
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Server
from tests.browser.driver import Screen

Open = Callable[..., Screen]
FIND = "from gannet.tickets.models import Ticket\n"


def number_of(server: Server, title: str) -> int:
    found = f"{FIND}print(Ticket.objects.get(title={title!r}).pk)"
    return int(server.run(found))


def log_one(
    server: Server, title: str, who: str = "Maeve Tarrant", service: str = "Boarding gates"
) -> int:
    """A ticket that only this journey knows of."""
    made = server.run(
        f"""{FIND}
from django.utils import timezone
from gannet.estate.models import Service
from gannet.people.models import Person
from gannet.tickets.actions import Acting, NewTicket, log_ticket
person = Person.objects.get(name={who!r})
new = NewTicket(requester=person, title={title!r}, text='It is broken.', service=Service.objects.get(name={service!r}))
print(log_ticket(new, Acting(person=person, now=timezone.now())).pk)"""
    )
    return int(made)


def test_an_agents_morning(server: Server, screen: Open) -> None:
    titles = [f"Morning fault {name}" for name in ("amber", "birch", "cedar", "dune")]
    numbers = [log_one(server, title) for title in titles]
    signe = screen("Signe")

    # Three of them at once, by keys: words, choose, take; a preview first, undo after.
    signe.see("Waiting for us")
    signe.key("g", "q")
    signe.see("shown")
    signe.key("/")
    signe.key("morning fault")
    signe.see("4 shown")
    signe.key(Keys.ESCAPE, "x")
    signe.see("1 chosen")
    signe.key(Keys.ARROW_DOWN, "x", Keys.ARROW_DOWN, "x")
    signe.see("3 chosen")
    signe.press("Note…")
    signe.fill("Note to the desk", "All of the same cause?")
    signe.press("See what happens")
    signe.see("3 will change")
    signe.press("Leave a note on 3 tickets")
    signe.see("Done to 3")
    signe.press("Undo")
    signe.see("Taken back: 3.")

    # A view of it, with its own columns and order, which a link opens the same.
    signe.press("Columns…")
    signe.fill("Search the columns", "number of messages")
    signe.press("number of messages")
    signe.key(Keys.ESCAPE)
    signe.press("Save as a view…")
    signe.fill("Name", "My morning")
    signe.press("Save")
    signe.until("the view is open", lambda: re.search(r"view=\d+$", signe.path))
    signe.see("number of messages")
    signe.open(signe.path)
    signe.see("4 shown")

    # One ticket: a phrase typed, a task, minutes, a hint; sent and set waiting in one move.
    signe.open(f"/desk/tickets/{numbers[0]}")
    signe.see("Details")
    signe.key("r")
    signe.until(
        "the reply has the focus",
        lambda: signe.driver.switch_to.active_element == signe.field("Reply to Maeve"),
    )
    signe.key("/which")
    signe.see("Which device")
    signe.key(Keys.ENTER)
    signe.until(
        "the phrase is filled in",
        lambda: "Hello Maeve" in (signe.field("Reply to Maeve").get_attribute("value") or ""),
    )
    signe.press("Send and…")
    signe.press("wait on Maeve")
    signe.see("waiting on Maeve Tarrant")
    signe.press("+ Task")
    signe.fill("What is to be done", "Swap the head")
    signe.press("Add it")
    signe.see("1 to go")
    signe.fill("Minutes", "15")
    signe.press("Add")
    signe.see("15 min in all")
    signe.tick("Swap the head")
    signe.see("all are done")

    # Two of the same: one is merged into the other.
    signe.open(f"/desk/tickets/{numbers[1]}")
    signe.press("Merge into another…")
    signe.fill("Merge into", str(numbers[0]))
    signe.press(f"{numbers[0]} {titles[0]}")
    signe.press("Merge")
    signe.until("on the one that goes on", lambda: signe.path.endswith(str(numbers[0])))
    signe.see(f"merged in: {numbers[1]}")

    # Up the chain without knowing whom, and a runbook whose steps are in the history.
    signe.open(f"/desk/tickets/{numbers[2]}")
    signe.see("Details")
    signe.key("e")
    signe.see("It goes to")
    signe.fill("What they need to know", "Every ticket, paper and phone.")
    signe.chord(Keys.CONTROL, Keys.ENTER)
    signe.see("Escalated.")
    signe.open(f"/desk/tickets/{numbers[3]}")
    signe.press("Send to development, help remotely")
    signe.choose("Runbook", "Unlock an account")
    signe.press("Run it")
    signe.see("Lifted the lock")

    # An approval, decided from the notification.
    signe.press("More")
    signe.press("Ask for an approval…")
    signe.fill("Approver", "Marit Os")
    signe.until("she is found", lambda: "Desk lead" in signe.text(), patience=20)
    signe.key(Keys.ENTER)
    signe.fill("What is to be approved", "A new reader head")
    signe.fill("Cost", "120")
    signe.press("Ask")
    signe.see("waits for Marit Osei")
    marit = screen("Marit")
    marit.press("Notifications")
    marit.see("A new reader head · £120")
    # She may be asked about other things too: the one beside these words.
    marit.press_beside("A new reader head · £120", "Approve")
    marit.see("Approved.")
    signe.see("approved by Marit Osei", patience=20)
    signe.key("z")
    signe.fill("What was done?", "New head fitted.")
    signe.fill("Cause", "Worn part")
    signe.chord(Keys.CONTROL, Keys.ENTER)
    signe.see("Resolved.")
    assert signe.complaints() == [] and marit.complaints() == []


def test_a_morning_of_twelve_by_keyboard_only(server: Server, screen: Open) -> None:
    words = "one two three four five six seven eight nine ten".split()
    numbers = [log_one(server, f"Keyed fault {word}") for word in words]
    mail = EmailMessage()
    mail["From"], mail["To"] = "maeve.tarrant@northmere.example", "help@northmere.example"
    mail["Subject"], mail["Message-ID"] = "Keyed fault by mail", "<keyed-1@sea.example>"
    mail.set_content("The gate at berth 2 beeps.")
    with smtplib.SMTP("127.0.0.1", server.mail_port) as wire:
        wire.send_message(mail)
    signe = screen("Signe")
    signe.see("Waiting for us")

    # By phone; then the twelve in the queue.
    signe.key("l")
    signe.see("Log an incident")
    signe.key("Maeve Tarr")
    signe.until("she is found", lambda: "Maeve" in signe.first_offered())
    signe.key(Keys.ENTER)
    signe.see("Open for Maeve")
    signe.key(Keys.TAB, "Keyed fault by phone", Keys.TAB, "It hums.")
    signe.tab_to("Only me")
    signe.key(Keys.ENTER)
    signe.tab_to("Yes, with difficulty")
    signe.key(Keys.ENTER)
    signe.tab_to("Log it")
    signe.key(Keys.ENTER)
    signe.see("Logged as")
    signe.key(Keys.ESCAPE)
    signe.key("g", "q")
    signe.see("shown")
    signe.key("/")
    signe.key("keyed fault")
    signe.see("12 shown", patience=40)

    # Three taken at once; one by its menu; Back is always the same place.
    signe.key(Keys.ESCAPE, "x")
    webdriver.ActionChains(signe.driver).key_down(Keys.SHIFT).send_keys(
        Keys.ARROW_DOWN, Keys.ARROW_DOWN
    ).key_up(Keys.SHIFT).perform()
    signe.see("3 chosen")
    signe.command("Take: the 3 chosen")
    signe.see("3 will change")
    signe.until("the button has the focus", lambda: signe.focused().endswith(" 3 tickets"))
    signe.key(Keys.ENTER)
    signe.see("Done to 3")
    signe.key(Keys.ESCAPE)
    signe.key(Keys.ARROW_DOWN, "m")
    signe.see("Take it")
    signe.key("t")
    signe.until("it is the one", lambda: signe.focused().startswith("Take it"))
    signe.key(Keys.ENTER)
    signe.see("It is yours now.")
    signe.key(Keys.ENTER)
    signe.see("Details")
    on = int(signe.path.rsplit("/", 1)[1])
    assert on >= numbers[0]

    # One waits, one is handed over, one goes up the chain, two are one.
    signe.key("w")
    signe.see(f"Wait with {on}")
    signe.key("Which of the gates beeps?")
    signe.chord(Keys.CONTROL, Keys.ENTER)
    signe.see("waiting on Maeve Tarrant")
    signe.driver.back()
    signe.see("12 shown")
    signe.until("the row is where it was", lambda: f"row-{on}" in signe.driver.page_source)

    mine = server.run(
        f"{FIND}print(*Ticket.objects.filter(title__startswith='Keyed', is_open=True, waiting_since_s=None).order_by('pk').values_list('pk', flat=True))"
    ).split()
    handed, raised, double, reply, *rest = mine
    signe.command(handed, "incident")
    signe.until("it is open", lambda: signe.path.endswith(handed))
    signe.see("Details")
    signe.key("h")
    signe.see(f"Hand {handed} over")
    signe.until("teams are offered", lambda: "Networks" in signe.field("To team").text)
    signe.key("Netw")
    signe.tab_to("Why")
    signe.key("It is the network at the berth.")
    signe.chord(Keys.CONTROL, Keys.ENTER)
    signe.see("Handed over")
    signe.command(raised, "incident")
    signe.until("it is open", lambda: signe.path.endswith(raised))
    # The one before has the same words: its own title says that its page is there.
    signe.until("its page is there", lambda: signe.driver.title.startswith(raised))
    signe.key("e")
    signe.see("It goes to")
    signe.key("Beyond me.")
    signe.chord(Keys.CONTROL, Keys.ENTER)
    signe.see("Escalated.")
    signe.command(double, "incident")
    signe.until("it is open", lambda: signe.path.endswith(double))
    signe.see("Details")
    signe.command(f"Merge {double} into another")
    signe.see("Merge into")
    signe.key(reply)
    signe.until("it is found", lambda: signe.first_offered().startswith(reply))
    signe.key(Keys.ENTER)
    signe.chord(Keys.CONTROL, Keys.ENTER)
    signe.until("on the one that goes on", lambda: signe.path.endswith(reply))

    # A reply by a phrase, a reminder, and resolved; the rest resolved at once.
    signe.see(f"merged in: {double}")
    signe.key("r")
    signe.until("the reply has the focus", lambda: signe.focused().startswith("Reply to Maeve"))
    signe.key("Mended; the cable was loose.")
    signe.chord(Keys.CONTROL, Keys.ENTER)
    signe.see("Sent in ten seconds.")
    signe.key(Keys.ESCAPE, "z")
    signe.see("What was done?")
    signe.key("Plugged the cable in.")
    signe.tab_to("Cause")
    signe.key("Worn")
    signe.chord(Keys.CONTROL, Keys.ENTER)
    signe.see("Resolved.")
    signe.key("g", "q")
    signe.see("shown")
    signe.key("/")
    signe.key("keyed fault")
    signe.see(f"{len(rest) + 3} shown")
    signe.key(Keys.ESCAPE, "x")
    webdriver.ActionChains(signe.driver).key_down(Keys.SHIFT).send_keys(
        *[Keys.ARROW_DOWN] * (len(rest) + 2)
    ).key_up(Keys.SHIFT).perform()
    signe.see(f"{len(rest) + 3} chosen")
    signe.command(f"Resolve: the {len(rest) + 3} chosen")
    signe.see("What was done")
    signe.key("It was the same cable.")
    signe.tab_to("See what happens")
    signe.key(Keys.ENTER)
    signe.see("will change")
    signe.until("the button has the focus", lambda: "ticket" in signe.focused())
    signe.key(Keys.ENTER)
    signe.see("Done to")
    assert signe.complaints() == []


def test_words_that_cross_are_shown_before_they_are_sent(server: Server, screen: Open) -> None:
    number = log_one(server, "Crossing words", "Ines Corrado")
    signe, ines = screen("Signe"), screen("Ines")
    signe.open(f"/desk/tickets/{number}")
    signe.press("Take it")
    signe.fill("Reply to Ines", "Is the gate on?")
    ines.open(f"/my/{number}")
    ines.fill("Write to the desk", "It works again!")
    ines.press("Send")
    signe.see("It works again!", patience=20)
    signe.field("Reply to Ines").send_keys(Keys.CONTROL, Keys.ENTER)
    signe.see("Ines Corrado wrote meanwhile")
    assert signe.field("Reply to Ines").get_attribute("value") == "Is the gate on?"
    signe.field("Reply to Ines").send_keys(Keys.CONTROL, Keys.ENTER)
    signe.see("Sent in ten seconds.")


def test_the_line_is_cut_while_typing(server: Server, screen: Open) -> None:
    number = log_one(server, "Line is cut")
    signe = screen("Signe")
    signe.open(f"/desk/tickets/{number}")
    signe.press("Take it")
    signe.see("It is yours now.")
    signe.fill("Reply to Maeve", "Half a sen")
    cut = {"offline": True, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0}
    signe.driver.execute_cdp_cmd("Network.enable", {})
    signe.driver.execute_cdp_cmd("Network.emulateNetworkConditions", cut)
    signe.see("Gannet cannot be reached.")
    signe.field("Reply to Maeve").send_keys("tence, whole.")
    signe.field("Reply to Maeve").send_keys(Keys.CONTROL, Keys.ENTER)
    time.sleep(1)
    back = {"offline": False, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1}
    signe.driver.execute_cdp_cmd("Network.emulateNetworkConditions", back)
    signe.until("the line is back", lambda: "cannot be reached" not in signe.text(), patience=20)
    assert signe.field("Reply to Maeve").get_attribute("value") == "Half a sentence, whole."
    signe.field("Reply to Maeve").send_keys(Keys.CONTROL, Keys.ENTER)
    signe.see("Sent in ten seconds.")
    said = f"from gannet.audit.models import Event\nprint(Event.objects.filter(ticket={number}, kind='replied').count())"
    assert server.run(said) == "1"


def test_news_comes_though_the_browser_believes_itself_offline(
    server: Server, screen: Open
) -> None:
    """On a machine of its own, or in a house without a way out, the browser says "offline"."""
    number = log_one(server, "Gate without a way out")
    signe, joss = screen("Signe"), screen("Joss")
    signe.open(f"/desk/tickets/{number}")
    signe.see("unassigned")
    signe.driver.execute_script("window.dispatchEvent(new Event('offline'))")
    joss.open(f"/desk/tickets/{number}")
    joss.press("Take it")
    signe.see("assigned to Joss", patience=15)


def test_a_leads_morning(server: Server, screen: Open, tmp_path: Path) -> None:
    number = log_one(server, "Lead gives this")
    marit = screen("Marit")
    marit.see("Harbour Desk, all that is open")  # a lead's opens on the team
    marit.see("load")
    marit.see("Lead gives this")
    rows = marit.driver.find_elements(By.CSS_SELECTOR, "[id^=row-]")
    at = next(i for i, row in enumerate(rows) if str(number) in row.text)
    marit.key(*([Keys.ARROW_DOWN] * (at + 1)), "h")
    marit.choose("To team", "Harbour Desk")
    marit.choose("To person", "Signe Hallam")
    marit.fill("Why", "You have room for it.")
    marit.press("Hand over")
    marit.see("Handed over.")
    signe = screen("Signe")
    signe.see("You have room for it.")
    signe.press("Notifications")
    signe.see("handed it to you")

    # A view that her team starts with, there at once.
    marit.open("/desk/queue?group=holder&sort=-priority")
    marit.press("Save as a view…")
    marit.fill("Name", "Where we start")
    marit.press("Save")
    marit.until("kept", lambda: re.search(r"view=\d+$", marit.path))
    marit.press("Views ▾")
    marit.press("Let Harbour Desk start with it")
    marit.see("Harbour Desk starts with it now.")
    signe.open("/desk/queue")
    signe.see("Where we start")
    signe.see("grouped by")
    marit.press("Views ▾")
    marit.press("Harbour Desk no longer starts with it")

    # A file: tried, wrong rows named, the good ones done, taken back.
    file = tmp_path / "new.csv"
    file.write_text(
        "requester;title;service\nmaeve.tarrant@northmere.example;Imported one;Boarding gates\n"
        "nobody@x.example;Imported two;Boarding gates\n",
        encoding="utf-8",
    )
    marit.open("/desk/import")
    marit.see("Columns:")
    marit.driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(file))
    marit.see("1 rows are good, 1 are not")
    marit.see("nobody has the address nobody@x.example")
    marit.press("Import 1 rows")
    marit.see("1 done.", patience=30)
    marit.press("Take it back")
    marit.see("taken back", patience=30)
    ended = f"{FIND}print(Ticket.objects.get(title='Imported one').is_open)"
    marit.until("cancelled", lambda: server.run(ended) == "False", patience=20)


def test_how_it_was_is_said_from_the_mail_by_somebody_signed_out(
    server: Server, screen: Open
) -> None:
    number = log_one(server, "Ask me how it was")
    key = server.run(
        f"""{FIND}
from django.utils import timezone
from gannet.people.models import Person
from gannet.tickets import actions
from gannet.tickets.actions import Acting
from gannet.tickets.models import SurveyAnswer
signe = Person.objects.get(name='Signe Hallam')
actions.resolve({number}, Acting(person=signe, now=timezone.now()), 'It is done.')
actions.close({number}, Acting(person=None, now=timezone.now()))
from gannet.people import mail_keys
from gannet_core.instants import seconds_of
asked = SurveyAnswer.objects.get(ticket={number})
print(mail_keys.make(asked.ticket.requester, mail_keys.SURVEY, asked.pk, seconds_of(timezone.now())))"""
    )
    nobody = screen()
    nobody.open(f"/how#{key}?score=4")
    nobody.see("Thank you.")
    nobody.fill("Anything else", "A little slow.")
    nobody.press("Send")
    nobody.see("The desk reads it.")
    assert nobody.violations() == []
    signe = screen("Signe")
    signe.open(f"/desk/tickets/{number}")
    signe.see("4 of 5")
    signe.see("A little slow.")


def test_a_token_signs_a_script_in_and_no_further(server: Server, screen: Open) -> None:
    import urllib.error
    import urllib.request

    signe = screen("Signe")
    signe.open("/desk/tokens")
    signe.fill("What for", "nightly list")
    signe.press("Make it")
    signe.see("it is not shown again")
    secret = re.search(r"gannet_[\w-]+", signe.text())
    assert secret is not None

    def call(path: str, body: object = None) -> int:
        request = urllib.request.Request(  # noqa: S310
            server.base + path,
            data=None if body is None else json.dumps(body).encode(),
            headers={
                "Authorization": f"Bearer {secret[0]}",
                "Content-Type": "application/json",
            },
        )
        try:
            with urllib.request.urlopen(request, timeout=20) as answer:  # noqa: S310
                return int(answer.status)
        except urllib.error.HTTPError as refused:
            return refused.code

    assert call("/api/tickets") == 200
    assert call("/api/tickets/many", {"ids": [1], "act": "take"}) == 403, "it may only read"
    assert call("/api/tokens") == 403, "a token makes no tokens"
    signe.press("Revoke nightly list")
    signe.see("Revoked")
    assert call("/api/tickets") == 401


def test_a_list_is_saved_as_a_file_while_one_goes_on_working(
    server: Server, screen: Open, tmp_path: Path
) -> None:
    signe = screen("Signe")
    signe.driver.execute_cdp_cmd(
        "Browser.setDownloadBehavior", {"behavior": "allow", "downloadPath": str(tmp_path)}
    )

    def saved(ending: str) -> Path:
        def there() -> Path | None:
            return next(iter(tmp_path.glob(f"*.{ending}")), None)

        found: Path = signe.until(f"a {ending} file is there", there)
        return found

    signe.open("/desk/queue")
    signe.see("shown")
    signe.press("Export")
    signe.press("XLSX workbook")
    assert saved("xlsx").read_bytes()[:2] == b"PK"

    # Everything there ever was is more than is made at once.
    everything = '{"all":[{"field":"number","op":">","value":0}]}'
    signe.open(f"/desk/queue?filter={everything}")
    signe.see("shown")
    count = int(server.run(f"{FIND}print(Ticket.objects.filter(is_confidential=0).count())"))
    assert count > 300
    signe.press("Export")
    signe.press("CSV file")
    signe.see("rows exported.")
    lines = saved("csv").read_text(encoding="utf-8-sig").splitlines()
    assert len(lines) >= count
    signe.press("Close")
    signe.not_see("rows exported.")
    assert signe.complaints() == [] and signe.violations() == []


def test_letters_act_on_the_marked_row_of_lookout(server: Server, screen: Open) -> None:
    number = log_one(server, "Row by letters")
    signe = screen("Signe")
    signe.see("Running out soonest")
    signe.see("Row by letters")
    rows = signe.driver.find_elements(By.CSS_SELECTOR, "[id^=row-]")
    at = next(i for i, row in enumerate(rows) if str(number) in row.text)
    signe.key(*([Keys.ARROW_DOWN] * (at + 1)), "a")
    signe.see("It is yours now.")
    assert signe.path.startswith("/desk/lookout"), "without leaving the list"
    signe.key("w")
    signe.see(f"Wait with {number}")
    signe.key(Keys.ESCAPE)
    signe.key("m")
    for offered in ("Open at the side", "Hand over…", "Merge into another…", "Reject as not ours…"):
        signe.see(offered)
    signe.key(Keys.ESCAPE, "n")
    signe.until("its page is open", lambda: f"/desk/tickets/{number}" in signe.path)
    signe.until("the note has the focus", lambda: signe.focused().startswith("Note"))


def test_the_record_keeps_the_composer_in_view_and_folds_its_lifeline(
    server: Server, screen: Open
) -> None:
    number = log_one(server, "Docked composer")
    signe = screen("Signe")
    signe.open(f"/desk/tickets/{number}")
    signe.see("Details")
    box = signe.driver.find_element(By.CSS_SELECTOR, "section[aria-label=Write]").rect
    assert box["y"] + box["height"] <= 800, "all of it is in view"
    signe.see("response")
    signe.press("Lifeline")
    signe.until("it is one line", lambda: signe.driver.find_element(
        By.CSS_SELECTOR, "section[aria-label=Lifeline]").rect["height"] < 60)  # fmt: skip
    signe.open(f"/desk/tickets/{number}")
    signe.until("it stays folded", lambda: signe.driver.find_element(
        By.CSS_SELECTOR, "section[aria-label=Lifeline]").rect["height"] < 60)  # fmt: skip
    signe.press("Lifeline")
    signe.press("Messages only")
    signe.not_see("steps")
    signe.press("All that happened")
