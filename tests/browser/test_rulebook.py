"""Administrators at the rulebook: change a policy, know what it will do, publish, go back."""

import re
from collections.abc import Callable
from pathlib import Path

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Server
from tests.browser.driver import Screen

pytestmark = pytest.mark.browser
Open = Callable[..., Screen]


@pytest.fixture(autouse=True)
def no_draft(server: Server) -> None:
    server.run(
        "from gannet.rulebook.models import Draft, Rehearsal\n"
        "Draft.objects.all().delete()\n"
        "Rehearsal.objects.filter(name='Wi-Fi on deck').delete()"
    )


def pick(screen: Screen, word: str, option: str) -> None:
    """Open a word of a sentence and choose what it shall be."""
    screen.press(word)
    screen.press(option)


def report(screen: Screen, title: str, service: str) -> str:
    """Report a fault in the portal; its number."""
    screen.open("/report")
    screen.fill("What is wrong?", title)
    screen.choose("Which service?", service)
    for answer in ("My team or this counter", "Yes, with difficulty"):
        screen.tick(answer)
    screen.press("Report it")
    screen.see("Thank you. It is incident")
    found = screen.until("got a number", lambda: re.search(r"incident (\d+)", screen.text()))
    return str(found[1])


def publish(screen: Screen, why: str) -> None:
    screen.press("Publish…")
    screen.fill("What changes, and why", why)
    screen.press("Publish now")
    screen.see("is in force.")


def test_a_summer_calendar_and_an_agreement_with_three_steps_from_draft_to_fired_and_back(
    server: Server, screen: Open
) -> None:
    anneke = screen("Anneke")
    anneke.open("/desk/rulebook/calendars")
    anneke.see("Early shift")
    anneke.press("New calendar")
    anneke.until("the new one is open", lambda: "open=new-calendar" in anneke.path)
    anneke.fill("Name", "Summer on the islands")
    anneke.press("add a season")
    anneke.fill("From:", "05-01")
    anneke.fill("Monday, hours", "00:00-24:00")
    anneke.key(Keys.ENTER)
    anneke.press("all")
    anneke.see("every year from 1 May")
    anneke.see("Draft after edition")
    anneke.see("Summer on the islands")

    anneke.open("/desk/rulebook/agreements")
    anneke.see("Sailing-critical")
    anneke.press("SLA")
    anneke.until("the new one is open", lambda: "open=new-agreement" in anneke.path)
    anneke.fill("Name", "Wi-Fi for passengers")
    pick(anneke, "Status:", "active")
    anneke.press("+ only when…")
    anneke.fill("Field", "service")
    anneke.key(Keys.ENTER)
    anneke.fill("Search the choices", "Passenger")
    anneke.tick("Passenger Wi-Fi")
    anneke.press("Done")
    pick(anneke, "Calendar:", "Summer on the islands")
    anneke.fill("P3 resolution in", "20 s")
    anneke.key(Keys.TAB)
    for _ in range(3):
        anneke.press("add a step")
    anneke.fill("Percent of step 1", "10")
    anneke.fill("Name of step 1", "barely begun")
    pick(anneke, "Moment of step 3", "after due")
    anneke.fill("How long of step 3", "5 s")
    anneke.fill("Name of step 3", "past it")
    anneke.key(Keys.TAB)
    anneke.see("Wi-Fi for passengers")
    # Each edit is kept by itself: loading again shows it all.
    anneke.until("the last of them is kept", lambda: "past it" in _draft(anneke))
    anneke.until("kept", lambda: "Wi-Fi for passengers: a new agreement" in _differences(anneke))

    anneke.open("/desk/rulebook/try")
    anneke.fill("Who asks", "Ines Corrado")
    anneke.fill("What is wrong", "No Wi-Fi on deck")
    anneke.until("found by name", lambda: "@" in anneke.text())
    anneke.choose("Service", "Passenger Wi-Fi")
    anneke.choose("Who is affected?", "My team")
    anneke.choose("Can you still work?", "Yes, with difficulty")
    anneke.see("Wi-Fi for passengers: applies")
    anneke.see("resolution, half gone")
    anneke.press("Keep as a rehearsal…")
    anneke.fill("Name", "Wi-Fi on deck")
    anneke.press("Save")
    anneke.see("runs before every edition")
    anneke.see("✓ Wi-Fi on deck", patience=90)  # all rehearsals run again first

    anneke.open("/desk/rulebook/replay")
    anneke.choose("Run the draft over", "everything")
    anneke.press("Start the replay")
    anneke.see("come out otherwise", patience=90)
    anneke.see("another SLA")
    anneke.see("Those that differ")

    publish(anneke, "Summer hours and three steps for the Wi-Fi of passengers")
    ines = screen("Ines")
    number = report(ines, "No Wi-Fi on the upper deck", "Passenger Wi-Fi")
    signe = screen("Signe")
    signe.open(f"/desk/tickets/{number}")
    signe.see("Wi-Fi for passengers")
    signe.see("escalation, resolution 10 % gone", patience=60)
    signe.see("escalation, resolution half gone", patience=60)
    signe.see("escalation, resolution 5 s after", patience=60)
    signe.see("overdue")
    signe.press("why: resolution clock")
    signe.see("Used")
    signe.key(Keys.ESCAPE)
    fired = server.run(
        "from gannet.audit.models import Event\n"
        f"print(Event.objects.filter(ticket={number}, kind='escalated').count())"
    )
    assert fired.strip() == "3"

    anneke.open("/desk/rulebook/editions")
    anneke.see("Summer hours and three steps")
    anneke.press("Go back to it…")
    anneke.see("Wi-Fi for passengers: agreement removed")
    anneke.press("Go back to it")
    anneke.see("says again what edition")
    number = report(ines, "No Wi-Fi again", "Passenger Wi-Fi")
    signe.open(f"/desk/tickets/{number}")
    signe.see("Details")
    assert "Wi-Fi for passengers" not in signe.text()
    assert anneke.complaints() == [] == signe.complaints()


def _draft(screen: Screen) -> str:
    """The draft as the server has it: what was typed last is saved a moment later."""
    return str(
        screen.driver.execute_async_script(
            "const done = arguments[arguments.length - 1];"
            "fetch('/api/rulebook/documents/draft').then((r) => r.text()).then(done)"
        )
    )


def _differences(screen: Screen) -> str:
    script = (
        "const done = arguments[0];"
        "fetch('/api/rulebook/draft/review').then((r) => r.text()).then(done)"
    )
    return str(screen.driver.execute_async_script(script))


def test_a_rule_for_the_directors_is_tried_before_it_is_published(
    server: Server, screen: Open
) -> None:
    anneke = screen("Anneke")
    anneke.open("/desk/rulebook/rules")
    anneke.press("New rule")
    anneke.see("stop here")
    anneke.fill("Name of the rule", "Directors go to Marit")
    anneke.press("+ only when…")
    anneke.fill("Field", "care tier")
    anneke.key(Keys.ENTER)
    anneke.tick("directors")
    anneke.press("Done")
    anneke.press("Remove: add tags")
    anneke.choose("Add something to do", "give it to a person")
    pick(anneke, "Person:", "Marit Osei")
    anneke.tick("on")
    anneke.until("kept", lambda: "Directors go to Marit" in _differences(anneke))
    anneke.press("try it")
    anneke.fill("Who asks", "Rosalind Hathersage")
    anneke.until("found by name", lambda: "@" in anneke.text())
    anneke.fill("What is wrong", "The board papers do not open")
    anneke.choose("Service", "Mail and calendar")
    anneke.see("Care tier is directors")
    anneke.see("50 % for Directors")
    anneke.see("the rule “Directors go to Marit” gives it to them")
    publish(anneke, "Directors were promised half the time and one person")

    number = server.run(
        "from django.utils import timezone\n"
        "from gannet.estate.models import Service\n"
        "from gannet.people.models import Person\n"
        "from gannet.tickets.actions import Acting, NewTicket, log_ticket\n"
        "who = Person.objects.get(name='Rosalind Hathersage')\n"
        "mail = Service.objects.get(name='Mail and calendar')\n"
        "new = NewTicket(requester=who, title='The board papers do not open', service=mail)\n"
        "print(log_ticket(new, Acting(person=who, now=timezone.now())).pk)"
    ).strip()
    marit = screen("Marit")
    marit.open(f"/desk/tickets/{number}")
    marit.see("Directors · 50 % of the target")
    marit.until("it is hers", lambda: re.search(r"Assignee\s+Marit Osei", marit.text()))
    marit.press("why: rules")
    marit.see("Directors go to Marit")


def test_a_field_is_computed_tried_published_and_stands_in_lists_and_reports(
    server: Server, screen: Open
) -> None:
    anneke = screen("Anneke", 1280, 900)
    anneke.open("/desk/rulebook/computed")
    anneke.press("New computed field")
    anneke.see("What it says".lower())
    anneke.fill("Name of the computed field", "Minutes a message")
    anneke.fill("Expression", "minutes ÷ mesages")
    anneke.see("There is no field “mesages”")
    assert anneke.driver.find_element("css selector", "mark").text == "mesages"
    # Corrected by choosing the field, put in where one stands.
    anneke.fill("Expression", "minutes ÷ ")
    anneke.fill("Put in a field", "number of mess")
    anneke.see("[messages]")
    anneke.key(Keys.ENTER)
    anneke.until(
        "is put in",
        lambda: anneke.field("Expression").get_attribute("value") == "minutes ÷ messages",
    )
    anneke.see("It is a number")
    anneke.until("kept", lambda: "Minutes a message" in _differences(anneke))
    assert anneke.violations() == []
    publish(anneke, "To see where time goes")

    key = server.run(
        "from gannet.rulebook.book import current\nprint(current().document['computed'][-1]['key'])"
    ).split()[-1]
    marit = screen("Marit", 1280, 900)
    marit.open(f"/desk/queue?columns={key}&sort=-{key}")
    marit.see("Minutes a message, greatest first")
    tomas = screen("Tomas", 1280, 900)
    tomas.open("/desk/reports")
    tomas.press("+ figure…")
    tomas.fill("Search: Another figure", "minutes a mess")
    tomas.press("average Minutes a message")
    tomas.see("Computed by the rulebook")
    assert tomas.complaints() == []


def test_a_bad_file_is_refused_with_its_place_and_changes_nothing(
    screen: Open, tmp_path: Path
) -> None:
    anneke = screen("Anneke")
    anneke.open("/desk/rulebook/editions")
    anneke.see("As a file")
    before = anneke.driver.execute_async_script(
        "const done = arguments[0];"
        "fetch('/api/rulebook/export/force').then((r) => r.text()).then(done)"
    )
    for text, place in (
        ("calendars:\n  - [oops", "line 2"),
        (str(before).replace("Atlantic/Azores", "Atlantis/Deep"), "ilha-clara"),
        (str(before).replace("\nrules:\n", "\ncolours: []\nrules:\n"), "colours"),
    ):
        file = tmp_path / "rulebook.yaml"
        file.write_text(text, encoding="utf-8")
        anneke.driver.find_element("css selector", "input[type=file][accept*=yaml]").send_keys(
            str(file)
        )
        anneke.see("Nothing has been changed.")
        anneke.see(place)
        assert "in force" in anneke.text() and "Draft after" not in anneke.text()


def test_two_at_one_draft_lose_nothing(screen: Open) -> None:
    first, second = screen("Anneke"), screen("Anneke")
    for one in (first, second):
        one.open("/desk/rulebook/agreements?open=offices")
        one.until(
            "reads it", lambda one=one: one.field("Owner").get_attribute("value") == "Tomas Wray"
        )
    first.fill("Owner", "Marit Osei")
    first.see("Draft after edition")
    second.fill("Owner", "Signe Hallam")
    second.see("Somebody else has changed this")
    assert second.field("Owner").get_attribute("value") == "Signe Hallam"
    second.press("Keep mine")
    second.not_see("Somebody else has changed this")
    first.until("sees it", lambda: first.field("Owner").get_attribute("value") == "Signe Hallam")
    first.press("Undo")
    first.until("taken back", lambda: first.field("Owner").get_attribute("value") == "Marit Osei")
    first.press("Publish…")
    first.press("Throw the draft away…")
    first.press("Yes, throw it away")
    first.see("as it is in force")


def test_no_room_of_the_rulebook_has_a_serious_barrier(screen: Open) -> None:
    anneke = screen("Anneke")
    rooms = (
        "calendars priorities agreements rules?open=vital-down routing closing fields forms items "
        "items?open=laptop bundles routes?open=spending calendars?open=offices agreements?open=offices "
        "templates starters tasks?open=laptop states waits categories care_tiers suppliers item_types item_groups?open=watched clocks messages "
        "changes windows?open=nights change_templates?open=switch-swap problems "
        "notifications quiet hooks try checks rehearsals replay differences editions"
    ).split()
    found: dict[str, list[str]] = {}
    for room in rooms:
        anneke.open(f"/desk/rulebook/{room}")
        anneke.see("Rulebook")
        anneke.until("has read", lambda: "Reading" not in anneke.text())
        found[room] = anneke.violations()
        width = anneke.driver.execute_script("return document.documentElement.scrollWidth")
        if width > 1280:
            found[room].append(f"{width} px wide")
    assert "\n".join(f"{room}: {line}" for room, what in found.items() for line in what) == ""
    assert anneke.complaints() == []


MANY = """
import copy
from django.utils import timezone
from gannet.people.models import Person
from gannet.trials import drafts
from gannet_core import rulebook
anneke, now = Person.objects.get(name='Anneke Dray'), timezone.now()
groups = ['Systems', 'Phones', 'Files', 'Counters', 'Doors', 'Elsewhere']
new = [
    drafts.Change(section='items', key=f'many-{n}', before=None, after={
        'key': f'many-{n}', 'name': f'Access to system {n}', 'plain': 'Work in it',
        'group': groups[n % 6], 'route': 'spending',
    })
    for n in range(260)
]
drafts.edit_many(anneke, new, now)
"""


def rows(screen: Screen) -> list[str]:
    found = screen.driver.find_elements("css selector", "[data-row]")
    return [str(one.get_attribute("data-row")) for one in found]


def open_entry(screen: Screen) -> str:
    found = re.search(r"open=([^&]*)", screen.path)
    return found[1] if found else ""


def test_an_administrator_with_three_hundred_items_works_by_keys(
    server: Server, screen: Open
) -> None:
    server.run(MANY)
    anneke = screen("Anneke")
    anneke.open("/desk/rulebook/items")
    anneke.see("Catalogue items")
    anneke.until("all are there", lambda: len(rows(anneke)) > 300)
    anneke.press("Systems")
    anneke.until("the group is folded", lambda: len(rows(anneke)) < 270)

    # Searched, though some of what is found stands in a folded group.
    anneke.key("/")
    anneke.until("in the search", lambda: anneke.focused().startswith("Search catalogue"))
    anneke.key("system 25")
    anneke.until("found", lambda: len(rows(anneke)) == 13)
    anneke.see("13 of 3")
    anneke.key(Keys.ARROW_DOWN, "x", Keys.ARROW_DOWN, "x", Keys.ARROW_DOWN, "x")
    anneke.see("3 chosen")
    anneke.choose("What to set", "approval route")
    anneke.choose("approval route of all that are chosen", "pre-approved")
    anneke.press("Change 3 in the draft")
    anneke.see("3 changed in the draft.")
    routes = (
        "from gannet.rulebook.models import Draft\n"
        "print(sum('route' not in one for one in Draft.objects.get().document['items'] "
        "if one['key'].startswith('many-')))"
    )
    assert server.run(routes).strip() == "3"
    anneke.press("Undo")
    anneke.see("Taken back: Catalogue items › 3 at once")
    assert server.run(routes).strip() == "0"

    # Opened, walked and left with the keys; Back closes it too.
    first = rows(anneke)[0]
    anneke.driver.find_element("css selector", f'[data-row="{first}"]').send_keys(Keys.ENTER)
    anneke.until("the first is open", lambda: open_entry(anneke) == first)
    anneke.driver.find_element("css selector", f'[data-row="{first}"]').send_keys(Keys.ARROW_DOWN)
    second = rows(anneke)[1]
    anneke.until("the next is open", lambda: open_entry(anneke) == second)
    anneke.driver.find_element("css selector", f'[data-row="{second}"]').send_keys(Keys.F2)
    anneke.until("its name is chosen", lambda: anneke.focused().startswith("Name"))
    anneke.key("Access to the winch")
    anneke.see("Access to the winch")
    anneke.driver.back()
    anneke.until("closed", lambda: open_entry(anneke) == "")

    # What others use is not removed unawares.
    anneke.open("/desk/rulebook/routes?open=spending")
    anneke.see("260")
    anneke.press("Remove…")
    anneke.see("others.")
    anneke.press("Remove it all the same")
    anneke.see("Cannot be published yet:")
    anneke.press("Undo")
    anneke.not_see("Cannot be published yet:")

    anneke.open("/desk/queue")
    anneke.see("shown")
    anneke.command("docking station catalogue item", "Docking station")
    anneke.until("it is open", lambda: open_entry(anneke) == "dock")
    anneke.see("Used by")
    assert anneke.complaints() == []


def test_what_was_typed_while_the_line_was_cut_is_never_replaced(
    server: Server, screen: Open
) -> None:
    anneke = screen("Anneke")
    anneke.open("/desk/rulebook/agreements?open=offices")
    anneke.until("read", lambda: anneke.field("Owner").get_attribute("value") == "Tomas Wray")
    anneke.driver.execute_cdp_cmd("Network.enable", {})
    cut = {"latency": 0, "downloadThroughput": 0, "uploadThroughput": 0}
    anneke.driver.execute_cdp_cmd("Network.emulateNetworkConditions", {"offline": True, **cut})
    anneke.fill("Owner", "Marit Osei")
    server.run(
        "import copy\n"
        "from django.utils import timezone\n"
        "from gannet.people.models import Person\n"
        "from gannet.trials import drafts\n"
        "from gannet_core import rulebook\n"
        "anneke, now = Person.objects.get(name='Anneke Dray'), timezone.now()\n"
        "before = rulebook.entry(drafts.begin(anneke, now).document, 'agreements', 'offices')\n"
        "after = {**before, 'owner': 'Signe Hallam'}\n"
        "drafts.edit(anneke, drafts.Change(section='agreements', key='offices', before=before, "
        "after=after), now)"
    )
    anneke.driver.execute_cdp_cmd(
        "Network.emulateNetworkConditions",
        {"offline": False, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1},
    )
    anneke.see("Somebody else has changed this", patience=40)
    assert anneke.field("Owner").get_attribute("value") == "Marit Osei"
    anneke.press("Take theirs")
    anneke.until("theirs", lambda: anneke.field("Owner").get_attribute("value") == "Signe Hallam")
