"""Dashboards: kept, changed, shared and removed by their owners; what cannot be is refused."""

from typing import Any

import pytest

from gannet.reports import dashboards

pytestmark = pytest.mark.django_db
JSON = "application/json"
FLOW = {"kind": "report", "report": "flow", "show": "drawing"}
TEXT = {"kind": "text", "text": "Storm on Friday: everybody in."}


def board(**some: Any) -> dict[str, Any]:
    return {"name": "Harbour Desk", "rows": [[FLOW, TEXT], [FLOW]], **some}


def made(api: Any, who: str = "Marit", **some: Any) -> Any:
    return api(who).post("/api/dashboards", board(**some), content_type=JSON)


def names(api: Any, who: str) -> list[str]:
    return [one["name"] for one in api(who).get("/api/dashboards").json()]


def test_a_dashboard_is_kept_changed_shared_and_removed_by_its_owner_alone(
    northmere: None, api: Any
) -> None:
    got = made(api)
    assert got.status_code == 201, got.json()
    found = got.json()
    assert [[part["kind"] for part in row] for row in found["rows"]] == [
        ["report", "text"], ["report"]
    ]  # fmt: skip
    assert found["is_mine"] and found["rows"][0][1]["text"] == TEXT["text"]
    assert made(api).json()["fields"] == {"name": "Choose another."}
    assert names(api, "Tomas") == []

    address = f"/api/dashboards/{found['id']}"
    change = {**board(is_shared=True, rows=[[TEXT]]), "version": found["version"]}
    assert api("Tomas").put(address, change, content_type=JSON).status_code == 404
    assert api("Marit").put(address, change, content_type=JSON).json()["is_shared"] is True
    assert api("Marit").put(address, change, content_type=JSON).status_code == 409
    theirs = api("Tomas").get("/api/dashboards").json()[0]
    assert (theirs["name"], theirs["is_mine"], theirs["owner"]) == (
        "Harbour Desk", False, "Marit Osei"
    )  # fmt: skip
    assert api("Tomas").delete(address).status_code == 404
    assert api("Marit").delete(address).status_code == 204
    assert names(api, "Tomas") == []


@pytest.mark.parametrize(
    ("wrong", "place"),
    [
        ({"name": " "}, "name"),
        ({"rows": [[{**FLOW, "report": "nowhere"}]]}, "rows"),
        ({"rows": [[{**FLOW, "report": "99999999"}]]}, "rows"),
        ({"rows": [[{**FLOW, "report": "²"}]]}, "rows"),
        ({"rows": [[{**FLOW, "show": "sparkles"}]]}, "rows"),
        ({"rows": [[{"kind": "weather"}]]}, "rows"),
        ({"rows": [[{"kind": "text", "text": "  "}]]}, "rows"),
        ({"rows": [[TEXT] * 5]}, "rows"),
        ({"rows": [[TEXT]] * 9}, "rows"),
        ({"rows": "none"}, "rows"),
    ],
)
def test_nonsense_is_refused_at_its_place(
    northmere: None, api: Any, wrong: dict[str, Any], place: str
) -> None:
    got = made(api, **wrong)
    assert got.status_code == 422, got.json()
    assert any(name.startswith(place) for name in got.json()["fields"]), got.json()
    assert names(api, "Marit") == []


def test_a_part_is_a_report_that_its_owner_may_see(northmere: None, api: Any) -> None:
    body = {
        "name": "Mine",
        "definition": {"event": "opened", "rows": [], "measures": []},
    }
    number = api("Tomas").post("/api/reports", body, content_type=JSON).json()["id"]
    mine = [[{**FLOW, "report": str(number)}]]
    assert made(api, "Marit", rows=mine).status_code == 422
    assert made(api, "Tomas", rows=mine).status_code == 201


def test_rows_without_parts_are_left_out_and_nobody_keeps_without_end(
    northmere: None, api: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert made(api, rows=[[], [TEXT], []]).json()["rows"] == [
        [{**TEXT, "report": "", "show": "", "where": None}]
    ]
    monkeypatch.setattr(dashboards, "MOST_DASHBOARDS", 1)
    assert made(api, name="Another").json()["fields"] == {"name": "Remove one first."}


def test_who_reads_no_reports_has_no_dashboards(northmere: None, api: Any) -> None:
    assert api("Ines").get("/api/dashboards").status_code == 403
    assert made(api, "Ines").status_code == 403
