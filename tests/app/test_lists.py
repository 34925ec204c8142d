"""Lists: any order page by page, columns, groups, words, views, files – held to plain Python."""

import json
import random
from collections.abc import Callable
from dataclasses import replace
from datetime import timedelta
from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gannet.demo.history import History
from gannet.people.models import Person, Team
from gannet.rulebook.book import current
from gannet.tickets import actions, listing, search
from gannet.tickets.actions import views
from gannet.tickets.list_fields import list_registry
from gannet.tickets.listed import Listed, context_of, filtered
from gannet.tickets.models import Follower, Mark, MoveCode, StateCode, TeamView, Ticket
from gannet.tickets.policies import Sight
from gannet.tickets.setting import set_tags
from gannet.web.errors import Invalid, Missing, Refused
from gannet_core.conditions import Context, has_words, words_of
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Move
from gannet_core.turn import Standing, turn_key, turn_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


@pytest.fixture
def many(northmere: None) -> None:
    History(current(), seconds_of(NOW), seed=8, tickets=130).write(lambda *_: None)
    rng = random.Random(2)
    for ticket in Ticket.objects.all():
        ticket.service = rng.choice([ticket.service, None])
        ticket.save()


SORTS = [
    "turn",
    "due",
    "opened",
    "number",
    "service",
    "holder",
    "priority",
    "resolved",
    "title",
    "cause in words",
    "follower",
]


def all_tickets(*only: Ticket) -> Listed:
    """Every ticket as a member of all teams sees them, or some of them."""
    teams = tuple(Team.objects.values_list("pk", flat=True))
    tree = {"field": "number", "op": "is one of", "value": [ticket.pk for ticket in only]}
    sight = Sight(person=0, teams=teams, is_active=True, reads_desk=True)
    return Listed(sight, tree if only else None, Context(now=NOW))


@pytest.fixture
def at_work(many: None) -> None:
    """Every second of them is open, and stands in one of the ways in which one can."""
    rng, now_s, keys = random.Random(5), seconds_of(NOW), current().calendar_keys
    signe = Person.objects.get(name="Signe Hallam")
    teams = list(signe.memberships.values_list("team_id", flat=True))
    for number in Ticket.objects.order_by("pk").values_list("pk", flat=True)[::2]:
        rank = now_s + rng.randint(-30_000, 200_000)
        waits = rng.random() < 0.3
        Ticket.objects.filter(pk=number).update(
            is_open=True, state=StateCode.WAITING if waits else StateCode.NEW,
            move=rng.choice([MoveCode.REQUESTER, MoveCode.SCHEDULED]) if waits else MoveCode.OURS,
            rank_s=rank, late_from_s=rng.choice([rank, rank, None]), priority=rng.randint(1, 4),
            calendar=rng.choice([*keys, ""]), holder=rng.choice([signe, None]), team=rng.choice(teams),
            closed_s=None, resolved_s=None,
        )  # fmt: skip


def standing_of(ticket: Ticket, now_s: int) -> Standing:
    book = current()
    is_closed = book.has_calendar(ticket.calendar) and not book.calendar(ticket.calendar).is_open_s(
        now_s
    )
    return Standing(
        number=ticket.pk, move=Move(MoveCode(ticket.move).label), priority=ticket.priority,
        late_from_s=ticket.late_from_s, rank_s=ticket.rank_s, is_in_hours=not is_closed,
    )  # fmt: skip


@pytest.mark.parametrize("hour", [10, 22], ids=["in hours", "at night"])
def test_the_order_of_work_is_the_cores_and_goes_on_page_by_page(at_work: None, hour: int) -> None:
    now = NOW.replace(hour=hour)
    now_s = seconds_of(now)
    tickets = list(Ticket.objects.all())
    wanted = sorted(tickets, key=lambda one: turn_key(standing_of(one, now_s), now_s))
    seen: list[dict[str, Any]] = []
    cursor: str | None = ""
    at = now
    while cursor is not None:
        everything = replace(all_tickets(), context=Context(now=at))
        page = listing.page(everything, "", cursor=cursor)
        seen, cursor = seen + page.rows, page.next_cursor
        at += timedelta(hours=3)  # a list goes on as it was begun, however long one reads
    assert [row["id"] for row in seen] == [ticket.pk for ticket in wanted]
    sections = {one.pk: turn_of(standing_of(one, now_s), now_s) for one in tickets}
    assert len(set(sections.values())) >= 4, "the data have every kind"
    for row in seen:
        assert row["turn"] == sections[row["id"]].name.lower().replace("_", " ")


def test_a_filter_of_open_work_asks_nothing_of_what_ended(at_work: None) -> None:
    is_open = {"all": [{"field": "open", "op": "is", "value": True}]}
    only = replace(all_tickets(), tree=is_open)
    for _ in range(3):  # until it is known how it is read
        listing.page(only, "turn")
    with CaptureQueriesContext(connection) as asked:
        page = listing.page(only, "turn")
    assert page.rows and all(row["turn"] != "ended" for row in page.rows)
    assert sum("tickets_ticket" in query["sql"] for query in asked) == 1


def test_lookout_queue_and_api_have_one_order(at_work: None, api: Any, person: Any) -> None:
    signe = api("Signe")
    shown = signe.get("/api/lookout").json()
    rows = [*shown["ours"], *shown["others"]]
    of_them = {"field": "number", "op": "is one of", "value": [row["id"] for row in rows]}
    listed = signe.get("/api/tickets", {"filter": json.dumps(of_them)}).json()["rows"]
    assert [row["id"] for row in listed] == [row["id"] for row in rows][:50]
    assert [row["turn"] for row in listed] == [row["turn"] for row in rows][:50]


def test_fifty_fields_and_more_can_be_asked_for(northmere: None) -> None:
    assert len(list_registry()) >= 50


def test_every_order_pages_through_every_ticket_once(many: None) -> None:
    everything = set(Ticket.objects.values_list("pk", flat=True))

    @given(st.lists(st.sampled_from(SORTS), min_size=1, max_size=3, unique=True), st.data())
    @settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))
    def pages(names: list[str], data: st.DataObject) -> None:
        turned = [data.draw(st.booleans()) for _ in names]
        sort = ",".join(f"-{n}" if t else n for n, t in zip(names, turned, strict=True))
        seen: list[int] = []
        cursor: str | None = ""
        while cursor is not None:
            page = listing.page(all_tickets(), sort, cursor=cursor)
            seen += [row["id"] for row in page.rows]
            cursor = page.next_cursor
        assert len(seen) == len(set(seen)), "no ticket twice"
        assert set(seen) == everything, "and none left out"
        keys = {row["pk"]: row for row in Ticket.objects.values("pk", "service__name", "opened_s")}
        if sort == "opened":
            assert [keys[n]["opened_s"] for n in seen] == sorted(keys[n]["opened_s"] for n in seen)
        if names == ["service"]:
            shown = [keys[n]["service__name"] for n in seen]
            filled = [name for name in shown if name is not None]
            assert shown[: len(filled)] == filled, "nothing comes last, either way"
            assert filled == sorted(filled, reverse=turned[0])

    pages()


@pytest.mark.parametrize(
    ("sort", "columns", "cursor"),
    [
        ("nonsense", "", ""),
        ("words", "", ""),
        ("due,opened,number,title,service,team", "", ""),
        ("due", "nonsense", ""),
        ("due", "words", ""),
        ("due", "", "not base64 at all!"),
        ("due,opened", "", "W1sxXSwgMV0="),
    ],
)
def test_what_no_list_can_do_is_refused(
    northmere: None, sort: str, columns: str, cursor: str
) -> None:
    with pytest.raises(Invalid):
        listing.page(all_tickets(), sort, listing.columns_of(columns), cursor)


def test_groups_count_what_the_list_has(many: None) -> None:
    groups = listing.groups(all_tickets(), "service")
    plain: dict[Any, int] = {}
    for ticket in Ticket.objects.select_related("service"):
        name = ticket.service.name if ticket.service else None
        plain[name] = plain.get(name, 0) + 1
    assert {group["value"]: group["count"] for group in groups} == plain
    states = {group["value"] for group in listing.groups(all_tickets(), "state")}
    assert states <= {"new", "in progress", "waiting", "resolved", "closed", "cancelled"}


def test_tags_are_a_column_an_order_and_a_group_as_they_were_written(many: None) -> None:
    first, other, *_ = Ticket.objects.order_by("pk")
    set_tags(first, ["Vital", "Ships"])
    first.save()
    set_tags(other, ["vital"])
    other.save()
    both = all_tickets(first, other)
    rows = listing.page(both, "tags", ["tags"]).rows
    assert [row["cells"]["tags"] for row in rows] == ["vital", "Vital, Ships"]
    found = {group["value"]: group["count"] for group in listing.groups(all_tickets(), "tags")}
    assert found["Vital, Ships"] == found["vital"] == 1


def test_several_people_of_a_ticket_are_a_column_an_order_and_a_group(many: None) -> None:
    one, two, three, four, *_ = Ticket.objects.order_by("pk")
    Follower.objects.all().delete()
    people = {p.name: p for p in Person.objects.filter(name__in=["Signe Hallam", "Marit Osei"])}
    assert len(people) == 2
    for ticket, names in ((one, ["Signe Hallam", "Marit Osei"]), (two, ["Marit Osei"])):
        for name in names:
            Follower.objects.create(ticket=ticket, person=people[name])
    Follower.objects.create(ticket=four, person=people["Marit Osei"])
    some = all_tickets(one, two, three, four)
    rows = listing.page(some, "follower", ["follower"]).rows
    assert [row["cells"]["follower"] for row in rows] == [
        "Marit Osei",
        "Marit Osei",
        "Marit Osei, Signe Hallam",
        None,
    ]
    groups = listing.groups(some, "follower")
    assert groups == [
        {"value": "Marit Osei", "count": 2},
        {"value": "Marit Osei, Signe Hallam", "count": 1},
        {"value": None, "count": 1},
    ]


TEXTS = ["Straße am Kai", "naïve Café", "gate-3 blank", "票 42", "", "…—", "O'Neill's e-mail"]


@given(st.sampled_from(TEXTS), st.text(max_size=12))
def test_words_find_their_beginnings_without_accents(text: str, wanted: str) -> None:
    pieces = words_of(wanted)
    expected = bool(pieces) and all(
        any(word.startswith(piece) for word in words_of(text)) for piece in pieces
    )
    assert has_words(text, wanted) is expected


@pytest.mark.parametrize(
    ("wanted", "found"),
    [
        ("strasse", True),
        ("STRA", True),
        ("cafe", True),
        ("kai cafe", True),
        ("kai tea", False),
        ('"; DROP TABLE', False),
        ("NEAR(kai", False),
        ("*", False),
    ],
)
def test_words_are_searched_and_never_run(
    northmere: None, log: Callable[..., Any], by: Callable[..., Any], wanted: str, found: bool
) -> None:
    ticket = log("Maeve", "Boarding gates", title="Straße am Kai")
    actions.note(ticket.pk, by("Signe"), "Seen at the café.")
    numbers = {number for number, _ in search.ranked(wanted, 10)}
    assert (ticket.pk in numbers) is found
    tree = {"field": "words", "op": "has words", "value": wanted}
    shown = filtered(by("Signe").person, tree, NOW)
    assert shown.filter(pk=ticket.pk).exists() is found


def test_both_readings_of_fields_that_only_lists_have_agree(
    northmere: None, log: Callable[..., Any], by: Callable[..., Any], person: Callable[..., Any]
) -> None:
    tickets = [log("Maeve", "Boarding gates", title=f"Gate {n} is blank") for n in range(4)]
    signe, marit = person("Signe"), person("Marit")
    Follower.objects.create(ticket=tickets[0], person=signe)
    Mark.objects.create(ticket=tickets[1], person=signe, made_s=0)
    Mark.objects.create(ticket=tickets[1], person=marit, made_s=0)
    actions.add_task(tickets[2].pk, by("Signe"), {"title": "Look", "person": signe.pk})
    for name in ("follower", "marked by", "task holder", "approver", "words"):
        field = list_registry()[name]
        for op, value in (
            ("is me", None), ("is", signe.name), ("is not", signe.name), ("is empty", None),
            ("is filled", None), ("is one of", [marit.name]), ("contains", "sig"),
            ("has words", "blank 2"),
        ):  # fmt: skip
            if (op == "has words") is not (name == "words"):
                continue
            leaf = {"field": name, "op": op, "value": value}
            shown = set(filtered(signe, leaf, NOW).values_list("pk", flat=True))
            from gannet_core.conditions import evaluate

            context = context_of(signe, NOW)
            records = {t.pk: {name: field.read(t)} for t in Ticket.objects.all()}
            plain = {n for n, r in records.items() if evaluate(leaf, r, context=context).result}
            assert shown == plain, leaf


def body(**more: Any) -> dict[str, Any]:
    return {"filter": {"all": []}, "sort": "due", **more}


def test_a_view_is_its_owners_and_those_it_is_shared_with(
    northmere: None, person: Callable[[str], Any]
) -> None:
    signe, joss, marit = person("Signe"), person("Joss"), person("Marit")
    team = signe.memberships.get().team
    shared: dict[str, Any] = {"people": [], "is_pinned": True}
    view = views.keep_view(signe, NOW, name="Mine", body=body(), teams=[], **shared)
    assert not views.visible_views(joss).filter(pk=view.pk).exists()
    with pytest.raises(Missing):
        views.pin(joss, view.pk, is_pinned=True)
    views.keep_view(
        signe, NOW, name="Mine", body=body(), teams=[team.pk], view_id=view.pk, **shared
    )
    assert views.visible_views(marit).filter(pk=view.pk).exists()
    with pytest.raises(Refused):
        views.keep_view(marit, NOW, name="Hers", body=body(), teams=[], view_id=view.pk, **shared)
    with pytest.raises(Refused):
        views.set_team_default(signe, view.pk, team.pk, is_default=True)
    views.set_team_default(marit, view.pk, team.pk, is_default=True)
    assert TeamView.objects.get(team=team).view == view


@pytest.mark.parametrize(
    "wrong",
    [
        {"filter": {"field": "nothing", "op": "is", "value": 1}},
        {"sort": "nonsense"},
        {"columns": ["nonsense"]},
        {"group": "nonsense"},
    ],
)
def test_a_view_that_could_not_be_shown_is_refused(
    northmere: None, person: Callable[[str], Any], wrong: dict[str, Any]
) -> None:
    with pytest.raises(Invalid):
        views.keep_view(
            person("Signe"), NOW, name="x", body=body(**wrong), people=[], teams=[], is_pinned=False
        )


def test_what_others_change_is_told_row_by_row(
    northmere: None, log: Callable[..., Any], by: Callable[..., Any], client: Any,
    person: Callable[[str], Any],
) -> None:  # fmt: skip
    mine, other = log("Maeve", "Boarding gates"), log("Maeve", "Boarding gates")
    actions.resolve(other.pk, by("Signe"), "It is done.")
    client.force_login(person("Signe"), backend="gannet.people.signing.SignedInPeople")
    only_open = '{"all":[{"field":"open","op":"is","value":true}]}'
    asked = {"filter": only_open, "ids": f"{mine.pk},{other.pk},999999,x"}
    answer = client.get("/api/tickets/touched", asked).json()
    assert {row["id"] for row in answer["rows"]} == {mine.pk, other.pk}
    assert answer["fits"] == [mine.pk]


def test_where_a_word_is_common_titles_and_the_newest_come_first(
    log: Any, by: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    titled = [log("Maeve", "Boarding gates", title=f"gate walrus {n}").pk for n in range(4)]
    said = log("Maeve", "Boarding gates", title="something else").pk
    actions.note(said, by("Signe"), "a walrus at the gate, walrus, walrus")
    begun = log("Maeve", "Boarding gates", title="walruses at a gate").pk
    weighed = [number for number, _ in search.ranked("walrus", 50)]
    assert set(weighed) == {*titled, said, begun}
    monkeypatch.setattr(search, "COMMON", 3)
    newest = [number for number, _ in search.ranked("walrus gate", 50)]
    assert newest == [*reversed(titled), said, begun]
    scores = [score for _, score in search.ranked("walrus", 50)]
    assert scores == sorted(scores, reverse=True)
    assert [number for number, _ in search.ranked("walrus gate", 50, any_word=True)] == newest
    # A rare word beside common ones decides.
    other = log("Maeve", "Boarding gates", title="gate narwhal").pk
    assert [n for n, _ in search.ranked("gate narwhal", 50, any_word=True)] == [other]
    assert len(search.ranked("walrus", 2)) == 2
    assert search.ranked("unheard", 5) == search.ranked("", 5) == []


def test_hits_show_where_the_words_stand_to_those_who_may_see_them(
    api: Any, log: Any, by: Any
) -> None:
    ticket, secret = log("Maeve", "Boarding gates"), log("Maeve", "Safe computing")
    for one in (ticket, secret):
        words = "The scanner of lane four blinks when it rains."
        actions.requester_writes(one.pk, by("Maeve"), words)
    Ticket.objects.filter(pk=secret.pk).update(is_confidential=1)
    path = f"/api/excerpts?ids={ticket.pk},{secret.pk},999999,x&q=SCAN%20rains"
    (found,) = api("Joss").get(path).json()
    assert found["id"] == ticket.pk
    assert [one["text"] for one in found["pieces"] if one["is_hit"]] == ["scanner", "rains"]
    assert api("Signe").get(f"/api/excerpts?ids={ticket.pk}&q=zebra").json() == []
    assert api("Maeve").get(path).status_code == 403


def test_the_next_escalation_says_whom_it_reaches(api: Any, log: Any) -> None:
    ticket = log("Maeve", "Boarding gates", who="team", work="no")
    listed = api("Signe").get("/api/tickets?columns=next%20step").json()
    cells = next(row["cells"] for row in listed["rows"] if row["id"] == ticket.pk)
    assert isinstance(cells["next step"], int)
    assert "tell the team" in cells["next step does"]
