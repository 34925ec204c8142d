"""How much one person, or one address, may do at once: more than anybody needs, and no more."""

from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from gannet.audit.events import AuditEvent
from gannet.audit.models import Event
from gannet.tickets import files
from gannet.tickets.actions import log as logging_action
from gannet.tickets.api import records
from gannet.tickets.models import Attachment, Draft, Ticket
from gannet.web.problems import MOST_DENIALS_A_MINUTE

pytestmark = pytest.mark.django_db


def upload(client: Any, name: str = "a.txt", size: int = 10) -> Any:
    return client.post("/api/attachments", {"file": SimpleUploadedFile(name, b"x" * size)})


def told_when(answer: Any) -> bool:
    return answer.status_code == 429 and int(answer["Retry-After"]) > 0 and answer.json()["detail"]


def test_unsent_files_are_bounded_in_number_and_in_size(
    northmere: None, api: Any, log: Any, by: Any, person: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    from gannet.tickets import actions

    monkeypatch.setattr(files, "MOST_UNSENT", 3)
    ticket = log("Maeve", "Boarding gates")
    client = api("Signe")
    made = [upload(client).json()["id"] for _ in range(3)]
    assert told_when(upload(client))
    actions.note(ticket.pk, by("Signe"), "see", made)
    assert upload(client).status_code == 201, "what is sent does not count"
    monkeypatch.setattr(files, "MOST_UNSENT_BYTES", 25)
    assert upload(client, size=20).status_code == 201 and told_when(upload(client))
    assert upload(api("Joss")).status_code == 201, "another has their own"
    assert Attachment.objects.filter(uploaded_by=person("Signe"), event_id=None).count() == 2


def test_the_oldest_drafts_make_room(
    northmere: None, api: Any, person: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(records, "_MOST_DRAFTS", 3)
    client = api("Signe")
    for n in range(5):
        said = {"body": {"text": f"words {n}"}}
        assert (
            client.put(f"/api/drafts/p{n}", said, content_type="application/json").status_code
            == 200
        )
    kept = set(Draft.objects.filter(person=person("Signe")).values_list("place", flat=True))
    assert kept == {"p2", "p3", "p4"}


def test_nobody_reports_without_end(
    northmere: None, api: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(logging_action, "_FLOOD_TICKETS", 4)

    def report(name: str) -> Any:
        said = {"title": "Gate"}
        return api(name).post("/api/portal/report", said, content_type="application/json")

    assert [report("Maeve").status_code for _ in range(4)] == [201] * 4
    assert told_when(report("Maeve")) and Ticket.objects.count() == 4
    assert report("Piotr").status_code == 201


def test_denials_do_not_fill_the_event_log(northmere: None, api: Any, person: Any) -> None:
    client = api("Maeve")
    for _ in range(MOST_DENIALS_A_MINUTE + 15):
        assert client.get("/api/tickets").status_code == 403
    denied = Event.objects.filter(kind=AuditEvent.DENIED, actor=person("Maeve"))
    assert denied.count() == MOST_DENIALS_A_MINUTE
    assert api("Piotr").get("/api/tickets").status_code == 403
    assert Event.objects.filter(kind=AuditEvent.DENIED, actor=person("Piotr")).count() == 1


def test_many_names_are_not_tried_from_one_address(client: Any, northmere: None) -> None:
    """The lock-out counts for one name; this does not."""

    def guess(n: int, **more: str) -> int:
        said = {"email": f"somebody{n}@northmere.example", "password": "Password1234"}
        return int(
            client.post("/api/session", said, content_type="application/json", **more).status_code
        )

    found = [guess(n) for n in range(70)]
    assert found[:60] == [422] * 60 and set(found[60:]) == {429}
    assert guess(99, HTTP_X_FORWARDED_FOR="203.0.113.9") == 429, "a header makes nobody else"
    assert guess(99, REMOTE_ADDR="203.0.113.9") == 422
    assert client.get("/api/session").status_code == 200
