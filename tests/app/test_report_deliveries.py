"""Reports that go out by mail: when, to whom, only when, once – and what of them is never told."""

import io
import zipfile
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from gannet.messages.models import Outgoing
from gannet.reports import delivering, files
from gannet.reports.models import Delivery, SentReport
from gannet.tickets.models import Ticket
from gannet.web.pdf import NoPdf
from gannet.worker.rounds import ROUNDS
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
MONDAY = datetime(2026, 11, 30, 7, 0, tzinfo=UTC)  # the first Monday, 07:00, after NOW


def of_all(**some: Any) -> dict[str, Any]:
    return {
        "kind": "incident", "event": "open now", "rows": [{"field": "team"}],
        "measures": [{"of": "records", "way": "count"}, {"of": "age", "way": "mean"}], **some,
    }  # fmt: skip


def delivery(**some: Any) -> dict[str, Any]:
    return {
        "rhythm": {"every": "week", "at": "07:00", "zone": "Europe/London", "weekdays": [1]},
        "to": ["tomas.wray@northmere.example", "Board@Outside.example"],
        "kinds": ["csv", "xlsx"], "note": "Please look before Friday.", **some,
    }  # fmt: skip


@pytest.fixture
def kept(northmere: None, api: Any, log: Any) -> int:
    """A report of Tomas’, of two incidents, one of them confidential."""
    log("Lena", "Crew roster")
    hidden = log("Lena", "Crew roster", title="Somebody reads my mail")
    Ticket.objects.filter(pk=hidden.pk).update(is_confidential=1)
    body = {"name": "Open = work", "about": "Of each Monday", "definition": of_all()}
    return int(api("Tomas").post("/api/reports", body, content_type=JSON).json()["id"])


@pytest.fixture
def out(kept: int, api: Any) -> Callable[..., Delivery]:
    def added(**some: Any) -> Delivery:
        got = api("Tomas").post(
            f"/api/reports/{kept}/deliveries", delivery(**some), content_type=JSON
        )
        assert got.status_code == 201, got.json()
        return Delivery.objects.get(pk=got.json()["id"])

    return added


def letters() -> list[Outgoing]:
    return list(Outgoing.objects.filter(event_name="report delivery").order_by("to"))


def test_it_goes_out_on_its_day_once_to_everybody_with_its_files(
    out: Callable[..., Delivery],
) -> None:
    row = out()
    assert row.next_s == seconds_of(MONDAY)
    assert delivering.send_due(seconds_of(MONDAY) - 1) == 0 and not letters()
    assert delivering.send_due(seconds_of(MONDAY) + 5) == 1
    assert delivering.send_due(seconds_of(MONDAY) + 5) == 0
    sent = letters()
    assert [one.to for one in sent] == ["board@outside.example", "tomas.wray@northmere.example"]
    assert sent[0].person is None and sent[1].person is not None
    assert sent[0].subject == "Open = work, 30 November 2026"
    assert sent[0].body.startswith("Please look before Friday.\n\nOpen = work, 30 November 2026")
    assert "Tomas Wray lets it go out every Monday at 07:00." in sent[0].body
    made = {file.name: bytes(file.content) for file in sent[0].files.all()}
    assert set(made) == {"open-work.csv", "open-work.xlsx"}
    with zipfile.ZipFile(io.BytesIO(made["open-work.xlsx"])) as book:
        assert "xl/worksheets/sheet1.xml" in book.namelist()
    row.refresh_from_db()
    assert row.next_s == seconds_of(MONDAY + timedelta(days=7))
    history = SentReport.objects.get()
    assert history.is_sent and history.to == row.to and history.due_s == seconds_of(MONDAY)


def test_what_is_confidential_is_not_counted_in_what_goes_out(
    out: Callable[..., Delivery], api: Any, person: Any
) -> None:
    row = out(kinds=["csv"])
    Ticket.objects.all().update(holder=person("Tomas"))  # he may see both
    builder = delivering.builder_of(row.report, NOW)
    assert builder.table().total[0] == 1
    delivering.send_due(seconds_of(MONDAY))
    text = bytes(letters()[0].files.get().content).decode("utf-8-sig")
    assert text.splitlines()[-1].startswith("all,1")
    assert "Somebody reads my mail" not in letters()[0].body + text


@pytest.mark.parametrize(
    ("threshold", "is_sent", "says"),
    [
        ({"figure": 0, "op": ">", "value": 0}, True, "count: 1"),
        ({"figure": 0, "op": ">", "value": 1}, False, "count was 1, not above 1."),
        ({"figure": 0, "op": "<", "value": 1}, False, "count was 1, not below 1."),
        ({"figure": 1, "op": ">", "value": 3 * 86_400}, True, "average age: 6.9 days"),
        ({"figure": 1, "op": ">", "value": 30 * 86_400}, False, "not above 30.0 days."),
    ],
)
def test_only_when_and_otherwise_the_history_says_why_not(
    out: Callable[..., Delivery], threshold: dict[str, Any], is_sent: bool, says: str
) -> None:
    out(threshold=threshold)
    delivering.send_due(seconds_of(MONDAY))
    history = SentReport.objects.get()
    assert history.is_sent is is_sent and says in history.says, history.says
    assert bool(letters()) is is_sent


def test_what_was_due_while_nothing_ran_goes_out_once(out: Callable[..., Delivery]) -> None:
    row = out()
    late = seconds_of(MONDAY + timedelta(days=30))
    assert delivering.send_due(late) == 1 and delivering.send_due(late) == 0
    row.refresh_from_db()
    assert row.next_s > late and SentReport.objects.count() == 1 and len(letters()) == 2


def test_killed_while_it_sends_it_sends_once(
    out: Callable[..., Delivery], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whatever fails within, nothing of it is kept, and the next round does all of it."""
    out()
    real = SentReport.objects.create
    monkeypatch.setattr(
        SentReport.objects, "create", lambda **_: (_ for _ in ()).throw(RuntimeError("killed"))
    )
    with pytest.raises(RuntimeError):
        delivering.send_due(seconds_of(MONDAY))
    assert letters() == [] and SentReport.objects.count() == 0
    monkeypatch.setattr(SentReport.objects, "create", real)
    assert delivering.send_due(seconds_of(MONDAY)) == 1
    assert len(letters()) == 2


def test_changed_meanwhile_it_is_left_to_the_next_round(
    out: Callable[..., Delivery], monkeypatch: pytest.MonkeyPatch
) -> None:
    row = out()
    real = delivering._letters

    def slow(one: Delivery, now: datetime) -> Any:
        Delivery.objects.filter(pk=row.pk).update(version=99)
        return real(one, now)

    monkeypatch.setattr(delivering, "_letters", slow)
    delivering.send_due(seconds_of(MONDAY))
    assert letters() == [] and SentReport.objects.count() == 0


def test_who_has_left_sends_nothing_and_a_paused_one_waits(
    out: Callable[..., Delivery], person: Any
) -> None:
    paused = out(is_on=False)
    out()
    tomas = person("Tomas")
    tomas.is_active = False
    tomas.save()
    assert delivering.send_due(seconds_of(MONDAY)) == 1
    assert letters() == []
    assert SentReport.objects.get().says == ("Tomas Wray has left: nobody answers for it any more.")
    assert not paused.sent.exists()


def test_without_what_pdf_needs_the_history_says_so(
    out: Callable[..., Delivery], monkeypatch: pytest.MonkeyPatch
) -> None:
    def fails(*_: Any) -> bytes:
        raise NoPdf("PDF needs Pango on this machine.")

    monkeypatch.setattr(files, "as_pages", fails)
    row = out(kinds=["pdf"])
    delivering.send_due(seconds_of(MONDAY))
    assert SentReport.objects.get().says == "PDF needs Pango on this machine."
    row.refresh_from_db()
    assert row.next_s > seconds_of(MONDAY)


@pytest.mark.parametrize(
    ("wrong", "place"),
    [
        ({"to": []}, "to"),
        ({"to": ["nobody"]}, "to"),
        ({"to": [f"a{n}@x.example" for n in range(31)]}, "to"),
        ({"to": ["a@x.example\nBcc: b@x.example"]}, "to"),
        ({"kinds": []}, "kinds"),
        ({"kinds": ["exe"]}, "kinds"),
        ({"rhythm": {"every": "week", "at": "07:00", "zone": "Europe/London"}}, "weekdays"),
        ({"rhythm": {"every": "day", "at": "7", "zone": "Europe/London"}}, "at"),
        ({"threshold": {"figure": 2, "op": ">", "value": 1}}, "threshold"),
        ({"threshold": {"figure": 0, "op": "=", "value": 1}}, "threshold"),
    ],
)
def test_nonsense_is_refused_at_its_place(
    kept: int, api: Any, wrong: dict[str, Any], place: str
) -> None:
    got = api("Tomas").post(f"/api/reports/{kept}/deliveries", delivery(**wrong), content_type=JSON)
    assert got.status_code == 422 and place in got.json()["fields"], got.json()
    assert not Delivery.objects.exists()


def test_only_its_owner_lets_a_report_go_out(
    kept: int, out: Callable[..., Delivery], api: Any
) -> None:
    row = out()
    address, one = f"/api/reports/{kept}/deliveries", f"/api/reports/deliveries/{row.pk}"
    for who in ("Marit", "Anneke"):
        assert api(who).get(address).status_code == 404
        assert api(who).post(address, delivery(), content_type=JSON).status_code == 404
        change = {**delivery(), "version": row.version}
        assert api(who).put(one, change, content_type=JSON).status_code == 404
        assert api(who).delete(one).status_code == 404
    change = {**delivery(is_on=False), "version": row.version}
    assert api("Tomas").put(one, change, content_type=JSON).json()["is_on"] is False
    assert api("Tomas").put(one, change, content_type=JSON).status_code == 409
    assert api("Tomas").delete(one).status_code == 204
    assert api("Tomas").get(address).json() == []


def test_a_report_that_is_removed_goes_out_no_more(
    kept: int, out: Callable[..., Delivery], api: Any
) -> None:
    out()
    assert api("Tomas").delete(f"/api/reports/{kept}").status_code == 204
    assert delivering.send_due(seconds_of(MONDAY)) == 0


def test_the_worker_does_it_round_after_round() -> None:
    assert "sending reports" in [one.name for one in ROUNDS]


def test_the_history_keeps_the_last_of_them(out: Callable[..., Delivery]) -> None:
    row = out(rhythm={"every": "day", "at": "07:00", "zone": "Europe/London"}, kinds=["csv"])
    SentReport.objects.bulk_create(
        SentReport(delivery=row, due_s=n, at_s=n, is_sent=True, says="") for n in range(70)
    )
    delivering.send_due(seconds_of(MONDAY))
    assert row.sent.count() == delivering.KEPT_SENT
    assert row.sent.first().due_s == row.next_s  # type: ignore[union-attr]
