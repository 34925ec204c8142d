"""Several items changed at once by hand: each is done or refused by itself, and taken back."""

from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.estate.actions import change_item
from gannet.estate.models import ConfigItem, Service
from gannet.people.acting import Acting
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"


@pytest.fixture
def three(northmere: None) -> list[ConfigItem]:
    return [ConfigItem.objects.create(key=f"n-{n}", name=f"N {n}", kind="server") for n in range(3)]


def send(client: Any, rows: list[dict[str, Any]], why: str = "moved") -> Any:
    return client.post("/api/estate/items/many", {"rows": rows, "why": why}, content_type=JSON)


def test_all_are_changed_with_why_and_sending_back_what_they_were_takes_it_back(
    api: Any, three: list[ConfigItem], person: Any
) -> None:
    facts = {"life": "retired", "place": "Store", "owner": person("Joss").pk, "criticality": 1}
    service = Service.objects.order_by("pk").first()
    assert service is not None
    facts["service"] = service.pk
    done = send(api("Marit"), [{"id": one.pk, **facts} for one in three]).json()
    assert (len(done["before"]), done["refused"]) == (3, [])
    for one in three:
        one.refresh_from_db()
        assert (one.life, one.place, one.owner, one.service) == (
            "retired", "Store", person("Joss"), service,
        )  # fmt: skip
    said = Event.objects.filter(kind="item changed").order_by("-id")[0]
    assert (said.text, said.facts["item"]) == ("moved", "n-2")
    back = send(api("Marit"), [{**row, "seen": facts} for row in done["before"]], "taken back")
    assert (len(back.json()["before"]), back.json()["refused"]) == (3, [])
    for one in three:
        one.refresh_from_db()
        assert (one.life, one.place, one.owner, one.criticality) == ("in use", "", None, 3)
    assert verify()[1] is None


def test_what_somebody_changed_since_is_not_taken_back(
    api: Any, three: list[ConfigItem], person: Any
) -> None:
    done = send(api("Marit"), [{"id": one.pk, "life": "retired"} for one in three]).json()
    other = Acting(person=person("Anneke"), now=NOW)
    change_item(other, ConfigItem.objects.get(pk=three[1].pk), {"life": "in repair"}, "found")
    rows = [{**row, "seen": {"life": "retired"}} for row in done["before"]]
    back = send(api("Marit"), rows, "taken back").json()
    assert [one["id"] for one in back["refused"]] == [three[1].pk]
    assert "life was changed meanwhile" in back["refused"][0]["why"]
    lives = ConfigItem.objects.filter(key__startswith="n-").order_by("key")
    assert list(lives.values_list("life", flat=True)) == ["in use", "in repair", "in use"]


def test_one_that_cannot_be_takes_no_other_along(
    api: Any, three: list[ConfigItem], person: Any
) -> None:
    ConfigItem.objects.filter(pk=three[0].pk).update(owner=person("Signe"))
    rows = [{"id": one.pk, "place": "Store"} for one in three] + [{"id": 10**8, "place": "Store"}]
    done = send(api("Signe"), rows).json()
    assert [one["id"] for one in done["before"]] == [three[0].pk], "only what she answers for"
    assert [one["id"] for one in done["refused"]] == [three[1].pk, three[2].pk, 10**8]
    wrong = [{"id": three[0].pk, "life": "asleep"}, {"id": three[1].pk, "life": "retired"}]
    done = send(api("Marit"), wrong).json()
    assert [one["id"] for one in done["before"]] == [three[1].pk]
    assert done["refused"][0]["name"] == "N 0"


def test_who_may_and_what_is_refused_as_a_whole(api: Any, three: list[ConfigItem]) -> None:
    row = {"id": three[0].pk, "life": "retired"}
    for who in ("Ines", "Tomas"):
        assert send(api(who), [row]).status_code == 403, who
    without = send(api("Marit"), [row], " ")
    assert without.status_code == 422 and "why" in without.json()["fields"]
    many = send(api("Marit"), [row] * 501)
    assert many.status_code == 422 and "rows" in many.json()["fields"]
    assert not Event.objects.filter(kind="item changed").exists()
