"""Requests in the real browser: asked for, decided by four people in four ways, brought."""

import re
import time
from collections.abc import Callable

from tests.browser.conftest import Server
from tests.browser.driver import Screen

Open = Callable[..., Screen]
FIND = "from gannet.tickets.models import Ticket\n"


def link_for(server: Server, number: int, name: str) -> str:
    """The link by which somebody decides, in the newest mail that asks them, once it is there."""
    code = (
        "from gannet.messages import reading\n"
        "from gannet.messages.models import Outgoing, StandInMessage\n"
        # At night it would wait for the morning, whenever the tests run.
        f"Outgoing.objects.filter(ticket={number}, sent_s__isnull=True).update(send_at_s=1)\n"
        f"asked = Outgoing.objects.filter(ticket={number}, event_name='approval asked', "
        f"person__name__startswith={name!r}, sent_s__isnull=False).last()\n"
        "kept = asked and StandInMessage.objects.filter(message_id=asked.message_id).last()\n"
        "print(reading.read_mail(bytes(kept.raw)).text if kept else '')"
    )
    end = time.monotonic() + 30
    while True:
        found = re.search(r"(/decide#gk-[a-z2-7]+)", server.run(code))
        if found:
            return found[1]
        assert time.monotonic() < end, "the mail did not arrive"
        time.sleep(0.5)


def asked_number(screen: Screen) -> int:
    screen.see("Thank you. It is request")
    found = re.search(r"It is request (\d+)", screen.text())
    assert found
    return int(found[1])


def test_a_newcomer_from_asking_to_everything_there(server: Server, screen: Open) -> None:
    lena = screen("Lena")
    lena.fill("What do you need", "new startr")
    lena.press("Everything somebody new needs")
    lena.see("What is in it")
    lena.tick("For somebody else")
    lena.fill("For whom", "Ines Corr")
    lena.until("she is found", lambda: "Ines Corrado" in lena.first_offered())
    lena.press("Ines Corrado Sailing")
    lena.see("Rosalind Hathersage")
    lena.fill("Their name", "Petra Voss")
    lena.field("First day").send_keys("12012026")
    lena.fill("Name in the address", "petra.journey")
    lena.choose("Where to bring it", "Kestrel Point")
    lena.choose("Which doors", "Terminal")
    lena.choose("Works from home too", "yes")

    # A monitor brings the dock into view; the total runs along; Back loses nothing.
    assert "Docking station" not in lena.text()
    lena.tick("Monitor")
    lena.see("Docking station")
    lena.see("£1,112")
    lena.driver.back()
    lena.see("My requests")
    lena.driver.forward()
    lena.until(
        "what was typed is still there",
        lambda: lena.field("Their name").get_attribute("value") == "Petra Voss",
    )
    lena.press("Request it")
    lena.see("Some of the parts need an answer.")
    lena.choose("Size (needed)", "15 inches")
    lena.press("Request it")
    number = asked_number(lena)

    # So much is not decided by the link of a mail alone: the line manager signs in for it.
    mailed = screen()
    mailed.open(link_for(server, number, "Rosalind"))
    mailed.see("petra.journey")
    mailed.see("This needs you to sign in")
    assert "gk-" not in mailed.driver.current_url, "the key leaves the address at once"
    mailed.press("Sign in to answer")
    mailed.press("Rosalind")
    mailed.see("Line manager: A newcomer's first day for Petra Voss")
    mailed.press_beside("first day for Petra", "Approve")
    mailed.see("Approved.")

    # The budget line is Rosalind's too: she passes it on to Tomas, whose deputy decides.
    rosalind = screen("Rosalind")
    rosalind.open("/approvals")
    rosalind.see("Cost centre: A newcomer's first day for Petra Voss")
    rosalind.press_beside("first day for Petra", "Forward…")
    rosalind.fill("To whom", "Tomas Wr")
    rosalind.until("he is found", lambda: "Tomas Wray" in rosalind.first_offered())
    rosalind.press("Tomas Wray")
    rosalind.fill("Why them", "He keeps the plan.")
    rosalind.press("Forward")
    rosalind.see("Forwarded to Tomas Wray.")
    marit = screen("Marit")
    marit.open("/approvals")
    marit.see("you approve for Tomas Wray")
    marit.press_beside("first day for Petra", "Approve")
    marit.see("Approved.")

    # Its parts are requests of their own; the whole ends with the last of them.
    lena.open(f"/my/{number}")
    lena.see("Parts: 0 of 4 delivered")
    lena.see("forwarded")
    lena.see("approved by Marit Osei")
    server.run(
        f"""{FIND}
from django.utils import timezone
from gannet.people.models import Person
from gannet.tickets.actions import Acting, resolve
from gannet.tickets.actions.leftovers import Settled
who = Acting(person=Person.objects.get(name='Signe Hallam'), now=timezone.now())
for child in Ticket.objects.filter(parent={number}, is_open=True).order_by('id'):
    resolve(child.pk, who, 'It is there.', settled=Settled(is_all=True))"""
    )
    lena.see("Parts: 4 of 4 delivered", patience=30)
    lena.see("Everything that was requested is delivered.")
    for who in (lena, rosalind, marit, mailed):
        assert who.complaints() == []


def test_no_goes_straight_on_yes_asks_and_a_refusal_can_be_asked_again(
    server: Server, screen: Open
) -> None:
    ines = screen("Ines")
    ines.open("/ask/remote-access")
    ines.choose("Also from other countries", "yes")
    ines.see("Line manager: Rosalind Hathersage")
    ines.choose("Also from other countries", "no")
    ines.see("No approval needed.")
    ines.press("Request it")
    straight = asked_number(ines)
    ines.see("It goes straight to those who bring it.")
    assert server.run(f"{FIND}print(Ticket.objects.get(pk={straight}).approval)") == "automatic"

    ines.open("/ask/tablet")
    ines.choose("Where to bring it", "Orrin Bay")
    ines.fill("Reason", "For the rounds.")
    ines.press("Request it")
    number = asked_number(ines)
    rosalind = screen("Rosalind")
    rosalind.press("Notifications")
    rosalind.see("Line manager: Tablet")
    rosalind.press("Reject…")
    rosalind.fill("Why not", "Please use the bridge tablet.")
    rosalind.press("Reject")
    rosalind.see("Rejected.")
    ines.open(f"/my/{number}")
    ines.see("Please use the bridge tablet.")
    ines.see("Not approved")
    ines.press("Request again with these answers")
    ines.until(
        "the answers are kept",
        lambda: ines.field("Where to bring it").get_attribute("value") == "Orrin Bay",
    )
    ines.press("Request it")
    assert asked_number(ines) != number
    assert ines.complaints() == [] and rosalind.complaints() == []


def test_a_password_from_the_phone_and_no_barriers(server: Server, screen: Open) -> None:
    ines = screen("Ines", width=390, height=844)
    ines.fill("What do you need", "passwrod")
    ines.see("New password")
    assert ines.violations() == []
    ines.press("New password")
    ines.fill("Name in the address", "ines.corrado")
    assert ines.violations() == []
    wide = "return document.documentElement.scrollWidth <= window.innerWidth"
    assert ines.driver.execute_script(wide)
    ines.press("Request it")
    number = asked_number(ines)
    ines.open(f"/my/{number}")
    ines.see("All its tasks are done", patience=40)
    for path in ("/approvals", "/basket", "/ask/newcomer", f"/my/{number}"):
        ines.open(path)
        ines.until("drawn", lambda: "Loading" not in ines.text())
        assert ines.violations() == [], path
        assert ines.driver.execute_script(wide), path
    signe = screen("Signe")
    signe.open("/desk/requests?team=all")
    signe.see("Waiting for approval")
    assert signe.violations() == []
    assert ines.complaints() == [] and signe.complaints() == []


def test_a_laptop_with_changed_answers_a_board_and_what_its_tasks_yield(
    server: Server, screen: Open
) -> None:
    ines = screen("Ines")
    ines.open("/ask/laptop")
    ines.choose("Size", "15 inches")
    ines.choose("Where to bring it", "Orrin Bay")
    ines.press("Request it")
    number = asked_number(ines)

    # Everybody approves; then she changes an answer that no stage looks at: it goes on.
    rosalind = screen("Rosalind")
    rosalind.open("/approvals")
    rosalind.press_beside(f"{number} Laptop", "Approve")
    rosalind.see("Approved.")
    server.run(
        f"""{FIND}
from gannet.people.models import Person
from gannet.tickets.actions import Acting, approvals
from django.utils import timezone
for asked in Ticket.objects.get(pk={number}).approvals.filter(state='pending'):
    approvals.decide(Acting(person=asked.asked_of, now=timezone.now()), asked.pk,
                     approves=True, reason='')"""
    )
    ines.open(f"/my/{number}")
    ines.press("Change the answers…")
    ines.choose("Size", "13 inches, light")
    ines.press("Change them")
    ines.see("Changed.")
    ines.see("13 inches, light")

    # The tasks: the first yields the tag, the next reads it.
    signe = screen("Signe")
    signe.open(f"/desk/tickets/{number}")
    signe.see("Take one from the stores")
    signe.tick("Take one from the stores")
    signe.see("Done: Take one from the stores")
    signe.press("Done")
    signe.see("This is empty.")
    signe.fill("Asset tag", "NM-2311")
    signe.press("Done")
    signe.see("asset tag NM-2311")
    server.run(f"{FIND}t = Ticket.objects.get(pk={number}); assert t.open_tasks == 2, t.open_tasks")

    # A gate is found by its name, its owner decides, and passes that on to the board.
    ines.open("/ask/move-fixed")
    ines.fill("Which one", "gate 2 kestrel")
    ines.until("it is found", lambda: "Gate 2, Kestrel Point" in ines.first_offered())
    ines.press("Gate 2, Kestrel Point")
    ines.fill("Where to", "Ramp 4")
    ines.press("Request it")
    moved = asked_number(ines)
    owner = server.run(f"{FIND}print(Ticket.objects.get(pk={moved}).ci.owner.name)").strip()
    link = link_for(server, moved, owner)
    assert link.startswith("/decide#")
    server.run(
        f"""{FIND}
from gannet.people.models import Team
from gannet.tickets.actions import Acting, approvals
from django.utils import timezone
asked = Ticket.objects.get(pk={moved}).approvals.get(state='pending')
approvals.pass_on(Acting(person=asked.asked_of, now=timezone.now()), asked.pk,
                  to=Team.objects.get(is_board=True), reason='Who pays?')"""
    )
    rosalind.open("/approvals")
    rosalind.see("Technical owner: Move of a fixed device")
    rosalind.see("to the Change advisory board")
    rosalind.press_beside("Move of a fixed device", "Approve")
    rosalind.see("Approved.")
    ines.open(f"/my/{moved}")
    ines.see("With Quayside Support")
    for who in (ines, rosalind, signe):
        assert who.complaints() == []


def test_an_approval_asked_about_by_mail_gives_the_requester_no_way_to_approve_it(
    server: Server, screen: Open
) -> None:
    """The approver's mail program quotes the mail with its link; the requester reads that."""
    ines = screen("Ines")
    ines.open("/ask/tablet")
    ines.choose("Where to bring it", "Vell Island")
    ines.fill("Reason", "For the night rounds.")
    ines.press("Request it")
    number = asked_number(ines)
    link = link_for(server, number, "Rosalind")

    rosalind = screen("Rosalind")
    rosalind.open("/desk/mailroom")
    rosalind.fill("Find by recipient", "rosalind")
    rosalind.press(f"[Gannet {number}]")
    rosalind.see("See what is requested, and approve or reject it here")
    rosalind.press("Answer as rosalind")
    rosalind.fill("Message", "Could the bridge tablet do?")
    rosalind.press("Send")
    rosalind.see("Sent.")

    signe = screen("Signe")
    signe.open(f"/desk/tickets/{number}")
    signe.see("Could the bridge tablet do?", patience=40)
    for who in (ines, signe):
        who.open(f"/desk/tickets/{number}" if who is signe else f"/my/{number}")
        who.see(str(number))
        assert "gk-" not in who.driver.page_source
    mailed = screen()
    mailed.open(link)
    mailed.see("This link is not good any more")
    fresh = link_for(server, number, "Rosalind")
    assert fresh != link, "she has been sent another"
    mailed.open("/decide")
    mailed.open(fresh)
    mailed.see("For the night rounds.")
    mailed.press("Approve")
    mailed.see("This is approved.")
    mailed.driver.refresh()
    mailed.see("This is approved.")
    ines.open(f"/my/{number}")
    ines.see("by the link of the mail")


def test_a_forged_mail_of_a_colleague_is_a_note_and_says_so(server: Server, screen: Open) -> None:
    number = int(server.run(f"{FIND}print(Ticket.objects.filter(is_open=True, is_confidential=0, "
                            "kind='incident').latest('pk').pk)"))  # fmt: skip
    maeve = screen("Ines")
    maeve.open("/desk/mailroom")
    maeve.press("Write as anyone")
    maeve.fill("From", "signe.hallam@northmere.example")
    maeve.fill("Subject", f"[Gannet {number}] solved")
    maeve.fill("Message", "All is well, go home.")
    maeve.tick("Forge the sender")
    maeve.press("Send")
    maeve.see("Sent.")
    joss = screen("Joss")
    joss.open(f"/desk/tickets/{number}")
    joss.see("All is well, go home.", patience=40)
    joss.see("sender not verified")
    joss.see("desk only, never sent")
    assert joss.violations() == []
