"""Lists as files: what is shown and no more, made in pieces, for one person, gone after a day."""

import csv
import io
import zipfile
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet.jobs.models import Job, JobKind, JobState
from gannet.jobs.running import run_job
from gannet.people.models import Person
from gannet.tickets import exports, listing, sheets
from gannet.tickets.listed import listed
from gannet.tickets.models import Attachment, Ticket
from gannet.web.reading import one_reading
from gannet.worker import worker
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


def ask(client: Any, kind: str = "csv", **more: Any) -> Any:
    said = {"as": kind, "sort": "number", "columns": "category,opened", **more}
    return client.post("/api/exports", said, content_type="application/json")


def content(client: Any, number: int) -> bytes:
    got = client.get(f"/api/exports/{number}/file")
    assert got.status_code == 200 and got["Content-Disposition"].startswith("attachment")
    return b"".join(got.streaming_content)


def rows_of(data: bytes) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(data.decode("utf-8-sig"))))


def test_a_short_list_is_a_file_at_once_that_runs_nothing(log: Any, api: Any) -> None:
    log("Maeve", "Boarding gates", title='=HYPERLINK("http://x","y")')
    log("Maeve", "Boarding gates", title="-2+3 is no sum; “quotes”, commas")
    client = api("Signe")
    made = ask(client)
    assert made.status_code == 201 and made.json()["state"] == "done" and made.json()["rows"] == 2
    rows = rows_of(content(client, made.json()["id"]))
    assert [row["title"][0] for row in rows] == ["'", "'"], "no formula begins a cell"
    assert rows[-1]["category"] == "Hardware › Gate reader"
    book = zipfile.ZipFile(io.BytesIO(content(client, ask(client, "xlsx").json()["id"])))
    sheet = book.read("xl/worksheets/sheet1.xml").decode()
    assert "<f>" not in sheet and "hyperlink" not in sheet
    assert sheet.count("<row ") == Ticket.objects.count() + 1


def test_a_long_list_is_made_in_the_background(
    log: Any, api: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    from gannet.tickets.api import exports as export_api

    monkeypatch.setattr(export_api, "_AT_ONCE", 2)
    monkeypatch.setattr(exports, "_STEP", 1)
    for n in range(5):
        log("Maeve", "Boarding gates", title=f"fault {n}")
    client = api("Signe")
    made = ask(client).json()
    assert made["state"] == "waiting"
    assert client.get(f"/api/exports/{made['id']}/file").status_code == 409
    assert ask(client).status_code == 409, "one at a time for one person"
    assert ask(api("Joss")).status_code == 201, "another has their own"
    client = api("Signe")
    run_job.call(made["id"])
    done = client.get(f"/api/exports/{made['id']}").json()
    assert (done["state"], done["rows"], done["done"], done["total"]) == ("done", 5, 5, 5)
    assert len(rows_of(content(client, made["id"]))) == 5


def test_it_stops_when_it_is_told_to_and_leaves_nothing(
    log: Any, person: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(exports, "_STEP", 1)
    for _ in range(3):
        log("Maeve", "Boarding gates")
    params = {"as": "csv", "filter": None, "sort": "", "columns": ""}
    before = set(exports.folder().iterdir()) if exports.folder().exists() else set()
    with pytest.raises(Exception, match="stopped"):
        exports.make(person("Signe"), params, NOW, lambda done, total: done < 2)
    assert set(exports.folder().iterdir()) == before


@pytest.mark.parametrize("size", [1, 2, 3, 7, 500])
@pytest.mark.parametrize("sort", ["", "number", "-opened", "title", "holder", "-service,title"])
def test_walking_a_list_gives_the_same_rows_as_reading_it_at_once(
    log: Any, person: Any, monkeypatch: pytest.MonkeyPatch, size: int, sort: str
) -> None:
    for n in range(9):
        log("Maeve", "Boarding gates" if n % 2 else None, title=f"fault {n % 3}")
    monkeypatch.setattr(listing, "_PIECE", size)
    found = listed(person("Signe"), None, NOW)
    walked = list(listing.walk(found, sort, ["category"], 8))
    assert walked == listing.page(found, sort, ["category"]).rows[:8] and len(walked) == 8


def test_a_list_of_rows_reads_the_rulebook_once(
    log: Any, person: Any, django_assert_max_num_queries: Any
) -> None:
    """It once asked for the edition in force for each row, twice."""
    for _ in range(12):
        log("Maeve", "Boarding gates")
    found = listed(person("Signe"), None, NOW)
    with one_reading(), django_assert_max_num_queries(3):
        assert len(listing.page(found, "number", ["category", "opened"]).rows) == 12


def test_nobody_gets_the_file_of_another_nor_what_they_may_not_see(log: Any, api: Any) -> None:
    hidden = log("Maeve", "Safe computing", title="secret leak")
    log("Maeve", "Boarding gates", title="open fault")
    client = api("Signe")
    made = ask(client).json()["id"]
    text = content(client, made).decode()
    assert "open fault" in text and "secret leak" not in text and f"\n{hidden.pk}," not in text
    for name in ("Joss", "Anneke", "Piotr"):
        for path in (f"/api/exports/{made}", f"/api/exports/{made}/file"):
            assert api(name).get(path).status_code in (403, 404), name
        assert api(name).delete(f"/api/exports/{made}").status_code in (403, 404), name
    assert api("Joss").get("/api/exports").json() == []
    assert [one["id"] for one in api("Signe").get("/api/exports").json()] == [made]


@pytest.mark.parametrize(
    ("said", "field"),
    [
        ({"as": "pdf"}, "as"), ({"sort": "colour"}, "sort"), ({"columns": "words"}, "columns"),
        ({"filter": {"field": "nope", "op": "is", "value": 1}}, ""), ({"colour": 1}, "colour"),
    ],
)  # fmt: skip
def test_what_cannot_be_shown_is_refused(api: Any, said: dict[str, Any], field: str) -> None:
    got = ask(api("Signe"), **said)
    assert got.status_code == 422 and got.json()["detail"]
    assert not field or field in got.json()["fields"]
    assert not Job.objects.exists()


def test_files_are_gone_after_a_day_and_when_dropped(log: Any, api: Any) -> None:
    log("Maeve", "Boarding gates")
    client = api("Signe")
    first, second = ask(client).json()["id"], ask(client).json()["id"]
    files = [exports.folder() / Job.objects.get(pk=n).result["file"] for n in (first, second)]
    assert all(file.is_file() for file in files)
    assert client.delete(f"/api/exports/{first}").status_code == 204
    assert not files[0].exists() and client.get(f"/api/exports/{first}").status_code == 404
    worker.sweep_files(seconds_of(NOW + timedelta(hours=23)))
    assert files[1].exists()
    worker.sweep_files(seconds_of(NOW + timedelta(hours=25)))
    assert not files[1].exists() and not Job.objects.filter(kind=JobKind.EXPORT).exists()


def test_a_file_whose_name_was_tampered_with_leads_nowhere_else(log: Any, person: Any) -> None:
    outside = exports.folder().parent / "kept.txt"
    exports.folder().mkdir(parents=True, exist_ok=True)
    outside.write_text("keep")
    exports.drop({"file": "../kept.txt"})
    assert outside.exists()


def test_a_worker_that_died_leaves_a_job_that_begins_again(
    log: Any, person: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    from gannet.jobs import running as jobs

    queued: list[str] = []
    monkeypatch.setattr(jobs, "_enqueue", lambda job: queued.append(f"{job.kind}:{job.state}"))
    params = {"as": "csv", "filter": None, "sort": "", "columns": ""}
    job = jobs.start(person("Signe"), JobKind.EXPORT, params, NOW)
    Job.objects.filter(pk=job.pk).update(state=JobState.RUNNING)
    assert jobs.revive(seconds_of(NOW) + 60) == 0
    assert jobs.revive(seconds_of(NOW) + 100) == 1 and len(queued) == 2


# Cells


@pytest.mark.parametrize(
    "value",
    [
        "=1+1", "+1", "-1", "@x", "\t=1", "\r=1", "|cmd", " =1", "\u200b=1", "\u202e=1", "\ufeff=1",
        "\u00a0=1", "\u2060\u200d =1", "＝1", "＋1", "－1", "＠x", "\x01=1", "\u0301=1", "\n=1", "\u3000=1",
    ],
)  # fmt: skip
def test_a_cell_never_begins_as_a_formula(value: str) -> None:
    assert sheets.harmless(value) == f"'{value}"


@pytest.mark.parametrize(
    "value", ["1-1", "a=b", "", " ", "“=1”", "(=1)", "€ -5", "Ω=", "'=1", "\u200b"]
)
def test_ordinary_cells_are_left_as_they_are(value: str) -> None:
    assert sheets.harmless(value) == value


@given(st.text(max_size=12))
def test_whatever_is_typed_is_shown_or_quoted(text: str) -> None:
    cell = sheets.harmless(text)
    assert cell in (text, f"'{text}")
    visible = "".join(letter for letter in cell if letter.isprintable()).strip()
    assert not visible.startswith(("=", "+", "-", "@", "|"))


def test_headings_of_one_s_own_fields_are_cells_too(
    log: Any, person: Any, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    from dataclasses import replace

    from gannet.tickets.list_fields import list_registry

    fields = {**list_registry(), "category": replace(list_registry()["category"], label="=1+1")}
    assert sheets.headings(["category"], fields)[-1] == "'=1+1"


# Uploads that are never sent


def test_uploads_that_nobody_sends_are_swept_after_days(log: Any, person: Any, by: Any) -> None:
    from django.core.files.uploadedfile import SimpleUploadedFile

    from gannet.tickets import actions
    from gannet.tickets.files import keep_upload

    def upload(name: str) -> Attachment:
        return keep_upload(SimpleUploadedFile(name, b"words"), person("Signe"), NOW)

    ticket = log("Maeve", "Boarding gates")
    sent, left = upload("sent.txt"), upload("left.txt")
    actions.note(ticket.pk, by("Signe"), "see", [sent.pk])
    for days, remaining in ((2, {"sent.txt", "left.txt"}), (4, {"sent.txt"})):
        worker.sweep_files(seconds_of(NOW + timedelta(days=days)))
        assert set(Attachment.objects.values_list("name", flat=True)) == remaining
    assert not Path(left.file.path).exists() and Path(sent.file.path).exists()


def test_an_imported_name_has_no_line_breaks(northmere: None, by: Callable[..., Any]) -> None:
    from gannet.tickets import importing

    text = 'email,name,job\nnew@northmere.example,"Eve\r\nBcc: x@y","Chief\nmate"\n'
    rows = importing.read_rows(text.encode(), "people")
    importing.run("people", rows, by("Anneke").person, NOW)
    made = Person.objects.get(email="new@northmere.example")
    assert (made.name, made.job) == ("Eve Bcc: x@y", "Chief mate")
