"""A bundle in the real browser whose part asks for more than the whole does."""

from collections.abc import Callable

from selenium.webdriver.common.by import By

from tests.browser.conftest import Server
from tests.browser.driver import Screen
from tests.browser.test_requests import FIND, asked_number

Open = Callable[..., Screen]
SECRET = "a long pass phrase for one journey"
OUTSIDE = "Also from other countries?"


def sign_in_by_password(server: Server, screen: Screen, team: str) -> None:
    """Sign in as a member of a team who is not among those whom the demo offers."""
    email = server.run(
        "from gannet.people.models import Person\n"
        f"one = Person.objects.filter(memberships__team__key={team!r}).order_by('id').last()\n"
        f"one.set_password({SECRET!r})\none.save()\nprint(one.email)"
    ).strip()
    screen.open("/")
    screen.fill("E-mail address", email)
    screen.fill("Password", SECRET)
    screen.press("Sign in")
    screen.not_see("Password")


def _part(server: Server, whole: int, item: str) -> tuple[int, str]:
    """The number of a part of a bundle, and the state that it has."""
    said = server.run(
        f"{FIND}one = Ticket.objects.get(parent={whole}, request_facts__item={item!r})\n"
        "print(one.pk, one.approval, sep='|')"
    )
    number, approval = said.strip().splitlines()[-1].split("|")
    return int(number), approval


def test_a_bundle_goes_ahead_while_security_holds_the_part_that_it_alone_may_approve(
    server: Server, screen: Open
) -> None:
    lena = screen("Lena")
    lena.open("/ask/home-office")
    lena.see("What is in it")
    lena.choose("Where to bring it", "Kestrel Point")
    lena.choose(OUTSIDE, "yes")
    lena.tick("Monitor")
    lena.press("Request it")
    whole = asked_number(lena)
    lena.open(f"/my/{whole}")
    lena.see("Access from elsewhere")

    rosalind = screen("Rosalind")
    rosalind.open("/approvals")
    rosalind.see("Line manager: A work place at home")
    # Whoever approves the whole sees what its parts are asked with.
    rosalind.see(OUTSIDE)
    rosalind.press_beside("A work place at home", "Approve")
    rosalind.see("Approved.")
    # What needs nothing more than the whole did goes to work; the access waits for security.
    lena.see("Parts: 0 of 2 delivered")
    assert _part(server, whole, "monitor")[1] == "automatic"
    access, approval = _part(server, whole, "remote-access")
    assert approval == "pending"
    rosalind.open("/approvals")
    rosalind.see("Line manager: Access from elsewhere")
    assert "Information Security: Access" not in rosalind.text()
    rosalind.press_beside("Access from elsewhere", "Approve")
    rosalind.see("Approved.")

    # Nobody brings it before: the agent who tries hears whose word is missing.
    signe = screen("Signe")
    signe.open(f"/desk/tickets/{access}")
    signe.see("Information Security")
    resolve = next(
        one
        for one in signe.driver.find_elements(By.TAG_NAME, "button")
        if one.text.startswith("Resolve…")
    )
    assert not resolve.is_enabled()
    assert "resolved once it is approved" in (resolve.get_attribute("title") or "")
    assert _part(server, whole, "remote-access")[1] == "pending"

    guard = screen()
    sign_in_by_password(server, guard, "security")
    guard.open("/approvals")
    guard.see("Information Security: Access from elsewhere")
    guard.see("yes")
    guard.press_beside("Access from elsewhere", "Approve")
    guard.see("Approved.")
    assert _part(server, whole, "remote-access")[1] == "approved"
    lena.open(f"/my/{whole}")
    lena.see("Parts: 0 of 2 delivered")
    for who in (lena, rosalind, signe, guard):
        assert who.complaints() == []
