"""The estate: dependencies and what a stop reaches, drift from a scan, import, history."""

import json
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings as django_settings
from django.core.files.uploadedfile import SimpleUploadedFile

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.demo import estate as demo
from gannet.estate import actions, nodes, scanning
from gannet.estate.events import EstateEvent
from gannet.estate.models import ConfigItem, Dependency, Service, Unrecorded
from gannet.people.acting import Acting
from gannet.rulebook.book import current
from gannet.services import scans
from gannet.tickets import importing
from gannet.web.errors import Invalid
from gannet_core.instants import format_instant, seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
NOW_S = seconds_of(NOW)


def test_an_item_is_recorded_by_hand_and_given_to_people(api: Any, person: Any) -> None:
    said = {"name": "Spare reader 7", "kind": "gate reader", "why": "bought"}
    kinds = list(current().item_types)
    said["kind"] = kinds[0]
    made = api("Anneke").post("/api/estate/items/new", said, content_type=JSON)
    assert made.status_code == 201, made.content
    assert made.json()["key"] == "spare-reader-7"
    again = api("Anneke").post("/api/estate/items/new", said, content_type=JSON)
    assert again.json()["key"] == "spare-reader-7-2", "two of a name are told apart"
    for wrong, field in (
        ({"name": " "}, "name"), ({"kind": "spoon"}, "kind"), ({"key": "spare-reader-7"}, "key"),
    ):  # fmt: skip
        refused = api("Anneke").post("/api/estate/items/new", {**said, **wrong}, content_type=JSON)
        assert refused.status_code == 422 and field in refused.json()["fields"], wrong
    number = made.json()["id"]
    given = {
        "owner": person("Joss").pk, "business_owner": person("Tomas").pk,
        "used_by": person("Ines").pk, "why": "handed out",
    }  # fmt: skip
    changed = (
        api("Anneke")
        .patch(f"/api/estate/items/{number}", json.dumps(given), content_type=JSON)
        .json()
    )
    assert (changed["owner"], changed["business_owner"], changed["used_by"]) == (
        "Joss Levering", "Tomas Wray", "Ines Corrado",
    )  # fmt: skip
    assert any("handed out" in one["sentence"] for one in changed["history"])
    for field in ("owner", "business_owner", "used_by", "team", "service"):
        refused = api("Anneke").patch(
            f"/api/estate/items/{number}", json.dumps({field: 10**9, "why": "x"}), content_type=JSON
        )
        assert refused.status_code == 422 and field in refused.json()["fields"], field


def item(name: str) -> ConfigItem:
    return ConfigItem.objects.get(name=name)


def node(name: str) -> str:
    thing = Service.objects.filter(name=name).first() or item(name)
    return nodes.node_of(thing)


def stops(client: Any, *names: str) -> Any:
    return client.get("/api/estate/map/stops", {"node": [node(name) for name in names]}).json()


def share(found: Any, name: str) -> float:
    return next((one["share"] for one in found["affected"] if one["name"] == name), 0.0)


@pytest.fixture
def admin(person: Callable[[str], Any]) -> Acting:
    return Acting(person=person("Anneke"), now=NOW)


# -- If this stops ----------------------------------------------------------------------------


def test_a_stop_is_explained_down_to_what_stopped(api: Callable[[str], Any]) -> None:
    found = stops(api("Signe"), "Database 2")
    assert share(found, "Berth planner") == 1
    assert share(found, "Boarding gates") == 0.5
    gates = next(one for one in found["affected"] if one["name"] == "Boarding gates")
    assert [step["on"] for step in gates["path"]] == [
        "Gate control",
        "Planning service",
        "Database 2",
    ]
    assert [step["share"] for step in gates["path"]] == [1, 0.5, 1]
    assert (found["services"], found["all_services"]) == (7, 14)
    assert "Terminals" in found["departments"] and found["people"] > 0


def test_the_second_of_a_pair_makes_the_difference(api: Callable[[str], Any]) -> None:
    client = api("Signe")
    assert share(stops(client, "Database 2"), "Manifest service") == 0.25
    assert share(stops(client, "Database 2", "Database 4"), "Manifest service") == 1


def test_redundant_on_paper_only_is_found_with_its_cause(api: Callable[[str], Any]) -> None:
    found = stops(api("Signe"), "Host 1")
    assert share(found, "Sign-in") == 1
    (lost,) = [one for one in found["lost_groups"] if one["name"] == "Sign-in"]
    assert lost["causes"] == ["Host 1"]


@pytest.mark.parametrize(
    "given", [[], ["item-999999"], ["nonsense"], ["item-x"], ["service-0"] * 3]
)
def test_nonsense_is_refused_in_a_sentence(api: Callable[[str], Any], given: list[str]) -> None:
    got = api("Signe").get("/api/estate/map/stops", {"node": given})
    assert got.status_code in (400, 422)
    assert got.json()["detail"]


def test_a_dependency_counts_at_once_and_ends_when_it_is_taken_away(
    api: Callable[[str], Any], admin: Acting
) -> None:
    client = api("Signe")
    assert share(stops(client, "Time server"), "Payroll") == 0
    actions.depend(admin, item("Pay system"), item("Time server"), "soft", why="it signs by it")
    assert share(stops(client, "Time server"), "Payroll") == 0.5
    actions.depend(admin, item("Pay system"), item("Time server"), "hard")
    assert share(stops(client, "Time server"), "Payroll") == 1
    row = actions.dependency(node("Pay system"), node("Time server"))
    assert row is not None
    actions.part(admin, row)
    assert share(stops(client, "Time server"), "Payroll") == 0
    said = client.get(f"/api/estate/items/{item('Pay system').pk}").json()["history"]
    assert len(said) == 3
    assert "Pay system stands on Time server (soft): “it signs by it”" in said[-1]["sentence"]


@pytest.mark.parametrize(
    ("strength", "group", "on", "field"),
    [
        ("rather", "", "Time server", "strength"),
        ("redundant", " ", "Time server", "group"),
        ("hard", "", "Pay system", "on"),
    ],
)
def test_a_dependency_that_cannot_be_names_its_field(
    admin: Acting, strength: str, group: str, on: str, field: str
) -> None:
    before = Dependency.objects.count()
    with pytest.raises(Invalid) as refused:
        actions.depend(admin, item("Pay system"), item(on), strength, group)
    assert field in refused.value.extra["fields"]
    assert Dependency.objects.count() == before


# -- The map -----------------------------------------------------------------------------------


def test_the_map_folds_what_is_alike_and_opens_it(
    api: Callable[[str], Any], log: Callable[..., Any]
) -> None:
    log("Ines", "Boarding gates", who="team", work="no")
    client = api("Signe")
    drawn = client.get("/api/estate/map").json()
    folds = [one for one in drawn["nodes"] if one["is_fold"]]
    gates = next(one for one in folds if one["kind"] == "gate")
    assert gates["count"] == ConfigItem.objects.filter(kind="gate").count()
    names = {one["id"] for one in drawn["nodes"]}
    assert all(one["from"] in names and one["to"] in names for one in drawn["edges"])
    assert next(o for o in drawn["nodes"] if o["name"] == "Boarding gates")["incidents"] == 1
    opened = client.get("/api/estate/map", {"unfold": gates["id"]}).json()
    assert (
        sum(one["kind"] == "gate" and not one["is_fold"] for one in opened["nodes"])
        == gates["count"]
    )


def test_walking_outward_draws_a_step_more_each_time(api: Callable[[str], Any]) -> None:
    client, start = api("Signe"), node("Database 2")
    sizes = []
    for steps in (1, 2, 3):
        drawn = client.get("/api/estate/map", {"around": start, "steps": steps}).json()
        assert start in {one["id"] for one in drawn["nodes"]}
        sizes.append(len(drawn["nodes"]))
    assert sizes[0] < sizes[1] < sizes[2]


def test_health_counts_only_what_its_reader_may_know_of(
    api: Callable[[str], Any], log: Callable[..., Any]
) -> None:
    log("Maeve", "Safe computing")
    log("Maeve", "Boarding gates", who="ships", work="no")
    health = {one["name"]: one for one in api("Signe").get("/api/services").json()}
    assert health["Safe computing"]["open"] == 0
    assert health["Boarding gates"]["priorities"] == {"1": 1}


# -- Drift --------------------------------------------------------------------------------------


def seen(name: str, at_s: int = NOW_S, **attributes: Any) -> scanning.Scanned:
    thing = {"key": item(name).key, "name": name, "attributes": attributes}
    return scanning.note([thing], at_s, current().item_types)


def test_a_scan_is_noted_beside_what_is_recorded_and_never_over_it(admin: Acting) -> None:
    recorded = item("Database 2").attributes
    done = seen("Database 2", memory="32 GB", version=recorded["version"])
    assert (done.matched, done.drifted, done.errors) == (1, 1, [])
    after = item("Database 2")
    assert after.attributes == recorded
    assert (after.seen["memory"], after.drifts) == (32, 1)
    # The same again is no news; a later return to what is recorded ends it.
    told = Event.objects.filter(kind=EstateEvent.ITEM_SEEN)
    assert told.count() == 1
    seen("Database 2", NOW_S + 60, memory=32)
    assert told.count() == 1
    seen("Database 2", NOW_S + 120, memory=recorded["memory"])
    assert item("Database 2").drifts == 0


def test_an_older_scan_says_nothing_against_a_later_one() -> None:
    seen("Database 2", NOW_S, memory=32)
    seen("Database 2", NOW_S - 3600, memory=16)
    assert item("Database 2").seen["memory"] == 32


def test_drift_is_accepted_explained_and_explained_no_longer(
    api: Callable[[str], Any], admin: Acting
) -> None:
    seen("Database 2", memory=32, version="99")
    client, number = api("Anneke"), item("Database 2").pk

    def decide(**given: str) -> Any:
        return client.post(f"/api/estate/items/{number}/drift", given, content_type=JSON)

    assert (
        decide(does="explain", attribute="version", why="being raised by Torin").status_code == 200
    )
    assert item("Database 2").drifts == 1
    page = decide(does="accept", attribute="memory").json()
    memory = next(one for one in page["attributes"] if one["key"] == "memory")
    assert (memory["recorded"], memory["differs"]) == ("32 GB", False)
    assert item("Database 2").drifts == 0
    # What is as it is recorded by now cannot be decided again.
    assert decide(does="accept", attribute="memory").status_code == 409
    decide(does="explain", attribute="version", why="")
    assert item("Database 2").drifts == 1
    assert verify()[1] is None


def test_what_was_accepted_is_taken_back_while_it_is_the_last_that_changed_it(
    api: Callable[[str], Any], admin: Acting
) -> None:
    one = item("Database 2")
    was = one.attributes.get("memory")
    seen("Database 2", memory=32, version="99")
    client = api("Anneke")

    def decide(does: str, attribute: str) -> int:
        said = {"does": does, "attribute": attribute}
        got = client.post(f"/api/estate/items/{one.pk}/drift", said, content_type=JSON)
        return int(got.status_code)

    assert decide("take back", "memory") == 409, "nothing was accepted yet"
    for attribute in ("memory", "version"):
        assert decide("accept", attribute) == 200
    # Not the last of all, but the last of its attribute.
    assert decide("take back", "memory") == 200
    now = item("Database 2")
    assert now.attributes.get("memory") == was and now.drifts == 1
    assert decide("take back", "memory") == 409, "it is taken back already"
    actions.change_item(admin, now, {"attributes": {"version": "100"}}, "Raised.")
    assert decide("take back", "version") == 409, "somebody wrote another one meanwhile"
    assert item("Database 2").attributes["version"] == "100"
    assert verify()[1] is None


def test_what_nobody_recorded_is_kept_recorded_or_dismissed_with_why(
    api: Callable[[str], Any],
) -> None:
    strange = {"key": "k-1", "name": "Kettle", "type": "switch", "attributes": {"ports": 2}}
    scanning.note([strange, strange], NOW_S, current().item_types)
    row = Unrecorded.objects.get()
    client = api("Anneke")
    address = f"/api/estate/drift/unrecorded/{row.pk}"
    refused = client.post(address, {"does": "dismiss"}, content_type=JSON)
    assert refused.status_code == 422 and "why" in refused.json()["fields"]
    assert client.post(address, {"does": "record"}, content_type=JSON).status_code == 200
    made = item("Kettle")
    assert (made.kind, made.attributes, made.drifts) == ("switch", {"ports": 2}, 0)
    assert not Unrecorded.objects.exists()


@pytest.mark.parametrize(
    "content",
    ["", "[]", "{}", '{"scanned_at": "soon", "things": []}', '{"scanned_at": "2026-11-23T00:00:00Z", "things": 3}', "\x00", "[" * 5000],
)  # fmt: skip
def test_a_file_that_is_no_inventory_is_refused_and_laid_aside_with_why(
    tmp_path: Path, settings: Any, content: str
) -> None:
    (tmp_path / "bad.json").write_text(content)
    settings.SCAN_FOLDER = tmp_path
    assert scans.read_folder(NOW_S) == 1
    assert (tmp_path / "refused" / "bad.json").exists()
    assert "no inventory file" in (tmp_path / "bad.why.txt").read_text()
    assert scans.read_folder(NOW_S) == 0


def test_one_bad_thing_does_not_stop_the_others(tmp_path: Path) -> None:
    things = [
        {"key": "database-2", "attributes": {"memory": "plenty"}},
        "no object",
        {"attributes": {}},
        {"key": "database-4", "attributes": {"memory": 64}},
    ]
    file = tmp_path / "scan.json"
    file.write_text(json.dumps({"scanned_at": format_instant(NOW), "things": things}))
    done = scans.scan_file(file)
    assert done.matched == 2 and len(done.errors) == 3
    assert item("Database 4").seen == {"memory": 64}


def test_things_are_matched_by_serial_number_and_name_too() -> None:
    serial = item("Database 4").attributes["serial"]
    things = [
        {"key": "other", "name": "Renamed", "attributes": {"serial": serial, "memory": 8}},
        {"name": "  DATABASE 1 ", "attributes": {"memory": 4}},
    ]
    assert scanning.note(things, NOW_S, current().item_types).matched == 2
    assert (item("Database 4").seen["memory"], item("Database 1").seen["memory"]) == (8, 4)


def test_the_demo_scan_finds_what_the_story_tells() -> None:
    demo.make_scanned(NOW)
    drifted = set(ConfigItem.objects.filter(drifts__gt=0).values_list("name", flat=True))
    assert {"Database 2", "Core switch A", "Gate 3, Kestrel Point"} <= drifted
    assert Unrecorded.objects.get().place == "Tern"
    assert django_settings.SCAN_FOLDER == ""


# -- By hand, and as it was ---------------------------------------------------------------------


def test_a_change_by_hand_needs_why_and_is_read_back_as_it_was(
    api: Callable[[str], Any], admin: Acting
) -> None:
    client, number = api("Anneke"), item("Core switch B").pk
    address = f"/api/estate/items/{number}"
    without = client.patch(address, {"place": "Quay"}, content_type=JSON)
    assert without.status_code == 422 and "why" in without.json()["fields"]
    later = Acting(person=admin.person, now=NOW + timedelta(days=3))
    given = {"place": "Quay", "attributes": {"ports": 48}, "life": "in repair"}
    actions.change_item(later, item("Core switch B"), given, "struck by a crane")
    then = client.get(f"{address}/then", {"day": f"{NOW.date()}"}).json()
    assert (then["facts"]["place"], then["facts"]["life"]) == ("Saltgate", "in use")
    assert {"label": "ports", "value": "24"} in then["attributes"]
    now = client.get(f"{address}/then", {"day": "2027-01-01"}).json()
    assert (now["facts"]["place"], now["facts"]["life"]) == ("Quay", "in repair")
    sentence = client.get(address).json()["history"][0]["sentence"]
    assert "place Saltgate → Quay" in sentence and "ports 24 → 48" in sentence
    assert sentence.endswith("“struck by a crane”")


@pytest.mark.parametrize(
    ("attributes", "says"),
    [
        ({"ports": "many"}, "number"),
        ({"colour": "red"}, "colour"),
        ({"ports": True}, "number"),
        ({"serial": "x" * 300}, "longer"),
    ],
)
def test_an_attribute_that_cannot_be_is_refused_at_its_field(
    api: Callable[[str], Any], attributes: dict[str, Any], says: str
) -> None:
    address = f"/api/estate/items/{item('Core switch B').pk}"
    got = api("Anneke").patch(address, {"why": "x", "attributes": attributes}, content_type=JSON)
    assert got.status_code == 422
    (field,) = got.json()["fields"]
    assert field == f"attributes.{next(iter(attributes))}" and says in got.json()["fields"][field]
    assert item("Core switch B").attributes["ports"] == 24


def test_the_owner_of_an_item_and_its_team_may_change_it_and_nobody_else_of_the_desk(
    api: Callable[[str], Any], person: Callable[[str], Any]
) -> None:
    address = f"/api/estate/items/{item('Core switch B').pk}"
    body = {"why": "x", "place": "Quay"}
    assert api("Signe").patch(address, body, content_type=JSON).status_code == 403
    on = {"source": node("Core switch B"), "target": node("Cooling"), "strength": "soft"}
    dependencies = "/api/estate/dependencies"
    assert api("Signe").post(dependencies, on, content_type=JSON).status_code == 403
    ConfigItem.objects.filter(name="Core switch B").update(owner=person("Signe"))
    assert api("Signe").patch(address, body, content_type=JSON).status_code == 200
    # What its page offers, the API takes: what it stands on is a fact of the item too.
    assert api("Signe").post(dependencies, on, content_type=JSON).status_code == 204
    gone = f"{dependencies}?source={on['source']}&target={on['target']}"
    assert api("Signe").delete(gone).status_code == 204


# -- In and out ---------------------------------------------------------------------------------


def test_what_is_exported_comes_in_again_and_changes_nothing(api: Callable[[str], Any]) -> None:
    client = api("Anneke")
    before = list(Dependency.objects.values_list("ends", "strength", "group").order_by("ends"))
    facts = {one.key: actions.facts_of(one) for one in ConfigItem.objects.all()}
    for what in ("items", "dependencies"):
        for form in ("csv", "json"):
            content = client.get("/api/estate/export", {"what": what, "as": form}).content
            rows = importing.read_rows(content, what)
            checked = importing.dry_run(what, rows)
            assert [row.errors for row in checked if row.errors] == []
            done = importing.run(what, rows, None, NOW)
            assert done["failed"] == [] and len(done["made"]) == len(rows)
    assert (
        list(Dependency.objects.values_list("ends", "strength", "group").order_by("ends")) == before
    )
    assert {one.key: actions.facts_of(one) for one in ConfigItem.objects.all()} == facts


def test_an_import_says_row_by_row_what_is_wrong_and_is_taken_back(
    person: Callable[[str], Any],
) -> None:
    file = (
        "key,name,kind,ports,place\n"
        "sw-9,Switch 9,switch,24,Saltgate\n"
        "sw-10,Switch 10,switch,lots,Saltgate\n"
        "core-switch-a,Core switch A,switch,96,Saltgate\n"
        ",,switch,1,Saltgate\n"
    )
    rows = importing.read_rows(file.encode(), "items")
    checked = importing.dry_run("items", rows)
    assert [row.does for row in checked[:3]] == ["new item", "new item", "changes"]
    assert [bool(row.errors) for row in checked] == [False, True, False, True]
    done = importing.run("items", rows, person("Anneke"), NOW)
    assert [one["line"] for one in done["failed"]] == [3, 5]
    assert item("Core switch A").attributes["ports"] == 96
    undone = importing.undo("items", done["made"], person("Anneke"), NOW)
    assert undone == {"done": 2, "kept": []}
    assert item("Core switch A").attributes["ports"] == 24
    assert not ConfigItem.objects.filter(key="sw-9").exists()


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ("core-switch-a,nothing-here,hard,", "there is no nothing-here"),
        ("core-switch-a,server-room,rather,", "strength is"),
        ("core-switch-a,cooling,redundant,", "needs its group"),
        ("core-switch-a,core-switch-a,hard,", "stands on itself"),
        ("service nowhere,cooling,hard,", "there is no service nowhere"),
    ],
)
def test_a_dependency_that_cannot_be_is_named_before_anything_is_done(row: str, says: str) -> None:
    rows = importing.read_rows(f"thing,stands on,strength,group\n{row}\n".encode(), "dependencies")
    (checked,) = importing.dry_run("dependencies", rows)
    assert any(says in error for error in checked.errors)


def test_dependencies_that_an_import_changed_are_as_before_when_it_is_undone() -> None:
    file = (
        "thing,stands on,strength,group\n"
        "pay-system,time-server,soft,\n"
        "service payroll,pay-system,soft,\n"
    )
    rows = importing.read_rows(file.encode(), "dependencies")
    done = importing.run("dependencies", rows, None, NOW)
    assert actions.dependency(node("Payroll"), node("Pay system")).strength == "soft"  # type: ignore[union-attr]
    assert importing.undo("dependencies", done["made"], None, NOW)["kept"] == []
    assert actions.dependency(node("Pay system"), node("Time server")) is None
    assert actions.dependency(node("Payroll"), node("Pay system")).strength == "hard"  # type: ignore[union-attr]


@pytest.mark.parametrize(
    "content", [b'{"items": 3}', b"[1]", b"{", b'[{"colour": 1}]', b'{"things": []}']
)
def test_json_that_is_no_list_of_items_is_refused(
    api: Callable[[str], Any], content: bytes
) -> None:
    file = SimpleUploadedFile("items.json", content)
    got = api("Anneke").post("/api/imports", {"kind": "items", "file": file})
    assert got.status_code in (400, 422)
    assert got.json()["detail"]
