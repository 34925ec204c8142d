"""A kind of record that ships with nothing (tests/visits.py) is everywhere at once."""

import json
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest

from gannet.people.models import Person
from gannet.rulebook import book as books
from gannet.tickets import declaring, kinds, states
from gannet.tickets.acts import acts_of
from gannet.tickets.models import Ticket
from gannet_core.lifecycle import INCIDENT, Act
from gannet_core.lifecycles import TASK
from tests.app.test_engine import publish
from tests.visits import VISIT, VISITS

pytestmark = pytest.mark.django_db

Api = Callable[[str], Any]


def come_by(api: Api, person: Callable[[str], Person], title: str = "Brackwater Glass") -> int:
    place = person("Signe").place
    given = {"kind": "visit", "requester": person("Maeve").pk, "title": title, "place": place}
    answer = api("Signe").post("/api/tickets", given, content_type="application/json")
    assert answer.status_code == 201, answer.content
    return int(answer.json()["id"])


def act(api: Api, who: str, number: int, name: str, **said: Any) -> Any:
    address = f"/api/tickets/{number}/acts/{name}"
    return api(who).post(address, said, content_type="application/json")


def record(api: Api, number: int, who: str = "Signe") -> Any:
    return api(who).get(f"/api/tickets/{number}").json()


def test_it_lives_its_own_life(api: Api, person: Callable[[str], Person]) -> None:
    number = come_by(api, person)
    seen = record(api, number)
    assert (seen["kind"], seen["state"], seen["move"], seen["is_open"]) == (
        "visit", "expected", "ours", True,
    )  # fmt: skip
    assert seen["panels"] == [
        {"key": "visit", "label": "Visit", "rows": [{"label": "Host", "words": "nobody yet"}]}
    ]
    assert seen["request"] is None, "what is a request's is not a visit's"
    names = {one["name"] for one in seen["acts"]}
    assert {"show-in", "sign-out", "take", "note"} <= names
    assert not {"resolve", "wait", "reply", "cancel", "hand-over"} & names, "its life knows no such"

    assert act(api, "Signe", number, "show-in", host=" ").status_code == 422
    shown = act(api, "Signe", number, "show-in", host="Marit Osei")
    assert shown.status_code == 200, shown.content
    seen = record(api, number)
    assert (seen["state"], seen["panels"][0]["rows"][0]["words"]) == ("in the house", "Marit Osei")
    assert any(
        e["sentence"] == "Signe Hallam showed them to Marit Osei" for e in seen["conversation"]
    )
    again = act(api, "Signe", number, "show-in", host="Bram Okafor")
    assert again.status_code == 409
    assert "is in the house, so it cannot be shown in now" in again.json()["detail"]

    assert act(api, "Signe", number, "sign-out").status_code == 200
    seen = record(api, number)
    assert (seen["state"], seen["move"], seen["is_open"]) == ("left", "nobody's", False)
    assert not Ticket.objects.get(pk=number).timers.filter(state=1).exists()


def test_lists_find_it_by_its_state_and_its_field(
    api: Api, person: Callable[[str], Person]
) -> None:
    one, other = come_by(api, person), come_by(api, person, "Orrin Rope Works")
    act(api, "Signe", one, "show-in", host="Marit Osei")
    looks = [
        ({"field": "kind", "op": "is", "value": "visit"}, {one, other}),
        ({"field": "state", "op": "is", "value": "in the house"}, {one}),
        ({"field": "state", "op": "is not", "value": "in the house"}, {other}),
        ({"field": "host", "op": "is", "value": "Marit Osei"}, {one}),
        ({"field": "open", "op": "is", "value": True}, {one, other}),
    ]
    for tree, wanted in looks:
        found = api("Signe").get(
            "/api/tickets", {"filter": json.dumps(tree), "columns": "host,state"}
        )
        assert found.status_code == 200, found.content
        rows = {row["id"] for row in found.json()["rows"] if row["kind"] == "visit"}
        assert rows == wanted, tree
    fields = {one["name"]: one for one in api("Signe").get("/api/fields").json()}
    assert fields["host"]["label"] == "host"
    assert {"expected", "in the house", "left"} <= set(fields["state"]["choices"])


def test_rules_wait_for_its_moments_and_read_its_field(
    api: Api, person: Callable[[str], Person], northmere: None
) -> None:
    rule = {
        "key": "tell-host", "name": "Visitors of Marit", "is_on": True, "when": ["shown in"],
        "if": {"all": [{"field": "kind", "op": "is", "value": "visit"},
                       {"field": "host", "op": "is", "value": "Marit Osei"}]},
        "then": [{"do": "tag", "tags": ["guest of marit"]}],
    }  # fmt: skip
    publish(lambda document: document["rules"].append(rule))
    one, other = come_by(api, person), come_by(api, person, "Orrin Rope Works")
    act(api, "Signe", one, "show-in", host="Marit Osei")
    act(api, "Signe", other, "show-in", host="Bram Okafor")
    assert record(api, one)["tags"] == ["guest of marit"]
    assert record(api, other)["tags"] == []
    assert "shown in" in kinds.moments() and "created" in kinds.moments()
    assert books.current().rules[-1]["key"] == "tell-host"


def test_its_own_permissions_hold_and_are_said(api: Api, person: Callable[[str], Person]) -> None:
    number = come_by(api, person)
    Ticket.objects.filter(pk=number).update(place="Vell Island")
    (offered,) = [one for one in record(api, number)["acts"] if one["name"] == "show-in"]
    assert offered["why_not"] == "Only people at Vell Island can do that."
    refused = act(api, "Signe", number, "show-in", host="Marit Osei")
    assert (refused.status_code, refused.json()["detail"]) == (403, offered["why_not"])
    # Requesters see theirs, and nobody else's.
    assert api("Maeve").get(f"/api/portal/tickets/{number}").status_code == 200
    assert api("Piotr").get(f"/api/portal/tickets/{number}").status_code == 404
    assert act(api, "Piotr", number, "sign-out").status_code in (403, 404)


def test_acts_of_one_kind_are_not_anothers(log: Callable[..., Ticket], api: Api) -> None:
    fault = log("Maeve", "Boarding gates")
    refused = act(api, "Signe", fault.pk, "show-in", host="Marit Osei")
    assert refused.status_code == 422
    assert refused.json()["detail"] == f"Incident {fault.pk} has nothing like that."
    assert "show-in" not in {one.name for one in acts_of(kinds.usual())}


def test_what_is_no_kind_is_not_logged(api: Api, person: Callable[[str], Person]) -> None:
    given = {"requester": person("Maeve").pk, "title": "What is this?"}
    for key in ("nonsense", "request"):
        answer = api("Signe").post(
            "/api/tickets", {**given, "kind": key}, content_type="application/json"
        )
        assert answer.status_code == 422 and "kind" in answer.json()["fields"]
    plain = api("Signe").post("/api/tickets", given, content_type="application/json").json()
    assert plain["kind"] == "incident"


def test_declaring_it_twice_changes_nothing_and_wrong_states_are_refused() -> None:
    before = len(list(acts_of(VISITS)))
    declaring.declare(VISITS)
    assert len(list(acts_of(VISITS))) == before
    assert states.state_name(70) == "left" and states.state_code("left") == 70
    for codes, words in (
        ({"left": 40}, "cannot be 40"),
        ({"left": 54}, "54 is resolved already"),
        ({"expected": 21}, "21 is in the house already"),
    ):
        with pytest.raises(ValueError, match=words):
            states.know_states(VISIT, {**VISITS.codes, **codes})
    with pytest.raises(ValueError, match="ends a late-visit, but is no event"):
        declaring.declare(replace(VISITS, key="late-visit", lifecycle=TASK))
    assert "late-visit" not in kinds.kinds()
    assert states.state_name(99) == "state 99"
    assert all(states.state_code(stage.name) <= 49 for stage in INCIDENT.stages if stage.is_open)
    assert Act.RESOLVED not in VISIT.moves
