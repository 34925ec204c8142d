"""Articles in several languages, words removed for good, and rules that follow what becomes of them."""

from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Server
from tests.browser.driver import Screen

Open = Callable[..., Screen]

WRITTEN = """
from django.utils import timezone
from gannet.knowledge.actions import set_article_state, write_article
from gannet.people.acting import Acting
from gannet.people.models import Person
who = Person.objects.filter(name__startswith="Marit ").order_by("pk")[0]
marit = Acting(person=who, now=timezone.now())
"""


def test_an_article_is_translated_found_in_both_and_told_when_it_is_behind(
    server: Server, screen: Open
) -> None:
    number = server.run(
        WRITTEN
        + """
one = write_article(marit, {"title": "Sound the fog horn", "body": "Long.", "for_everybody": 1})
set_article_state(marit, one.pk, "published")
print(one.pk)
"""
    ).split()[-1]
    marit = screen("Marit", 1280, 900)
    marit.open(f"/desk/articles/{number}")
    marit.press("Translate…")
    marit.see("Other languages")
    assert marit.violations() == []
    marit.choose("Translate it into", "Nederlands")
    marit.press("Begin")
    marit.until("its editor is open", lambda: "write" in marit.path)
    marit.see("Language")
    marit.fill("Title", "De misthoorn laten klinken")
    marit.press("Save")
    marit.see("Also in")
    marit.press("Publish")
    marit.see("Published.")
    ines = screen("Ines", 390, 800)
    ines.open(f"/articles/{number}")
    ines.press("Nederlands")
    ines.see("De misthoorn laten klinken")
    title = ines.driver.find_element("css selector", "h1")
    assert title.get_attribute("lang") == "nl"
    ines.press("English")
    ines.see("Sound the fog horn")
    ines.driver.back()
    ines.see("De misthoorn laten klinken")
    assert ines.violations() == []
    # A newer English text leaves the Dutch one behind, and says so to its readers.
    server.run(
        WRITTEN
        + f"""
write_article(marit, {{"title": "Sound the fog horn", "body": "Longer."}}, {number})
set_article_state(marit, {number}, "published")
"""
    )
    ines.driver.refresh()
    ines.see("The text in English was changed since this was translated.")
    assert ines.complaints() == []


def test_words_are_removed_for_good_and_that_stays(server: Server, screen: Open) -> None:
    number = server.run(
        WRITTEN
        + """
given = {"title": "Open the chain locker", "body": "The code is 4711.", "for_everybody": 1}
one = write_article(marit, given)
set_article_state(marit, one.pk, "published")
write_article(marit, {**given, "body": "Ask the bridge."}, one.pk)
set_article_state(marit, one.pk, "published")
print(one.pk)
"""
    ).split()[-1]
    marit = screen("Marit", 1280, 900)
    marit.open(f"/desk/articles/{number}")
    marit.see("4711")
    marit.press("Remove words for good…")
    marit.fill("Words", "not said anywhere")
    marit.see("Nothing of it says this.")
    marit.fill("Words", "code is 4711")
    marit.see("In version 1.")
    assert marit.violations() == []
    # Left without doing it, by keys: nothing has happened.
    marit.key(Keys.ESCAPE)
    marit.see("4711")
    marit.press("Remove words for good…")
    marit.fill("Words", "code is 4711")
    marit.see("In version 1.")
    marit.fill("Why", "It opens a door.")
    marit.key(Keys.ENTER)
    marit.see("Removed for good.")
    marit.until("it is gone", lambda: "4711" not in marit.driver.page_source)
    marit.choose("Version", "version 1")
    marit.see("something was removed by Marit Osei: It opens a door.")
    marit.driver.refresh()
    marit.see("Ask the bridge.")
    assert "4711" not in marit.driver.page_source
    assert marit.complaints() == []


def test_a_rule_for_articles_says_what_it_is_true_of_and_its_faults(screen: Open) -> None:
    anneke = screen("Anneke")
    anneke.open("/desk/rulebook/article_rules")
    anneke.see("A disputed article is looked at")
    anneke.press("New rule")
    anneke.until("the new one is open", lambda: "open=" in anneke.path)
    anneke.fill("Name of the rule", "Gates are everybody’s matter")
    anneke.see("published articles now")
    anneke.fill("What they are told", "{titel} is out")
    anneke.see("Draft after edition")
    assert anneke.violations() == []
    anneke.open("/desk/rulebook/checks")
    anneke.see("nothing stands for {titel}")
    anneke.driver.back()
    anneke.fill("What they are told", "{title} is out")
    anneke.key(Keys.TAB)
    anneke.open("/desk/rulebook/checks")
    anneke.see("Checks")
    anneke.not_see("nothing stands for {titel}")
    anneke.open("/desk/rulebook/differences")
    anneke.see("Gates are everybody’s matter")
    assert anneke.complaints() == []
