"""The estate in the real browser: the map by keyboard, drift to an incident, a broken file."""

import re
from collections.abc import Callable
from pathlib import Path

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Server
from tests.browser.driver import Screen

Open = Callable[..., Screen]
# What a scan of this minute has seen of one thing.
SCAN = """
from django.utils import timezone
from gannet.estate import scanning
from gannet.rulebook.book import current
from gannet_core.instants import seconds_of
things = [
    {"key": "database-2", "attributes": {"memory": 128}},
    {"key": "nm-81", "name": "Box in the crew mess", "type": "access point", "attributes": {"version": "3"}},
]
scanning.note(things, seconds_of(timezone.now()), current().item_types)
"""


def _path(screen: Screen) -> str:
    """Which node of the map has the focus."""
    script = "return document.activeElement.dataset.node || ''"
    return str(screen.driver.execute_script(script))


def test_what_a_stop_reaches_is_found_by_keyboard_and_read_as_a_list(screen: Open) -> None:
    signe = screen("Signe")
    signe.open("/desk/services")
    signe.see("Boarding gates")
    signe.press("If this stops")
    signe.see("Choose what stops")
    signe.tab_to("What stops")
    signe.key("database 2")
    signe.until("it is found", lambda: "Database 2" in signe.first_offered())
    signe.key(Keys.ENTER)
    signe.see("7 of 14 services lose something")
    # Along the map by arrow keys: each thing says what it loses, and why.
    signe.tab_to("Berth planner")
    signe.see("Berth planner 100 %: it stands wholly on Planning service")
    first = _path(signe)
    signe.key(Keys.ARROW_DOWN)
    assert _path(signe) not in ("", first)
    signe.key(Keys.ARROW_UP)
    assert _path(signe) != ""
    # Striking the second of a pair as well takes all that stood on either.
    signe.fill("another", "database 4")
    signe.until("it is found", lambda: "Database 4" in signe.first_offered())
    signe.key(Keys.ENTER)
    signe.until("both stop", lambda: signe.path.count("node=") == 2)
    signe.press("List")
    signe.see("it stands wholly on Manifest service")
    rows = [row.text for row in signe.driver.find_elements(By.CSS_SELECTOR, "tbody tr")]
    manifest = next(row for row in rows if row.startswith("Manifest service"))
    assert "100 %" in manifest
    signe.driver.back()
    signe.until("one stops again", lambda: signe.path.count("node=") == 1)
    assert signe.violations() == []
    # The command bar finds things too.
    signe.command("core switch b", "Core switch B")
    signe.see("Recorded and seen")
    assert signe.path.startswith("/desk/items/")
    assert signe.violations() == []
    assert signe.complaints() == []


def test_drift_becomes_an_incident_or_is_explained(server: Server, screen: Open) -> None:
    server.run(SCAN)
    anneke = screen("Anneke")
    anneke.open("/desk/services/drift")
    anneke.see("Box in the crew mess")
    anneke.press("decide memory")
    anneke.fill("Or say why it is right for now", "being enlarged by Torin")
    anneke.press("Explain it")
    anneke.see("Said.")
    anneke.see("being enlarged by Torin")
    anneke.press("It is not ours…")
    anneke.key("the caterer's own", Keys.ENTER)
    anneke.see("is dismissed")
    assert anneke.violations() == []

    server.run(SCAN.replace("128", "256"))
    signe = screen("Signe")
    number = server.run(
        "from gannet.estate.models import ConfigItem\n"
        "print(ConfigItem.objects.get(key='database-2').pk)"
    ).strip()
    signe.open(f"/desk/items/{number}")
    signe.see("being enlarged by Torin")
    signe.see("7 of 14 services lose something")
    signe.press("Log an incident…")
    signe.see("Log an incident")
    signe.until(
        "the item is carried over",
        lambda: (
            "Database 2" in signe.driver.page_source
            and signe.field("Who is calling").get_attribute("value") == "Signe Hallam"
        ),
    )
    signe.fill("What is wrong", "Database 2 has other memory than recorded")
    signe.press("Only me")
    signe.press("Yes, it is a nuisance")
    signe.press("Log it")
    signe.see("Logged as")
    signe.press("Open")
    signe.see("Database 2 has other memory")
    number = re.findall(r"/desk/tickets/(\d+)", signe.path)[0]
    named = server.run(
        f"from gannet.tickets.models import Ticket\nprint(Ticket.objects.get(pk={number}).ci.name)"
    )
    assert named.strip() == "Database 2"


def test_an_item_is_changed_with_why_and_read_as_it_was(screen: Open) -> None:
    anneke = screen("Anneke")
    anneke.open("/desk/services/items?words=core switch b")
    anneke.press("Core switch B")
    anneke.see("Stands on")
    anneke.press("Change…")
    anneke.fill("ports", "plenty")
    anneke.press("Save")
    anneke.see("ports is a number")
    anneke.fill("ports", "48")
    anneke.press("Save")
    anneke.see("This stays in its history.")
    anneke.fill("Why it is changed", "the old one was full")
    anneke.press("Save")
    anneke.see("Changed.")
    anneke.see("ports 24 → 48: “the old one was full”")


def test_a_broken_file_is_refused_row_by_row_and_the_good_rows_are_taken_back(
    screen: Open, tmp_path: Path
) -> None:
    file = tmp_path / "items.csv"
    file.write_text(
        "key,name,kind,ports,place\n"
        "sw-90,Switch 90,switch,24,Saltgate\n"
        "sw-91,Switch 91,switch,lots,Saltgate\n"
        "sw-92,Switch 92,switch,24,\n"
    )
    anneke = screen("Anneke")
    anneke.open("/desk/import")
    anneke.see("Import")
    anneke.choose("What", "items")
    anneke.driver.find_element(By.CSS_SELECTOR, "input[type=file]").send_keys(str(file))
    anneke.see("ports is a number, not “lots”")
    anneke.press("Import")
    anneke.see("Take it back")
    anneke.open("/desk/services/items?words=switch 9")
    anneke.see("Switch 92")
    anneke.open("/desk/import")
    anneke.press("items.csv")
    anneke.press("Take it back")
    anneke.see("taken back")


def test_an_item_is_recorded_given_to_somebody_and_found_on_its_incident(screen: Open) -> None:
    anneke = screen("Anneke")
    anneke.open("/desk/services/items")
    anneke.press("Record an item…")
    anneke.press("Record it")
    anneke.see("This is empty.")
    anneke.see("Choose one.")
    anneke.fill("Name", "Ticket kiosk 4")
    anneke.choose("Type", "server")
    anneke.press("Record it")
    anneke.see("ticket-kiosk-4")
    assert anneke.path.startswith("/desk/items/")
    item = anneke.path
    anneke.press("Change…")
    anneke.fill("Technical owner", "nobody like this")
    anneke.fill("Why it is changed", "handed over")
    anneke.press("Save")
    anneke.see("Choose somebody from the list, or leave this empty.")
    anneke.fill("Technical owner", "Joss Lev")
    anneke.until("he is found", lambda: "Joss Levering" in anneke.first_offered())
    anneke.key(Keys.ENTER)
    anneke.press("Save")
    anneke.see("Changed.")
    anneke.see("Joss Levering")
    assert anneke.violations() == []

    signe = screen("Signe")
    signe.open(item)
    signe.press("Log an incident…")
    signe.see("Who is calling")
    signe.fill("Who is calling", "Ines Corr")
    signe.until("she is found", lambda: "Ines" in signe.first_offered())
    signe.key(Keys.ENTER)
    signe.fill("What is wrong", "The kiosk takes no coins")
    signe.press("My team or this counter")
    signe.press("Yes, with difficulty")
    signe.press("Log it")
    signe.see("Logged")
    number = signe.driver.execute_async_script(
        "const tell = arguments[0];"
        "fetch('/api/find?q=kiosk').then((a) => a.json()).then((d) => tell(d.tickets[0].id))"
    )
    signe.open(f"/desk/tickets/{number}")
    signe.see("who is hurt if it stops")
    signe.see("changed Ticket kiosk 4")
    signe.see("before this was reported")
    assert signe.violations() == []


def test_the_ci_of_an_incident_is_chosen_on_the_map(screen: Open) -> None:
    signe = screen("Signe")
    signe.open("/desk/queue")
    signe.press("Two gates at Saltgate open without a ticket")
    signe.see("Details")
    record = signe.path
    signe.press("Change CI")
    signe.press("On the map…")
    signe.see("Choose the CI of")
    signe.fill("another", "gate control")
    signe.until("it is found", lambda: "Gate control" in signe.first_offered())
    signe.key(Keys.ENTER)
    signe.press("This is the CI of")
    signe.see("Gate control is the CI of")
    assert signe.path == record
    signe.see("Gate control")
    signe.driver.back()
    signe.see("It is the CI of")
    signe.press("Back to it without choosing")
    signe.until("back on the record", lambda: signe.path == record)


def test_a_service_is_recorded_changed_and_refused_a_name_that_the_rulebook_says(
    screen: Open,
) -> None:
    marit = screen("Marit")
    marit.open("/desk/services")
    marit.press("Record a service…")
    marit.press("Record it")
    marit.see("This is empty.")
    marit.fill("Name", "Crew rota")
    marit.fill("Used by", "Moon base")
    marit.press("Record it")
    marit.see("Nobody works in Moon base.")
    marit.fill("Used by", "Terminals")
    marit.press("Record it")
    marit.see("Crew rota is recorded.")
    marit.see("Terminals")
    marit.press("Change…")
    marit.fill("Name", "Crew planning")
    marit.press("Save")
    marit.see("This stays in its history.")
    marit.fill("Why it is changed", "its new name")
    marit.press("Save")
    marit.until("it has its new name", lambda: marit.find("Crew planning"))
    marit.see("name Crew rota → Crew planning")
    signe = screen("Signe")
    signe.open("/desk/services")
    signe.see("Crew planning")
    assert "Record a service" not in signe.shown()
    marit.press("Services")
    marit.press("Ticket office tills")
    marit.press("Change…")
    marit.fill("Name", "Tills")
    marit.fill("Why it is changed", "shorter")
    marit.press("Save")
    marit.see("The rulebook names it in")


def test_several_items_are_changed_at_once_and_taken_back(screen: Open) -> None:
    marit = screen("Marit")
    marit.open("/desk/services/items?kind=till")
    marit.see("Till 1, Farrow Sound")
    before = marit.shown().count("in repair")
    for box in marit.driver.find_elements(By.CSS_SELECTOR, "tbody input[type=checkbox]")[:2]:
        box.click()
    marit.see("2 chosen")
    marit.press("Change…")
    marit.choose("Life", "in repair")
    marit.press("Change 2 items")
    marit.see("This stays in their history.")
    marit.fill("Why they change", "painted this week")
    marit.press("Change 2 items")
    marit.see("2 items changed.")
    marit.until("both are", lambda: marit.shown().count("in repair") == 2 + before)
    marit.press("Undo")
    marit.see("2 items as before.")
    marit.until("neither is", lambda: marit.shown().count("in repair") == before)
