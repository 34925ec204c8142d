"""CSV files: what is refused, what each row would do, what was done, and taking it back."""

from collections.abc import Callable
from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.estate.models import ConfigItem
from gannet.people.models import Person
from gannet.tickets import actions, importing
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
MAEVE = "maeve.tarrant@northmere.example"


@pytest.mark.parametrize(
    ("content", "why"),
    [
        (b"", "no rows"),
        (b"requester,title,colour\n", "No column is called colour"),
        (b"title\nx\n", "requester is missing"),
        (b"\x00\x01\x02", "no CSV"),
        (b"requester,title\n" + b"a,b\n" * 5_001, "At most 5,000"),
    ],
)
def test_a_file_that_cannot_be_read_is_refused(northmere: None, content: bytes, why: str) -> None:
    with pytest.raises(Invalid, match=why):
        importing.read_rows(content, "tickets")


@pytest.mark.parametrize("delimiter", [",", ";", "\t"])
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "cp1252"])
def test_any_spreadsheet_s_file_is_read(northmere: None, delimiter: str, encoding: str) -> None:
    text = f'Requester{delimiter}TITLE\r\n{MAEVE}{delimiter}"Straße{delimiter} zwei"\r\n\r\n'
    rows = importing.read_rows(text.encode(encoding), "tickets")
    assert rows == [{"requester": MAEVE, "title": " ".join(f"Straße{delimiter} zwei".split())}]


def test_good_rows_are_done_and_bad_ones_named(
    northmere: None, person: Callable[[str], Any], by: Callable[..., Any]
) -> None:
    rows = [
        {"requester": MAEVE, "title": "One", "service": "Boarding gates", "impact": "2"},
        {"requester": "x@y.example", "title": "Two"},
        {"requester": MAEVE, "title": "Three", "impact": "9", "service": "Nothing"},
        {"requester": MAEVE, "title": ""},
        {"requester": MAEVE, "title": "Five"},
    ]
    checked = importing.dry_run("tickets", rows)
    assert not Ticket.objects.exists(), "trying writes nothing"
    assert [bool(row.errors) for row in checked] == [False, True, True, True, False]
    assert len(checked[2].errors) == 2
    done = importing.run("tickets", rows, person("Marit"), NOW)
    assert [entry["line"] for entry in done["failed"]] == [3, 4, 5]
    one, five = Ticket.objects.order_by("pk")
    assert (one.title, one.impact, five.title) == ("One", 2, "Five")
    actions.note(one.pk, by("Signe"), "I look at it.")
    back = importing.undo("tickets", done["made"], person("Marit"), NOW)
    assert back["done"] == 1 and "worked on" in back["kept"][0]["why"]
    assert Ticket.objects.get(pk=one.pk).is_open and not Ticket.objects.get(pk=five.pk).is_open


def test_people_and_items_come_change_and_go_back(
    northmere: None, person: Callable[[str], Any]
) -> None:
    before = Person.objects.get(email=MAEVE)
    rows = [
        {"email": MAEVE.upper(), "name": "Maeve Tarrant-Hill", "job": "Gate lead"},
        {"email": "new.one@northmere.example", "name": "New One", "manager": MAEVE},
        {"email": "no address", "name": "Nobody"},
    ]
    done = importing.run("people", rows, person("Anneke"), NOW)
    assert len(done["made"]) == 2 and "no address" in done["failed"][0]["why"]
    changed = Person.objects.get(email=MAEVE)
    assert (changed.name, changed.department) == ("Maeve Tarrant-Hill", before.department)
    assert Person.objects.get(email="new.one@northmere.example").manager == changed
    importing.undo("people", done["made"], person("Anneke"), NOW)
    assert Person.objects.get(email=MAEVE).job == before.job
    assert not Person.objects.filter(email="new.one@northmere.example").exists()
    things = [{"name": "Gate 99, Saltgate", "kind": "gate", "service": "Boarding gates"}]
    made = importing.run("items", things, person("Anneke"), NOW)["made"]
    assert ConfigItem.objects.get(name="Gate 99, Saltgate").service is not None
    importing.undo("items", made, person("Anneke"), NOW)
    assert not ConfigItem.objects.filter(name="Gate 99, Saltgate").exists()


def test_every_person_and_item_of_an_import_is_on_record(
    northmere: None, person: Callable[[str], Any]
) -> None:
    anneke = person("Anneke")
    last = Event.objects.latest("id").id if Event.objects.exists() else 0
    rows = [
        {"email": MAEVE, "name": "Maeve Tarrant-Hill", "job": "Gate lead"},
        {"email": "new.one@northmere.example", "name": "New One", "manager": MAEVE},
    ]
    done = importing.run("people", rows, anneke, NOW)
    things = [{"name": "Gate 99, Saltgate", "kind": "gate"}]
    items = importing.run("items", things, anneke, NOW)
    importing.undo("people", done["made"], anneke, NOW)
    importing.undo("items", items["made"], anneke, NOW)
    told = Event.objects.filter(id__gt=last).order_by("id")
    said = [(str(one.kind), one.values["how"], one.actor) for one in told]
    assert said == [
        ("person changed", "changed", anneke),
        ("person changed", "made", anneke),
        ("item changed", "made", anneke),
        ("person changed", "taken away", anneke),
        ("person changed", "put back", anneke),
        ("item changed", "removed", anneke),
    ]
    changed = told[0].values["changes"]
    assert changed["job"][1] == "Gate lead" and "department" not in changed
    assert verify()[1] is None
