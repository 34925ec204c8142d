"""One article in several languages: linked to each other, and honest about which is behind."""

from typing import Any

import pytest
from django.db import transaction
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gannet.knowledge import translations
from gannet.knowledge.actions import reviewed, set_article_state, write_article
from gannet.knowledge.languages import languages
from gannet.knowledge.models import Article, ArticlePicture
from gannet.people.acting import Acting
from gannet.upkeep import folders, wants
from gannet.web.errors import Invalid, Problem, Refused
from gannet_core.instants import seconds_of
from tests.app.test_article_folders import zipped
from tests.app.test_article_pictures import add, picture
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
NOW_S = seconds_of(NOW)


@pytest.fixture
def lead(northmere: None, person: Any) -> Acting:
    return Acting(person=person("Marit"), now=NOW)


@pytest.fixture
def original(lead: Acting) -> Article:
    return published(lead, "Wipe the gate", "Dry, with the blue cloth.")


def published(lead: Acting, title: str, body: str, number: int | None = None, **more: Any) -> Any:
    row = write_article(lead, {"title": title, "body": body, "for_everybody": 1, **more}, number)
    return set_article_state(lead, row.pk, "published")


def ask(api: Any, who: str, row: Article, **body: Any) -> Any:
    return api(who).post(f"/api/articles/{row.pk}/translations", body, content_type=JSON)


def in_languages(api: Any, who: str, number: int) -> list[tuple[str, str, bool]]:
    shown = api(who).get(f"/api/articles/{number}").json()["translations"]
    return [(one["language"], one["state"], one["is_original"]) for one in shown]


def wanting(row: Article) -> list[str]:
    found = {one["id"]: one for one in wants.wanting(NOW_S)}
    return [why["what"] for why in found.get(row.pk, {"why": []})["why"]]


# --- the languages ----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("language", "name"), [("en", "English"), ("nl", "Nederlands"), ("de", "Deutsch")]
)
def test_a_language_is_called_what_it_calls_itself(language: str, name: str) -> None:
    assert languages()[language] == name


def test_no_language_stands_twice_and_each_has_a_name() -> None:
    found = languages()
    assert len(set(found.values())) == len(found) and all(name.strip() for name in found.values())
    assert "en-gb" not in found, "one country's own only where the language is not there"


# --- translating ------------------------------------------------------------------------------


def test_a_translation_begins_as_what_it_is_translated_from(
    original: Article, api: Any, lead: Acting
) -> None:
    kept = add(api, "Marit", original, picture()).json()
    body = f"Dry.\n\n![the cloth]({kept['shown_as']})"
    published(lead, "Wipe the gate", body, original.pk)
    got = ask(api, "Marit", original, language="nl")
    assert got.status_code == 201, got.json()
    made = Article.objects.get(pk=got.json()["id"])
    assert (made.title, made.body, made.language) == ("Wipe the gate", body, "nl")
    assert (made.state, made.original_id, made.of_version) == ("draft", original.pk, 2)
    assert f"article {original.pk}, version 2" in made.versions.get().note
    shown = api("Marit").get(f"/api/articles/{made.pk}/pictures").json()
    assert [one["is_shown"] for one in shown] == [True]
    # Its picture is its own: the original may go.
    assert ArticlePicture.objects.filter(name=kept["name"]).count() == 2


def test_it_is_for_those_whom_its_original_is_for(lead: Acting) -> None:
    some = [{"kind": "place", "name": "Orrin Bay"}]
    row = published(lead, "Harbour lights", "Red.", audience=some, for_everybody=2)
    made = translations.translate(lead, row, "nb")
    assert made.for_everybody == 2
    assert list(made.audiences.values("kind", "name")) == some


def test_readers_find_the_other_languages_once_they_are_published(
    original: Article, api: Any, lead: Acting
) -> None:
    made = translations.translate(lead, original, "nl")
    assert in_languages(api, "Ines", original.pk) == []
    assert in_languages(api, "Signe", original.pk) == [("nl", "draft", False)]
    published(lead, "De poort afvegen", "Droog.", made.pk)
    assert in_languages(api, "Ines", original.pk) == [("nl", "published", False)]
    assert in_languages(api, "Ines", made.pk) == [("en", "published", True)]
    third = translations.translate(lead, Article.objects.get(pk=made.pk), "de")
    assert third.original_id == original.pk, "all of them are of the one that was first"
    assert in_languages(api, "Signe", third.pk) == [
        ("en", "published", True),
        ("nl", "published", False),
    ]


def test_a_translation_for_others_is_not_told_to_those_it_is_not_for(
    original: Article, api: Any, lead: Acting
) -> None:
    made = translations.translate(lead, original, "nl")
    published(lead, "Poort", "Droog.", made.pk, for_everybody=0)
    assert in_languages(api, "Ines", original.pk) == []
    assert api("Ines").get(f"/api/articles/{made.pk}").status_code == 404


@pytest.mark.parametrize(
    ("language", "field"), [("en", "language"), ("xx", "language"), ("", "language")]
)
def test_a_language_that_is_none_or_taken_is_refused(
    original: Article, api: Any, language: str, field: str
) -> None:
    got = ask(api, "Marit", original, language=language)
    assert got.status_code == 422 and field in got.json()["fields"]
    assert Article.objects.count() == 1


def test_no_article_takes_the_language_of_another_of_its_family(
    original: Article, lead: Acting
) -> None:
    made = translations.translate(lead, original, "nl")
    with pytest.raises(Invalid, match="English already"):
        write_article(lead, {"language": "en"}, made.pk)
    write_article(lead, {"language": "de"}, made.pk)
    assert Article.objects.get(pk=made.pk).language == "de"


@pytest.mark.parametrize(("who", "status"), [("Ines", 403), ("Tomas", 403), ("Signe", 201)])
def test_the_desk_translates(original: Article, api: Any, who: str, status: int) -> None:
    got = ask(api, who, original, language="nl")
    assert got.status_code == status
    assert Article.objects.count() == (2 if status == 201 else 1)


# --- what is there already --------------------------------------------------------------------


def test_an_article_that_is_there_is_linked_and_parted(
    original: Article, api: Any, lead: Acting
) -> None:
    other = published(lead, "De poort", "Droog.", language="nl")
    assert ask(api, "Marit", original, other=other.pk).status_code == 201
    assert in_languages(api, "Ines", original.pk) == [("nl", "published", False)]
    again = ask(api, "Marit", original, other=other.pk)
    assert again.status_code == 422 and "other" in again.json()["fields"]
    assert api("Marit").delete(f"/api/articles/{other.pk}/translations").status_code == 204
    assert in_languages(api, "Ines", original.pk) == []
    assert api("Marit").delete(f"/api/articles/{other.pk}/translations").status_code == 422


def test_what_is_no_translation_of_it_is_not_linked(
    original: Article, api: Any, lead: Acting
) -> None:
    english = published(lead, "Another", "Text.")
    family = published(lead, "Eine", "Text.", language="de")
    translations.translate(lead, family, "fr")
    for wrong in (original, english, family):
        assert ask(api, "Marit", original, other=wrong.pk).status_code == 422, wrong.title
    assert ask(api, "Marit", original, other=999_999).status_code == 404
    with pytest.raises(Refused):
        mine = Acting(person=None, now=NOW)
        translations.link(mine, original, english)


def test_who_may_change_only_one_of_them_does_not_link_them(
    original: Article, api: Any, person: Any
) -> None:
    signe = Acting(person=person("Signe"), now=NOW)
    mine = write_article(signe, {"title": "De poort", "body": "Droog.", "language": "nl"})
    assert ask(api, "Signe", mine, other=original.pk).status_code == 403


# --- behind -----------------------------------------------------------------------------------


def test_a_translation_is_behind_until_it_says_what_its_original_says(
    original: Article, api: Any, lead: Acting
) -> None:
    made = translations.translate(lead, original, "nl")
    published(lead, "De poort", "Droog.", made.pk)
    assert "translation behind" not in wanting(made)
    write_article(lead, {"title": "Wipe the gate", "body": "Twice."}, original.pk)
    assert "translation behind" not in wanting(made), "nobody reads that yet"
    set_article_state(lead, original.pk, "published")
    assert "translation behind" in wanting(made)
    assert api("Ines").get(f"/api/articles/{made.pk}").json()["is_behind"]
    assert not api("Ines").get(f"/api/articles/{original.pk}").json()["is_behind"]
    published(lead, "De poort", "Twee keer droog.", made.pk)
    assert "translation behind" not in wanting(made)


def test_looked_at_and_still_true_it_is_behind_no_more(original: Article, lead: Acting) -> None:
    made = translations.translate(lead, original, "nl")
    published(lead, "De poort", "Droog.", made.pk)
    published(lead, "Wipe the gate", "Dry, with the blue cloth!", original.pk)
    assert "translation behind" in wanting(made)
    reviewed(lead, made.pk)
    assert wanting(made) == []


def test_two_languages_are_no_duplicates(original: Article, lead: Acting) -> None:
    made = translations.translate(lead, original, "nl")
    set_article_state(lead, made.pk, "published")
    assert wants.upkeep(NOW_S)["alike"] == []
    translations.unlink(lead, Article.objects.get(pk=made.pk))
    assert len(wants.upkeep(NOW_S)["alike"]) == 1


def test_an_original_that_is_gone_leaves_its_translations(original: Article, lead: Acting) -> None:
    made = translations.translate(lead, original, "nl")
    published(lead, "De poort", "Droog.", made.pk)
    set_article_state(lead, original.pk, "retired")
    assert wanting(made) == []
    Article.objects.filter(pk=original.pk).delete()
    row = Article.objects.get(pk=made.pk)
    assert row.original is None and not translations.is_behind(row)
    assert reviewed(lead, made.pk).review_s


# --- folders ----------------------------------------------------------------------------------


def family() -> set[tuple[str, str, str]]:
    rows = Article.objects.select_related("original")
    return {(row.title, row.language, row.original.title if row.original else "") for row in rows}


def test_a_folder_carries_languages_and_whose_translation_each_is(
    original: Article, lead: Acting
) -> None:
    for language, title in (("nl", "De poort"), ("nb", "Wipe the gate")):
        made = translations.translate(lead, original, language)
        published(lead, title, "Droog.", made.pk)
    before = family()
    content = folders.as_folder(Article.objects.all())
    assert {one.does for one in folders.import_folder(lead, content, is_trial=False)} == {"same"}
    assert folders.as_folder(Article.objects.all()) == content
    Article.objects.all().delete()
    trial = folders.import_folder(lead, content, is_trial=True)
    assert [(one.does, one.why) for one in trial] == [("new", "")] * 3
    done = folders.import_folder(lead, content, is_trial=False)
    assert [one.does for one in done] == ["new"] * 3
    assert family() == before


def file(number: Any, title: str, **head: Any) -> bytes:
    lines = [f"number: {number}", f"title: {title}", *(f"{k}: {v}" for k, v in head.items())]
    return ("---\n" + "\n".join(lines) + "\n---\n\nText.\n").encode()


@pytest.mark.parametrize(
    ("head", "why"),
    [
        ({"language": "xx"}, "language: there is no “xx”"),
        ({"language": "nl", "translates": 999_999}, "there is no article 999999"),
        ({"language": "nl", "translates": "[1, 2]"}, "there is no article"),
        ({"language": "nl", "translates": "yes"}, "there is no article"),
        ({"language": "nl", "translates": 10**30}, "there is no article"),
        ({"language": "en", "translates": "ORIGINAL"}, "English already"),
    ],
)
def test_a_file_that_translates_nothing_says_so(
    original: Article, lead: Acting, head: dict[str, Any], why: str
) -> None:
    said = {k: original.pk if v == "ORIGINAL" else v for k, v in head.items()}
    content = zipped(wrong=file(0, "Wrong", **said), good=file("[1]", "Good"))
    for is_trial in (True, False):
        found = folders.import_folder(lead, content, is_trial=is_trial)
        assert [(one.does, why in one.why) for one in found] == [("new", False), ("wrong", True)]


# --- in any order -----------------------------------------------------------------------------

CODES = ["en", "nl", "nb", "de"]


@settings(
    max_examples=12, stateful_step_count=14, deadline=None,
    suppress_health_check=list(HealthCheck),
)  # fmt: skip
@given(data=st.data())
def test_whatever_is_done_a_family_has_each_language_once_and_one_original(
    lead: Acting, data: Any
) -> None:
    with transaction.atomic():
        rows = [published(lead, f"Article {n}", "Text.", language=CODES[n]) for n in range(3)]
        for _ in range(data.draw(st.integers(3, 12))):
            one = Article.objects.get(pk=data.draw(st.sampled_from([row.pk for row in rows])))
            two = Article.objects.get(pk=data.draw(st.sampled_from([row.pk for row in rows])))
            act = data.draw(st.sampled_from(["translate", "link", "part", "language"]))
            language = data.draw(st.sampled_from(CODES))
            try:
                if act == "translate":
                    rows.append(translations.translate(lead, one, language))
                elif act == "link":
                    translations.link(lead, one, two)
                elif act == "part":
                    translations.unlink(lead, one)
                else:
                    write_article(lead, {"language": language}, one.pk)
            except Problem:
                pass
            for row in Article.objects.select_related("original"):
                original = row.original or row
                assert original.original_id is None, "no translation of a translation"
                shared = [
                    original.language,
                    *original.translations.values_list("language", flat=True),
                ]
                assert len(shared) == len(set(shared)), shared
                assert (row.of_version is None) == (row.original_id is None)
        transaction.set_rollback(True)
