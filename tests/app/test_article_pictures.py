"""Pictures of articles, what a text looks like before it is saved, followers, folders and PDF."""

import io
import sqlite3
import zipfile
from contextlib import closing
from datetime import timedelta
from typing import Any

import pytest
import time_machine
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from gannet.audit.backup import about_database
from gannet.knowledge import pictures, search
from gannet.knowledge.actions import go_back, set_article_state, write_article
from gannet.knowledge.links import linked
from gannet.knowledge.models import Article, ArticlePicture
from gannet.messages.models import Notification
from gannet.people.acting import Acting
from gannet.tickets import actions
from gannet.upkeep.folders import as_folder, import_folder
from gannet.web.errors import Invalid, TooLarge
from gannet.web.markdown import as_html
from gannet.web.pdf import as_pdf
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"


def picture(
    width: int = 40, height: int = 30, kind: str = "PNG", colour: str = "#1e5b70", **more: Any
) -> bytes:
    made = io.BytesIO()
    Image.new("RGB", (width, height), colour).save(made, kind, **more)
    return made.getvalue()


@pytest.fixture
def lead(northmere: None, person: Any) -> Acting:
    return Acting(person=person("Marit"), now=NOW - timedelta(days=10))


@pytest.fixture
def article(lead: Acting) -> Any:
    def made(title: str = "A gate reads nothing", body: str = "Wipe it.", **more: Any) -> Article:
        row = write_article(lead, {"title": title, "body": body, "for_everybody": 1, **more})
        return set_article_state(lead, row.pk, "published")

    return made


def add(api: Any, who: str, row: Article, content: bytes, name: str = "Gate 2.png") -> Any:
    file = SimpleUploadedFile(name, content, "image/png")
    return api(who).post(f"/api/articles/{row.pk}/pictures", {"file": file})


def shown(row: Article, lead: Acting, *names: str, **more: Any) -> Article:
    """The article again, published, showing these."""
    body = "\n\n".join(["Wipe it.", *(f"![it](pictures/{name})" for name in names)])
    write_article(lead, {"title": row.title, "body": body, "for_everybody": 1, **more}, row.pk)
    set_article_state(lead, row.pk, "published")
    return Article.objects.get(pk=row.pk)


# --- what is kept -----------------------------------------------------------------------------


def test_a_picture_is_named_measured_and_kept_once(article: Any, api: Any) -> None:
    row = article()
    first = add(api, "Marit", row, picture()).json()
    again = add(api, "Marit", row, picture(), "Gate 2.png").json()
    assert first == again and ArticlePicture.objects.count() == 1
    assert first["name"].startswith("gate-2-") and first["name"].endswith(".png")
    assert first["shown_as"] == f"pictures/{first['name']}" and not first["is_shown"]
    assert (first["width"], first["height"]) == (40, 30)
    got = api("Marit").get(first["address"])
    assert got["Content-Type"] == "image/png" and got["X-Content-Type-Options"] == "nosniff"
    assert Image.open(io.BytesIO(got.content)).size == (40, 30)


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "WEBP"])
def test_where_it_was_taken_is_left_out(kind: str) -> None:
    taken = Image.Exif()
    taken[0x010E] = "behind the ticket office"
    content = picture(kind=kind, exif=taken.tobytes())
    assert b"behind the ticket office" in content
    made = pictures.prepare("a.png", content)
    assert b"behind the ticket office" not in made.content
    assert not Image.open(io.BytesIO(made.content)).getexif()


def test_a_picture_held_sideways_is_turned() -> None:
    taken = Image.Exif()
    taken[0x0112] = 6  # a quarter to the right
    made = pictures.prepare("a.jpg", picture(kind="JPEG", exif=taken.tobytes()))
    assert (made.width, made.height) == (30, 40)


@pytest.mark.parametrize(
    ("given", "kept"), [((1_600, 900), (1_600, 900)), ((3_200, 900), (1_600, 450))]
)
def test_what_is_wider_than_pages_is_made_as_wide(given: Any, kept: Any) -> None:
    made = pictures.prepare("a.png", picture(*given))
    assert (made.width, made.height) == kept == Image.open(io.BytesIO(made.content)).size


@pytest.mark.parametrize(
    ("content", "why"),
    [
        (b"", "no picture"),
        (b"<svg xmlns='http://www.w3.org/2000/svg'/>", "no picture"),
        (b"%PDF-1.7 nothing", "no picture"),
        (picture()[:60], "no picture"),
        (picture(kind="BMP"), "no picture"),
    ],
)
def test_what_is_no_picture_is_refused_by_name(content: bytes, why: str) -> None:
    with pytest.raises(Invalid, match=why):
        pictures.prepare("gate.png", content)


def test_half_a_picture_is_refused_after_a_pdf_too() -> None:
    assert as_pdf("One", "<p>One.</p>").startswith(b"%PDF")
    with pytest.raises(Invalid, match="no picture"):
        pictures.prepare("gate.png", picture()[:60])


def test_what_is_too_large_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pictures, "MOST_PIXELS", 1_000)
    with pytest.raises(TooLarge, match="too many points"):
        pictures.prepare("gate.png", picture(40, 30))
    monkeypatch.setattr(pictures, "MOST_BYTES", 20)
    with pytest.raises(TooLarge, match="the most"):
        pictures.prepare("gate.png", picture())


def test_an_article_has_so_many_and_no_more(
    article: Any, api: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(pictures, "MOST_OF_ONE_ARTICLE", 1)
    row = article()
    assert add(api, "Marit", row, picture()).status_code == 201
    refused = add(api, "Marit", row, picture(colour="red"))
    assert refused.status_code == 422 and "at most 1" in refused.json()["detail"]
    assert add(api, "Marit", row, picture()).status_code == 201, "the one that is there"


def test_only_what_no_version_shows_is_removed(article: Any, api: Any, lead: Acting) -> None:
    row = article()
    name = add(api, "Marit", row, picture()).json()["name"]
    shown(row, lead, name)
    shown(row, lead)  # the newest shows it no more, an earlier one does
    refused = api("Marit").delete(f"/api/articles/{row.pk}/pictures/{name}")
    assert refused.status_code == 409 and "Version 2" in refused.json()["detail"]
    other = add(api, "Marit", row, picture(colour="red")).json()
    file = ArticlePicture.objects.get(name=other["name"]).file
    assert api("Marit").delete(other["address"]).status_code == 204
    assert not file.storage.exists(file.name)
    assert api("Marit").delete(other["address"]).status_code == 404


# --- whom it is shown -------------------------------------------------------------------------


def test_a_picture_is_for_the_readers_of_what_shows_it(
    article: Any, api: Any, lead: Acting
) -> None:
    row = article()
    name = add(api, "Marit", row, picture()).json()["name"]
    unused = add(api, "Marit", row, picture(colour="red")).json()["name"]
    shown(row, lead, name)
    body = f"![it](pictures/{unused})"
    write_article(lead, {"title": row.title, "body": body, "for_everybody": 1}, row.pk)

    def status(who: str, one: str) -> int:
        return int(api(who).get(f"/api/articles/{row.pk}/pictures/{one}").status_code)

    assert status("Ines", name) == status("Signe", name) == status("Signe", unused) == 200
    assert status("Ines", unused) == 404, "only a version that is not published shows it"
    for state, for_everybody in (("published", 0), ("draft", 1), ("retired", 1)):
        Article.objects.filter(pk=row.pk).update(state=state, for_everybody=for_everybody)
        assert status("Ines", name) == 404
    anybody = api("Ines")
    anybody.logout()
    assert anybody.get(f"/api/articles/{row.pk}/pictures/{name}").status_code in (401, 403)


@pytest.mark.parametrize("who", ["Ines", "Tomas", "Signe"])
def test_only_who_may_change_it_adds_and_removes(article: Any, api: Any, who: str) -> None:
    row = article()
    name = add(api, "Marit", row, picture()).json()["name"]
    assert add(api, who, row, picture(colour="red")).status_code == 403
    path = f"/api/articles/{row.pk}/pictures/{name}"
    assert api(who).delete(path).status_code == 403
    assert api(who).post(f"/api/articles/{row.pk}/writers").status_code == 403


@pytest.mark.parametrize(
    ("text", "html"),
    [
        ("![a](pictures/a-1.png)", '<p><img src="/p/a-1.png" alt="a"></p>'),
        ("![a](pictures/a.jpg#small)", '<p><img src="/p/a.jpg#small" alt="a"></p>'),
        ("![a](pictures/../../x.png)", "<p></p>"),
        ("![a](pictures/a.svg)", "<p></p>"),
        ("![a](https://x.example/a.png)", "<p></p>"),
        ("![a](data:image/png;base64,AAAA)", "<p></p>"),
        ("![a](//x.example/pictures/a.png)", "<p></p>"),
        ('![" onerror="x](pictures/a.png)', '<p><img src="/p/a.png" alt="&quot; onerror=&quot;x"></p>'),
        ("1. [ ] wipe\n2. [x] look", '<ol>\n<li><span class="tick"></span> wipe</li>\n<li><span class="tick"></span> look</li>\n</ol>'),
        ("> **Careful:** hot", '<blockquote class="remark" data-sort="Careful"><p><strong>Careful:</strong> hot</p>\n</blockquote>'),
        ("> **Nothing:** hot", "<blockquote>\n<p><strong>Nothing:</strong> hot</p>\n</blockquote>"),
        ("*a* <input type=text>", "<p><em>a</em> &lt;input type=text&gt;</p>"),
        ("[a](/articles/7)", '<p><a href="/articles/7" rel="noopener noreferrer">a</a></p>'),
    ],
)  # fmt: skip
def test_an_article_shows_its_own_pictures_and_no_others(text: str, html: str) -> None:
    assert as_html(text, "/p/").strip() == html


def test_messages_show_no_pictures_and_no_boxes() -> None:
    assert "<img" not in as_html("*a* ![a](pictures/a-1.png)")
    assert "tick" not in as_html("- [ ] a")


# --- before it is saved -----------------------------------------------------------------------


@pytest.mark.parametrize(
    ("to", "for_everybody", "audience", "why"),
    [
        ("for all", True, [], ""),
        ("desk", True, [], "only the desk can read it"),
        ("desk", False, [], ""),
        ("draft", True, [], "it is not published"),
        ("draft", False, [], ""),
        ("retired", False, [], "it is retired"),
        ("some", True, [], "not all of these readers can read it"),
        ("some", False, [("place", "Orrin Bay")], ""),
        ("some", False, [("place", "Orrin Bay"), ("role", "agent")], "not all of these readers"),
        ("none", False, [], "there is no such article"),
    ],
)
def test_links_that_not_all_readers_can_follow_are_told(
    article: Any, api: Any, to: str, for_everybody: bool, audience: Any, why: str
) -> None:
    row = article()
    some = [{"kind": "place", "name": "Orrin Bay"}, {"kind": "place", "name": "Skarvik"}]
    numbers = {
        "for all": article("For all").pk,
        "desk": article("Desk", for_everybody=0).pk,
        "some": article("Some", for_everybody=2, audience=some).pk,
        "draft": article("Draft").pk,
        "retired": article("Retired").pk,
        "none": 999_999,
    }
    Article.objects.filter(pk=numbers["draft"]).update(state="draft")
    Article.objects.filter(pk=numbers["retired"]).update(state="retired")
    said = {
        "body": f"see [it](/articles/{numbers[to]})",
        "for_everybody": for_everybody,
        "audience": [{"kind": kind, "name": name} for kind, name in audience],
    }
    got = api("Marit").post(f"/api/articles/{row.pk}/preview", said, content_type=JSON).json()
    assert f'href="/articles/{numbers[to]}"' in got["html"]
    if why:
        assert [one["to"] for one in got["lost"]] == [f"/articles/{numbers[to]}"]
        assert got["lost"][0]["why"].startswith(why)
    else:
        assert got["lost"] == []


def test_a_preview_says_which_pictures_are_missing_and_saves_nothing(
    article: Any, api: Any
) -> None:
    row = article()
    name = add(api, "Marit", row, picture()).json()["name"]
    body = f"![a](pictures/{name}) ![b](pictures/gone-00000000.png) [c](/desk/tickets/1)"
    said = {"body": body, "for_everybody": True}
    got = api("Marit").post(f"/api/articles/{row.pk}/preview", said, content_type=JSON).json()
    assert got["missing"] == ["gone-00000000.png"]
    assert [one["why"] for one in got["lost"]] == ["only the desk can open it"]
    assert Article.objects.get(pk=row.pk).newest == 1


def test_only_links_count_as_links() -> None:
    text = (
        "[a](/articles/7) [b](/desk/articles/8?x) /articles/9 [c](/articles/7#x) [d](/articlesx/3)"
    )
    assert linked(text) == [7, 8]


def test_writers_hear_of_each_other_for_half_a_minute(article: Any, api: Any, person: Any) -> None:
    row = article()
    Article.objects.filter(pk=row.pk).update(owner=person("Signe"))
    path = f"/api/articles/{row.pk}/writers"
    with time_machine.travel(NOW, tick=False) as clock:
        assert api("Marit").post(path).json() == []
        assert api("Signe").post(path).json() == [{"name": person("Marit").name}]
        clock.shift(20)
        assert api("Marit").post(path).json() == [{"name": person("Signe").name}]
        assert api("Marit").delete(path).status_code == 204
        assert api("Signe").post(path).json() == []
        assert api("Marit").post(path).json() != []
        clock.shift(31)
        assert api("Marit").post(path).json() == [], "nothing was heard of the other meanwhile"


# --- followers --------------------------------------------------------------------------------


def follow(api: Any, who: str, row: Article, *, is_followed: bool = True) -> Any:
    path = f"/api/articles/{row.pk}/following"
    return api(who).put(path, {"is_followed": is_followed}, content_type=JSON)


def told(person: Any, who: str) -> int:
    rows = Notification.objects.filter(person=person(who), event_name="article changed")
    return sum(row.count for row in rows)


def as_zip(row: Article, body: str) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as folder:
        head = (
            f"number: {row.pk}\ntitle: {row.title}\nkind: how to\nstate: published\nfor: everybody"
        )
        folder.writestr("a.md", f"---\n{head}\n---\n\n{body}\n")
    return made.getvalue()


@pytest.mark.parametrize("way", ["publishing", "going back", "a folder"])
def test_followers_hear_once_whichever_way_it_changes(
    article: Any, api: Any, lead: Acting, person: Any, way: str
) -> None:
    row = article()
    shown(row, lead, "later-00000000.png")
    assert follow(api, "Ines", row).json() == {"is_followed": True}
    assert follow(api, "Marit", row).status_code == 200
    assert told(person, "Ines") == 0
    if way == "publishing":
        write_article(lead, {"title": row.title, "body": "Rub it.", "for_everybody": 1}, row.pk)
        assert told(person, "Ines") == 0, "not before it is published"
        set_article_state(lead, row.pk, "published")
        set_article_state(lead, row.pk, "published")
    elif way == "going back":
        go_back(lead, row.pk, 1)
    else:
        import_folder(lead, as_zip(row, "Rub it."), is_trial=True)
        assert told(person, "Ines") == 0, "not by the trial"
        import_folder(lead, as_zip(row, "Rub it."), is_trial=False)
    assert told(person, "Ines") == 1
    assert told(person, "Marit") == 0, "whoever published it knows"


def test_who_may_read_it_no_more_or_follows_no_more_hears_nothing(
    article: Any, api: Any, lead: Acting, person: Any
) -> None:
    row = article()
    for who in ("Ines", "Joss", "Signe"):
        follow(api, who, row)
    follow(api, "Joss", row, is_followed=False)
    write_article(lead, {"title": row.title, "body": "Desk's.", "for_everybody": 0}, row.pk)
    set_article_state(lead, row.pk, "published")
    assert [told(person, who) for who in ("Ines", "Joss", "Signe")] == [0, 0, 1]


def test_nobody_follows_what_they_may_not_read(article: Any, api: Any) -> None:
    row = article(for_everybody=0)
    assert follow(api, "Ines", row).status_code == 404


# --- whose department uses a service ----------------------------------------------------------


def test_users_of_a_service_read_what_is_for_them(article: Any, person: Any) -> None:
    from gannet.estate.models import Service

    ines, joss = person("Ines"), person("Joss")
    assert ines.department != joss.department
    service = Service.objects.order_by("pk")[0]
    service.departments = [ines.department]
    service.save()
    row = article(for_everybody=2, audience=[{"kind": "service", "name": service.name}])

    def reads(one: Any) -> bool:
        return bool(search.readable(one).filter(pk=row.pk).exists())

    def finds(one: Any) -> bool:
        found = search.search(row.title, one, seconds_of(NOW))
        return any(hit.article == row for hit in found)

    on_desk = {one.pk: search.reads_drafts(one) for one in (ines, joss)}
    assert reads(ines) and finds(ines)
    assert reads(joss) == finds(joss) == on_desk[joss.pk]


def test_a_service_that_is_none_is_no_audience(article: Any) -> None:
    with pytest.raises(Invalid, match="no service “Nowhere”"):
        article(for_everybody=2, audience=[{"kind": "service", "name": "Nowhere"}])


# --- folders, PDF, and from work --------------------------------------------------------------


def test_a_folder_with_pictures_goes_out_and_in_the_same(
    article: Any, api: Any, lead: Acting
) -> None:
    row = article()
    name = add(api, "Marit", row, picture()).json()["name"]
    row = shown(row, lead, name)
    out = as_folder([row])
    assert out == as_folder([row])
    names = zipfile.ZipFile(io.BytesIO(out)).namelist()
    assert names[-1] == f"pictures/{name}" and len(names) == 2
    row.versions.all().delete()
    row.delete()
    (line,) = import_folder(lead, out, is_trial=False)
    again = Article.objects.get(pk=line.number)
    assert line.does == "new" and again.pictures.get().name == name
    content = zipfile.ZipFile(io.BytesIO(out)).read(f"pictures/{name}")
    assert zipfile.ZipFile(io.BytesIO(as_folder([again]))).read(f"pictures/{name}") == content


@pytest.mark.parametrize(
    ("content", "why"),
    [(None, "is not in the folder"), (b"nothing", "no picture"), (b"\x00" * 30, "no picture")],
)
def test_a_file_whose_picture_is_broken_is_left_out_and_no_other(
    article: Any, lead: Acting, content: Any, why: str
) -> None:
    row = article("Kept", "Once.")
    made = io.BytesIO(as_zip(row, "Twice."))
    with zipfile.ZipFile(made, "a") as folder:
        head = "title: Broken\nstate: draft\nfor: desk"
        folder.writestr("b.md", f"---\n{head}\n---\n\n![x](pictures/x-00000000.png)\n")
        if content is not None:
            folder.writestr("pictures/x-00000000.png", content)
    for is_trial in (True, False):
        lines = import_folder(lead, made.getvalue(), is_trial=is_trial)
        assert [one.does for one in lines] == ["changed", "wrong"]
        assert why in lines[1].why
    assert not Article.objects.filter(title="Broken").exists()


def test_articles_as_pdf_have_their_pictures(article: Any, api: Any, lead: Acting) -> None:
    row = article("Gates", category="Hardware › Till")
    article("Oars", category="Hardware › Oar")
    name = add(api, "Marit", row, picture(300, 200)).json()["name"]
    shown(row, lead, name, category="Hardware › Till")
    for who, path in (
        ("Ines", f"/api/articles/{row.pk}/pdf"),
        ("Signe", "/api/articles/pdf?category=Hardware"),
    ):
        got = api(who).get(path)
        assert got.status_code == 200 and got["Content-Type"] == "application/pdf"
        assert got.content.startswith(b"%PDF-") and b"/Subtype /Image" in got.content
    assert api("Ines").get("/api/articles/pdf").status_code == 403
    assert api("Signe").get("/api/articles/pdf?category=Nowhere").status_code == 404
    Article.objects.filter(pk=row.pk).update(for_everybody=0)
    assert api("Ines").get(f"/api/articles/{row.pk}/pdf").status_code == 404


def test_pictures_sent_with_a_ticket_come_with_its_draft(log: Any, api: Any, by: Any) -> None:
    ticket = log("Maeve", "Boarding gates", title="The gate is dark")
    upload = api("Signe").post(
        "/api/attachments", {"file": SimpleUploadedFile("gate lamp.png", picture(), "image/png")}
    )
    note = {"text": "It looks so.", "attachments": [upload.json()["id"]]}
    noted = api("Signe").post(f"/api/tickets/{ticket.pk}/note", note, content_type=JSON)
    assert noted.status_code in (200, 201), noted.json()
    actions.take(ticket.pk, by("Signe"))
    body = {"what": "Put in a new lamp.", "drafts_article": True}
    api("Signe").post(f"/api/tickets/{ticket.pk}/resolve", body, content_type=JSON)
    draft = Article.objects.get(source=ticket.pk)
    kept = draft.pictures.get()
    assert f"![gate lamp](pictures/{kept.name})" in draft.body
    assert "pictures" in draft.versions.get().note
    assert draft.newest == 1


@pytest.mark.parametrize("has_pictures", [True, False])
def test_a_backup_has_the_pictures_of_articles(tmp_path: Any, has_pictures: bool) -> None:
    file = tmp_path / "kept.sqlite3"
    with closing(sqlite3.connect(file)) as made:
        made.executescript(
            "CREATE TABLE audit_event (id INTEGER, hash TEXT);"
            "CREATE TABLE tickets_attachment (file TEXT);"
            "CREATE TABLE django_migrations (app TEXT, name TEXT);"
            "INSERT INTO tickets_attachment VALUES ('attachments/a.txt'), ('');"
        )
        if has_pictures:
            made.executescript(
                "CREATE TABLE knowledge_articlepicture (file TEXT);"
                "INSERT INTO knowledge_articlepicture VALUES ('articles/gate.png');"
            )
    pictures_kept = ["articles/gate.png"] if has_pictures else []
    assert about_database(file)["files"] == [*pictures_kept, "attachments/a.txt"]
