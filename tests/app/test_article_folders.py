"""Articles as Markdown files: the same bytes for the same articles, and in again without a loss."""

import io
import zipfile
from datetime import timedelta
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gannet.knowledge.actions import set_article_state, write_article
from gannet.knowledge.models import Article, ArticleVersion
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.upkeep import folders
from gannet.web.errors import Invalid, Refused
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
GOOD = """---
title: Change the ribbon
kind: how to
state: published
service: Ticket office tills
for: everybody
owner: signe.hallam@northmere.example
review: 2027-03-20
---

1. Open the lid.
2. Turn the ribbon.
"""


def zipped(**files: str | bytes) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as folder:
        for name, text in files.items():
            folder.writestr(f"{name}.md", text)
    return made.getvalue()


@pytest.fixture
def lead(northmere: None, person: Any) -> Acting:
    return Acting(person=person("Marit"), now=NOW)


def lines(lead: Acting, content: bytes, *, is_trial: bool = False) -> list[tuple[str, str]]:
    done = folders.import_folder(lead, content, is_trial=is_trial)
    return [(line.does, line.why) for line in done]


def test_a_file_becomes_an_article_with_all_that_it_says(lead: Acting) -> None:
    assert lines(lead, zipped(ribbon=GOOD), is_trial=True) == [("new", "")]
    assert not Article.objects.exists()
    assert lines(lead, zipped(ribbon=GOOD)) == [("new", "")]
    row = Article.objects.get()
    assert (row.title, row.state, row.for_everybody) == ("Change the ribbon", "published", 1)
    assert (row.body, row.owner) == (
        "1. Open the lid.\n2. Turn the ribbon.", Person.objects.get(name="Signe Hallam")
    )  # fmt: skip
    assert row.service is not None
    assert row.service.name == "Ticket office tills"
    # Again: it says nothing new. Changed: a newer version that is published.
    assert lines(lead, zipped(ribbon=GOOD)) == [("same", "")]
    assert lines(lead, zipped(ribbon=GOOD.replace("lid", "cover"))) == [("changed", "")]
    row.refresh_from_db()
    assert (row.version, row.body) == (2, "1. Open the cover.\n2. Turn the ribbon.")


def test_what_goes_out_comes_in_as_it_was(lead: Acting) -> None:
    rows = [
        {"title": "Plain", "body": "# Head\n\nText: with colons, \"quotes\" – and dashes", "for_everybody": 1},
        {"title": "For some: a list", "body": "---\nnot a fence\n---", "for_everybody": 2,
         "audience": [{"kind": "place", "name": "Orrin Bay"}, {"kind": "role", "name": "manager"}]},
        {"title": "Zürich 🦆 'single'", "body": "", "for_everybody": 0, "kind": "question"},
    ]  # fmt: skip
    for given_ in rows:
        write_article(lead, given_)
    out = folders.as_folder(Article.objects.all())
    assert out == folders.as_folder(Article.objects.order_by("-pk"))
    assert lines(lead, out) == [("same", "")] * 3
    before = {row.pk: folders.as_file(row) for row in Article.objects.all()}
    Article.objects.all().delete()
    assert [does for does, _ in lines(lead, out)] == ["new"] * 3
    after = [folders.as_file(row) for row in Article.objects.order_by("pk")]
    without_numbers = [text.split("\n", 2)[2] for text in before.values()]
    assert sorted(text.split("\n", 2)[2] for text in after) == sorted(without_numbers)


@settings(
    max_examples=40, deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)  # fmt: skip
@given(
    title=st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=60),
    body=st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\x00\r"), max_size=200),
)  # fmt: skip
def test_any_words_survive_the_way_out_and_in(northmere: None, title: str, body: str) -> None:
    if not title.strip():
        return
    lead = Acting(person=Person.objects.get(name="Marit Osei"), now=NOW)
    Article.objects.all().delete()
    write_article(lead, {"title": title, "body": body.strip(), "for_everybody": 0})
    out = folders.as_folder(Article.objects.all())
    assert [line.does for line in folders.import_folder(lead, out, is_trial=True)] == ["same"]


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("No front matter", "does not begin with"),
        ("---\ntitle: x\n", "does not begin with"),
        ("---\n- a\n---\n", "has no names"),
        ("---\ntitle: [\n---\n", "line"),
        ("---\na: &x 1\nb: *x\n---\n", "by reference"),
        ("---\nkind: how to\n---\n", "It has no title"),
        ("---\ntitle: x\ncolour: red\n---\n", "“colour” is none of"),
        ("---\ntitle: x\nkind: song\n---\n", "kind: “song”"),
        ("---\ntitle: x\nstate: lost\n---\n", "state: “lost”"),
        ("---\ntitle: x\nservice: Moon\n---\n", "service: there is no “Moon”"),
        ("---\ntitle: x\nowner: nobody@x.example\n---\n", "owner: nobody has"),
        ("---\ntitle: x\nreview: soon\n---\n", "review: “soon”"),
        ("---\ntitle: x\nfor: them\n---\n", "for: desk, everybody"),
        ("---\ntitle: x\nfor:\n- ship: Tern\n---\n", "audience"),
        ("---\ntitle: x\nstate: published\n---\n", "body: This is empty."),
        (b"---\ntitle: \xff\n---\n", "UTF-8"),
        ("---\ntitle: a\x00b\n---\n", "NUL"),
        ("x" * 500_000, "too large"),
    ],
)
def test_a_broken_file_says_why_and_keeps_no_other_from_it(
    lead: Acting, text: str | bytes, why: str
) -> None:
    found = lines(lead, zipped(broken=text, ribbon=GOOD))
    assert found[0][0] == "wrong"
    assert why in found[0][1], found
    assert found[1] == ("new", "")
    assert Article.objects.count() == ArticleVersion.objects.count() == 1


@pytest.mark.parametrize("content", [b"", b"PK", b"no zip", zipped()])
def test_what_is_no_folder_is_refused(lead: Acting, content: bytes) -> None:
    with pytest.raises(Invalid):
        folders.import_folder(lead, content, is_trial=False)


def test_a_file_that_says_it_is_small_and_is_not(lead: Acting, monkeypatch: Any) -> None:
    monkeypatch.setattr(folders, "MOST_BYTES", 1_000)
    with pytest.raises(Invalid, match="too much"):
        folders.import_folder(lead, zipped(a="x" * 900, b="y" * 900), is_trial=True)


@pytest.mark.parametrize("who", ["Signe", "Ines", "Tomas"])
def test_only_editors_of_the_desk_import(northmere: None, person: Any, who: str) -> None:
    with pytest.raises(Refused):
        folders.import_folder(
            Acting(person=person(who), now=NOW), zipped(ribbon=GOOD), is_trial=True
        )


def test_over_the_api_it_is_tried_first(lead: Acting, api: Any) -> None:
    def sent(**more: str) -> Any:
        file = SimpleUploadedFile("k.zip", zipped(ribbon=GOOD, broken="x"))
        return api("Marit").post("/api/articles/folder", {"file": file, **more})

    assert sent().json()["is_trial"] is True
    assert not Article.objects.exists()
    done = sent(trial="no").json()
    assert [line["does"] for line in done["lines"]] == ["wrong", "new"]
    assert Article.objects.count() == 1
    assert api("Marit").post("/api/articles/folder").status_code == 422
    out = api("Signe").get("/api/articles/folder")
    assert zipfile.ZipFile(io.BytesIO(out.content)).namelist() == [
        f"{Article.objects.get().pk}-change-the-ribbon.md"
    ]


def test_who_may_not_read_an_article_does_not_get_it_out(lead: Acting, api: Any) -> None:
    for title, whom in (("For the desk", 0), ("For all", 1)):
        row = write_article(lead, {"title": title, "body": "x", "for_everybody": whom})
        later = Acting(person=lead.person, now=NOW + timedelta(seconds=1))
        set_article_state(later, row.pk, "published")
    names = zipfile.ZipFile(io.BytesIO(api("Tomas").get("/api/articles/folder").content)).namelist()
    assert [name.split("-", 1)[1] for name in names] == ["for-all.md"]
