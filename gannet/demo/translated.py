"""Articles of the handbook in other languages: for crews that read those better."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import NamedTuple

from gannet.knowledge.actions import set_article_state, write_article
from gannet.knowledge.models import Article
from gannet.knowledge.translations import translate
from gannet.people.acting import Acting
from gannet.people.models import Person


class _Text(NamedTuple):
    of: str
    language: str
    title: str
    body: str


_TEXTS = (
    _Text(
        "Clean the glass of a gate reader",
        "nl",
        "Het glas van een poortlezer schoonmaken",
        "Zout droogt op het glas en verstrooit het rode licht.\n\n"
        "1. Veeg het droog af met de blauwe doek uit het poortkastje.\n"
        "2. Blijft het dof, adem er dan op en veeg nog eens. Geen spray: die kruipt onder de rand.\n"
        "3. Scan het testkaartje aan het koord. Twee korte piepjes betekenen dat hij leest.",
    ),
    _Text(
        "What the lights of a gate mean",
        "nb",
        "Hva lysene på en port betyr",
        "| lys | hva det sier |\n|---|---|\n| hvitt, rolig | klar |\n"
        "| grønt, to pip | slipp dem gjennom |\n| gult | lest, men for en annen avgang |\n"
        "| rødt, langt | avvist: les ordene på den lille skjermen |\n"
        "| ikke noe lys | ingen strøm, eller dekselet er åpent |",
    ),
    _Text(
        "Test the gates before the first sailing",
        "nl",
        "De poorten testen voor de eerste afvaart",
        "Tien minuten voor de deuren opengaan, elke ochtend:\n\n"
        "1. [ ] Scan het testkaartje bij elke poort, in en uit.\n"
        "2. [ ] Druk bij één ervan op de stop en laat los: de arm moet binnen een seconde vallen.\n"
        "3. [ ] Teken het blad in het kastje. Een poort die faalt blijft dicht, en u belt de desk.",
    ),
)
# Said anew in English since it was translated.
_CHANGED = (
    "Test the gates before the first sailing",
    "\n4. [ ] Wave at the camera over the gate: the duty office says that it sees you.",
)


def make_translations(articles: Sequence[Article], lead: Person, now: datetime) -> None:
    """The translations, published; one of them is behind what its original says today."""
    known = {one.title: one for one in articles}
    for place, text in enumerate(_TEXTS):
        original = known[text.of]
        at = Acting(person=lead, now=now - timedelta(days=24 - 5 * place))
        made = translate(at, original, text.language)
        given = {
            "title": text.title, "body": text.body, "note": "translated",
            "service": original.service, "category": original.category,
            "for_everybody": original.for_everybody,
        }  # fmt: skip
        write_article(at, given, made.pk)
        set_article_state(at, made.pk, "published")
    title, more = _CHANGED
    original = known[title]
    at = Acting(person=lead, now=now - timedelta(days=3))
    given = {
        "title": title, "body": original.body + more, "note": "the cameras are tested too",
        "service": original.service, "category": original.category,
        "for_everybody": original.for_everybody,
    }  # fmt: skip
    write_article(at, given, original.pk)
    set_article_state(at, original.pk, "published")
