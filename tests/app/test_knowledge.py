"""Knowledge: whom it is for on every path, versions, review, votes, search, and upkeep."""

import io
import zipfile
from datetime import datetime, timedelta
from typing import Any

import pytest
import time_machine
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gannet.knowledge import readers, search
from gannet.knowledge.actions import set_article_state, write_article
from gannet.knowledge.models import Article, ArticleRead, ArticleVersion, ArticleVote, Search
from gannet.messages.models import Notification, Outgoing
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets import actions
from gannet.tickets.models import Ticket
from gannet.upkeep import telling, wants
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
NOW_S = seconds_of(NOW)
DAY = 86_400


@pytest.fixture
def article(northmere: None, person: Any) -> Any:
    """A published article: `article("A gate reads nothing", "Wipe the glass.")`."""

    def made(title: str, body: str = "Wipe the glass.", **more: Any) -> Article:
        lead = Acting(person=person("Marit"), now=NOW - timedelta(days=10))
        given_ = {"title": title, "body": body, "for_everybody": 1, **more}
        row = write_article(lead, given_)
        return set_article_state(lead, row.pk, "published")

    return made


def put(api: Any, who: str, row: Article, path: str = "", **body: Any) -> Any:
    return api(who).put(f"/api/articles/{row.pk}{path}", body, content_type=JSON)


def text(row: Article, body: str, **more: Any) -> dict[str, Any]:
    return {"title": row.title, "body": body, "for_everybody": True, **more}


# --- whom it is for ---------------------------------------------------------------------------


def paths_by_which_it_is_found(api: Any, who: str, row: Article, log: Any) -> set[str]:
    """On which of all paths somebody gets to see an article."""
    found = set()
    word = row.title.split()[-1]
    if api(who).get(f"/api/articles/{row.pk}").status_code == 200:
        found.add("by its number")
    if row.title in api(who).get("/api/portal/offers", {"text": row.title}).content.decode():
        found.add("on the portal")
    if row.title in api(who).get("/api/portal/articles").content.decode():
        found.add("by its subject")
    if row.title in api(who).get("/api/find", {"q": word}).content.decode():
        found.add("in the command bar")
    if row.title in api(who).get("/api/articles", {"q": word}).content.decode():
        found.add("in the desk's search")
    if row.title in api(who).get("/api/portal/articles", {"words": word}).content.decode():
        found.add("by the portal's words")
    if api(who).get(f"/api/articles/{row.pk}/pdf").status_code == 200:
        found.add("as PDF")
    folder = api(who).get("/api/articles/folder")
    if folder.status_code == 200:
        with zipfile.ZipFile(io.BytesIO(folder.content)) as files:
            if any(name.startswith(f"{row.pk}-") for name in files.namelist()):
                found.add("in a folder")
    beside = Article.objects.filter(title__startswith="How to fold").exclude(pk=row.pk).first()
    if beside is not None:
        Article.objects.filter(pk=row.pk).update(original=beside, of_version=1, language="nl")
        if row.title in api(who).get(f"/api/articles/{beside.pk}").content.decode():
            found.add("as a translation")
        Article.objects.filter(pk=row.pk).update(original=None, of_version=None, language="en")
    if any(one.article == row for one in search.search(row.title, find(who), NOW_S)):
        found.add("by words")
    return found


def find(who: str) -> Person:
    return Person.objects.filter(name__startswith=f"{who} ").order_by("pk")[0]


def test_only_its_audience_finds_it_whichever_way(article: Any, api: Any, log: Any) -> None:
    ines = find("Ines")
    desk_only = article("What the vault code is zanzibar", for_everybody=0)
    theirs = article(
        "Where keys hang quebec", for_everybody=2,
        audience=[{"kind": "department", "name": ines.department}],
    )  # fmt: skip
    elsewhere = article(
        "Where oars hang uniform", for_everybody=2,
        audience=[{"kind": "place", "name": "Nowhere"}, {"kind": "role", "name": "manager"}],
    )  # fmt: skip
    for_all = article("How to fold sails victor")
    assert paths_by_which_it_is_found(api, "Ines", desk_only, log) == set()
    assert paths_by_which_it_is_found(api, "Ines", elsewhere, log) == set()
    open_to = {
        "by its number", "on the portal", "by its subject", "by words", "by the portal's words",
        "as PDF",
    }  # fmt: skip
    assert paths_by_which_it_is_found(api, "Ines", theirs, log) == open_to | {"as a translation"}
    assert paths_by_which_it_is_found(api, "Ines", for_all, log) == open_to
    for row in (desk_only, theirs, elsewhere, for_all):
        assert paths_by_which_it_is_found(api, "Signe", row, log) >= open_to | {"in a folder"}
    # A manager who does not work on the desk reads what is for managers.
    assert "by its number" in paths_by_which_it_is_found(api, "Tomas", elsewhere, log)
    assert paths_by_which_it_is_found(api, "Tomas", desk_only, log) == set()


@pytest.mark.parametrize("state", ["draft", "in review", "retired"])
def test_nobody_but_the_desk_finds_what_is_not_published(
    article: Any, api: Any, log: Any, state: str
) -> None:
    row = article("How to fold sails victor")
    assert put(api, "Marit", row, "/state", state=state).status_code in (200, 422)
    Article.objects.filter(pk=row.pk).update(state=state)
    assert paths_by_which_it_is_found(api, "Ines", row, log) == set()


@settings(
    max_examples=25, deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)  # fmt: skip
@given(
    whom=st.sampled_from([0, 1, 2]),
    kinds=st.lists(
        st.tuples(
            st.sampled_from(["department", "place", "role"]),
            st.sampled_from(["Bookings", "Orrin Bay", "manager", "requester", "Nowhere"]),
        ),
        min_size=1, max_size=3, unique=True,
    ),
    state=st.sampled_from(["draft", "in review", "published", "retired"]),
    words=st.sampled_from(["sails", "sials", "fold sails", "canvas"]),
)  # fmt: skip
def test_nobody_ever_finds_what_is_not_for_them(
    northmere: None, whom: int, kinds: Any, state: str, words: str
) -> None:
    """Whatever the audience, the state and the words: found is a part of what may be read."""
    lead = Acting(person=find("Marit"), now=NOW)
    audience = [{"kind": kind, "name": name} for kind, name in kinds]
    row = write_article(
        lead,
        {"title": "How to fold sails", "body": "Canvas first.", "for_everybody": whom,
         "audience": audience if whom == 2 else None},
    )  # fmt: skip
    Article.objects.filter(pk=row.pk).update(state=state)
    for reader in Person.objects.order_by("pk")[:12]:
        on_desk = search.reads_drafts(reader)
        its = {("department", reader.department), ("place", reader.place)}
        its |= {("role", role) for role in reader.roles}
        may = on_desk or (
            state == "published" and (whom == 1 or (whom == 2 and bool(its & set(kinds))))
        )
        found = [one.article.pk for one in search.search(words, reader, NOW_S)]
        assert (row.pk in found) <= may
        assert search.readable(reader).filter(pk=row.pk).exists() == may
    unknown = search.search(words, None, NOW_S)
    assert (row.pk in [one.article.pk for one in unknown]) <= (state == "published" and whom == 1)


# --- written, published, gone back ------------------------------------------------------------


def test_readers_see_a_version_only_when_it_is_published(article: Any, api: Any) -> None:
    row = article("A gate reads nothing", "Wipe the glass.")
    got = put(api, "Marit", row, **text(row, "Hold restart for five seconds.", note="shorter"))
    assert got.status_code == 200, got.json()
    assert (got.json()["version"], got.json()["newest"]) == (1, 2)
    assert got.json()["draft_body"] == "Hold restart for five seconds."
    seen = api("Ines").get(f"/api/articles/{row.pk}").json()
    assert (seen["body"], seen["draft_body"]) == ("Wipe the glass.", "Wipe the glass.")
    assert search.search("restart", find("Ines"), NOW_S) == []
    put(api, "Marit", row, "/state", state="published")
    assert api("Ines").get(f"/api/articles/{row.pk}").json()["body"].startswith("Hold restart")
    assert [one.article.pk for one in search.search("restart", find("Ines"), NOW_S)] == [row.pk]
    life = api("Marit").get(f"/api/articles/{row.pk}/life").json()["versions"]
    assert [(one["number"], one["note"]) for one in life] == [(2, "shorter"), (1, "")]
    assert life[0]["changed"] == [
        {"how": "gone", "text": "Wipe the glass."},
        {"how": "new", "text": "Hold restart for five seconds."},
    ]
    back = api("Marit").post(f"/api/articles/{row.pk}/versions/1")
    assert (back.json()["body"], back.json()["version"]) == ("Wipe the glass.", 3)
    assert ArticleVersion.objects.filter(article=row).count() == 3


def test_two_editors_lose_nothing(article: Any, api: Any) -> None:
    row = article("A gate reads nothing")
    mine = text(row, "Mine.", base=1)
    assert put(api, "Marit", row, **text(row, "Theirs.", base=1)).status_code == 200
    refused = put(api, "Anneke", row, **mine)
    assert refused.status_code in (403, 409)
    refused = put(api, "Marit", row, **mine)
    assert refused.status_code == 409
    assert refused.json()["current"] == {"title": row.title, "body": "Theirs.", "version": 2}
    assert put(api, "Marit", row, **{**mine, "base": 2}).json()["draft_body"] == "Mine."
    bodies = ArticleVersion.objects.filter(article=row).values_list("body", flat=True)
    assert set(bodies) == {"Wipe the glass.", "Theirs.", "Mine."}


def test_saving_the_same_again_is_no_new_version(article: Any, api: Any) -> None:
    row = article("A gate reads nothing")
    for _ in range(3):
        assert put(api, "Marit", row, **text(row, "Wipe the glass.")).json()["newest"] == 1


@pytest.mark.parametrize(
    ("who", "state", "expected"),
    [
        ("Signe", "in review", 200), ("Signe", "published", 403), ("Signe", "retired", 403),
        ("Bram", "in review", 403), ("Marit", "published", 200), ("Marit", "retired", 200),
    ],
)  # fmt: skip
def test_authors_ask_and_editors_publish(
    northmere: None, api: Any, person: Any, who: str, state: str, expected: int
) -> None:
    signe = Acting(person=person("Signe"), now=NOW)
    row = write_article(signe, {"title": "Fold sails", "body": "So.", "for_everybody": 0})
    assert put(api, who, row, "/state", state=state).status_code == expected


def test_editors_hear_of_what_waits_for_review_until_it_is_decided(
    northmere: None, api: Any, person: Any
) -> None:
    row = write_article(
        Acting(person=person("Signe"), now=NOW), {"title": "Sails", "body": "x", "for_everybody": 0}
    )

    def told() -> set[str]:
        waiting = Notification.objects.filter(about=f"article:{row.pk}", gone_s=None)
        return set(waiting.values_list("person__name", flat=True))

    put(api, "Signe", row, "/state", state="in review")
    assert "Marit Osei" in told()
    assert "Signe Hallam" not in told()
    assert all(Person.objects.get(name=name).is_on_desk for name in told())
    put(api, "Marit", row, "/state", state="published")
    assert told() == set()


def test_nothing_empty_is_published(northmere: None, api: Any, person: Any) -> None:
    row = write_article(
        Acting(person=person("Marit"), now=NOW), {"title": "Sails", "body": " ", "for_everybody": 1}
    )
    got = put(api, "Marit", row, "/state", state="published")
    assert got.json()["fields"] == {"body": "This is empty."}


@pytest.mark.parametrize(
    "audience",
    [[{"kind": "ship", "name": "Tern"}], [{"kind": "place", "name": ""}], "all", [{"name": "x"}]],
)
def test_an_audience_that_is_none_is_refused(article: Any, api: Any, audience: Any) -> None:
    row = article("A gate reads nothing")
    got = put(api, "Marit", row, **text(row, "x", audience=audience))
    assert got.status_code == 422, got.json()


# --- found ------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "words",
    ["printer ribbon", "pritner ribbon", "printr ribon", "RIBBON", "ribb", "register ribbon"],
)
def test_the_search_forgives_slips_and_knows_the_desks_words(
    article: Any, api: Any, words: str
) -> None:
    row = article("Change the printer ribbon", "Of the till in each office.")
    article("Close the day", "Count the cash.")
    said = {"words": ["Till", "register"]}
    assert (
        api("Anneke").post("/api/articles/same-words", said, content_type=JSON).status_code == 201
    )
    found = search.search(words, find("Ines"), NOW_S)
    assert [one.article.pk for one in found] == [row.pk]
    assert found[0].coverage == 1


def test_what_helps_more_stands_before_what_helps_less(article: Any, person: Any) -> None:
    poor, good = article("Fold the sails"), article("Fold the sails")
    for place, reader in enumerate(Person.objects.order_by("pk")[:10]):
        for row, helped in ((poor, place < 3), (good, place < 9)):
            ArticleVote.objects.create(
                article=row, person=reader, version=1, helped=helped, at_s=NOW_S
            )
    found = search.search("fold sails", find("Ines"), NOW_S)
    assert [one.article.pk for one in found] == [good.pk, poor.pk]
    assert found[0].rank.text == found[1].rank.text == 1


@pytest.mark.parametrize(
    "words", ["", "  ", "the of", "'\"()*", "AND OR NOT", "a" * 500, "\x00", "🦆"]
)
def test_nonsense_finds_nothing_and_breaks_nothing(article: Any, api: Any, words: str) -> None:
    article("Fold the sails")
    assert search.search(words, find("Ines"), NOW_S) == []
    assert api("Signe").get("/api/articles", {"q": words}).status_code in (200, 400)


# --- read, judged, answered -------------------------------------------------------------------


def test_a_reader_judges_and_the_owner_answers(article: Any, api: Any) -> None:
    row = article("A gate reads nothing")
    got = put(api, "Ines", row, "/vote", helped=False, why="Gate 5 has no white light.")
    assert got.json()["my_vote"]["helped"] is False
    assert Notification.objects.filter(person=find("Marit"), about=f"article:{row.pk}").exists()
    note = api("Marit").get(f"/api/articles/{row.pk}/life").json()["notes"][0]
    assert note["why"] == "Gate 5 has no white light."
    assert put(api, "Marit", row, f"/notes/{note['id']}", text="It has, below.").status_code == 204
    assert (
        api("Ines").get(f"/api/articles/{row.pk}").json()["my_vote"]["answer"] == "It has, below."
    )
    assert Notification.objects.filter(person=find("Ines"), about=f"article:{row.pk}").exists()
    # The last word counts, once a version.
    put(api, "Ines", row, "/vote", helped=True)
    assert list(ArticleVote.objects.values_list("helped", "version")) == [(True, 1)]
    put(api, "Marit", row, **text(row, "Another."))
    put(api, "Marit", row, "/state", state="published")
    put(api, "Ines", row, "/vote", helped=True)
    assert ArticleVote.objects.count() == 2


def test_its_owner_does_not_judge_it(article: Any, api: Any) -> None:
    row = article("A gate reads nothing")
    assert put(api, "Marit", row, "/vote", helped=True).status_code == 403
    assert api("Marit").get(f"/api/articles/{row.pk}").json()["may_vote"] is False


def test_reading_is_counted_once_an_hour_and_never_the_owners(article: Any, api: Any) -> None:
    row = article("A gate reads nothing")
    for minutes in (0, 10, 59, 61):
        with time_machine.travel(NOW + timedelta(minutes=minutes), tick=False):
            api("Ines").get(f"/api/articles/{row.pk}", {"found": "1"})
            api("Marit").get(f"/api/articles/{row.pk}")
    assert list(ArticleRead.objects.values_list("person__name", "is_found").order_by("at_s")) == [
        (find("Ines").name, True)
    ] * 2  # fmt: skip


def test_typing_on_is_one_search_and_a_ticket_says_it_was_in_vain(
    northmere: None, api: Any
) -> None:
    for seconds, words in enumerate(("bad", "badge rib", "badge ribbon")):
        with time_machine.travel(NOW + timedelta(seconds=seconds), tick=False):
            api("Ines").get("/api/portal/offers", {"text": words})
    row = Search.objects.get(person=find("Ines"))
    assert (row.words, row.became_ticket) == ("badge ribbon", False)
    body = {"title": "The badge printer has no ribbon", "text": "Please bring one."}
    got = api("Ines").post("/api/portal/report", body, content_type=JSON)
    assert got.status_code == 201, got.json()
    row.refresh_from_db()
    assert row.became_ticket is True


# --- kept true --------------------------------------------------------------------------------


def wanting(row: Article) -> list[str]:
    found = wants.upkeep(NOW_S)["wanting"]
    return [why["what"] for one in found if one["id"] == row.pk for why in one["why"]]


def test_what_wants_a_hand_says_why(article: Any, person: Any) -> None:
    row = article("A gate reads nothing")
    assert wanting(row) == []
    everybody = list(Person.objects.order_by("pk")[:5])
    for place, reader in enumerate(everybody):
        ArticleVote.objects.create(
            article=row, person=reader, version=1, helped=place == 0, at_s=NOW_S
        )
    Article.objects.filter(pk=row.pk).update(review_s=NOW_S - 12 * DAY, made_s=NOW_S - 300 * DAY)
    Person.objects.filter(name="Marit Osei").update(is_active=False)
    assert wanting(row) == ["disputed", "review late", "owner left", "stale"]
    Article.objects.filter(pk=row.pk).update(review_s=NOW_S + 3 * DAY)
    assert "review soon" in wanting(row)
    # What was wrong with an earlier version is not held against the one that is read.
    Article.objects.filter(pk=row.pk).update(version=2, newest=2)
    assert "disputed" not in wanting(row)


def test_a_review_makes_it_fresh_again(article: Any, api: Any) -> None:
    row = article("A gate reads nothing")
    Article.objects.filter(pk=row.pk).update(review_s=NOW_S - 90 * DAY)
    stale = search.search("gate", find("Ines"), NOW_S)[0].rank
    assert stale.fresh == pytest.approx(0.7)
    assert api("Marit").post(f"/api/articles/{row.pk}/reviewed").status_code == 200
    assert search.search("gate", find("Ines"), NOW_S)[0].rank.fresh == 1
    assert wanting(row) == []


def test_what_was_sought_in_vain_and_what_saves(article: Any, api: Any, person: Any) -> None:
    row = article("A gate reads nothing")
    for who in ("Ines", "Maeve"):
        readers.note_search(person(who), "badge ribbon", 0.1, NOW_S - DAY)
    readers.became_ticket(person("Maeve"), NOW_S - DAY + 60)
    for who, days in (("Ines", 3), ("Maeve", 2), ("Piotr", 0)):
        ArticleRead.objects.create(
            article=row, person=person(who), at_s=NOW_S - days * DAY, is_found=True
        )
    found = api("Signe").get("/api/articles/upkeep").json()
    assert found["not_found"] == [{"words": "badge ribbon", "people": 2, "asked": 1}]
    # Piotr read it today: whether that saved a ticket is known tomorrow.
    assert [(one["id"], one["saved"]) for one in found["saved"]] == [(row.pk, 2)]


def test_what_says_much_the_same_is_told(article: Any) -> None:
    one = article("A gate reads nothing", "Wipe the glass with the dry cloth and hold restart")
    other = article("A gate reads nothing now", "Wipe the glass with the dry cloth, hold restart")
    article("Fold the sails", "From the foot upwards, canvas outwards.")
    pairs = [(pair["one"], pair["other"]) for pair in wants.upkeep(NOW_S)["alike"]]
    assert pairs == [(one.pk, other.pk)]


@pytest.mark.parametrize(("minutes", "asked"), [(20, 1), (70, 0), (-5, 0)])
def test_a_ticket_by_any_way_soon_after_a_search_is_one_it_ended_in(
    article: Any, api: Any, log: Any, person: Any, minutes: int, asked: int
) -> None:
    readers.note_search(person("Ines"), "badge ribbon", 0.1, NOW_S - DAY)
    ticket = log("Ines", title="No ribbon for badges", who="me")
    Ticket.objects.filter(pk=ticket.pk).update(opened_s=NOW_S - DAY + minutes * 60)
    found = api("Signe").get("/api/articles/upkeep").json()["not_found"]
    assert found == [{"words": "badge ribbon", "people": 1, "asked": asked}]


# --- owners hear of it ------------------------------------------------------------------------


@pytest.fixture
def fresh_worker(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(telling, "_told", set())


def told_of(row: Article) -> list[Outgoing]:
    return list(Outgoing.objects.filter(event_name=telling.EVENT, body__contains=row.title))


def test_owners_hear_once_a_week_what_wants_a_hand(
    article: Any, fresh_worker: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    late, well = article("How to fold sails victor"), article("How to hoist sails whisky")
    Article.objects.filter(pk=late.pk).update(review_s=NOW_S - DAY)
    monday = telling.week_of(NOW_S)
    assert monday <= NOW_S < monday + 7 * DAY
    assert telling.tell_owners(monday) > 0
    (letter,) = told_of(late)
    assert letter.person == late.owner and letter.to == late.owner.email
    assert "is late for its review" in letter.body
    assert f"/desk/articles/{late.pk}" in letter.body
    assert told_of(well) == []
    # Told again in the same week – by another worker too – it is told once.
    assert telling.tell_owners(monday + 60) == 0
    monkeypatch.setattr(telling, "_told", set())
    assert telling.tell_owners(monday + 120) == 0
    assert len(told_of(late)) == 1
    assert telling.tell_owners(monday + 7 * DAY) > 0
    assert len(told_of(late)) == 2


def test_a_letter_of_monday_is_none_on_thursday(article: Any, fresh_worker: None) -> None:
    row = article("How to fold sails victor")
    Article.objects.filter(pk=row.pk).update(review_s=NOW_S - DAY)
    assert telling.tell_owners(telling.week_of(NOW_S) + 3 * DAY) == 0
    assert told_of(row) == []


def test_a_worker_that_dies_before_the_end_tells_all_the_same(
    article: Any, fresh_worker: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    row = article("How to fold sails victor")
    Article.objects.filter(pk=row.pk).update(review_s=NOW_S - DAY)
    monday, post = telling.week_of(NOW_S), telling.post

    def dies(*given: Any, **more: Any) -> int:
        post(*given, **more)
        raise KeyboardInterrupt

    monkeypatch.setattr(telling, "post", dies)
    with pytest.raises(KeyboardInterrupt):
        telling.tell_owners(monday)
    assert told_of(row) == []
    monkeypatch.setattr(telling, "post", post)
    telling.tell_owners(monday + 5)
    assert len(told_of(row)) == 1


@pytest.mark.parametrize("how", ["left", "wants none", "no address"])
def test_who_cannot_or_will_not_hear_gets_no_letter(
    article: Any, fresh_worker: None, how: str
) -> None:
    row = article("How to fold sails victor")
    Article.objects.filter(pk=row.pk).update(review_s=NOW_S - DAY)
    owner = Person.objects.filter(pk=row.owner_id)
    if how == "left":
        owner.update(is_active=False)
    elif how == "wants none":
        owner.update(preferences={"events": {telling.EVENT: "never"}})
    else:
        owner.update(email="")
    telling.tell_owners(telling.week_of(NOW_S))
    assert told_of(row) == []


@pytest.mark.parametrize(
    ("local", "monday"),
    [
        ("2026-11-23T06:59:59+00:00", "2026-11-16T07:00:00+00:00"),
        ("2026-11-23T07:00:00+00:00", "2026-11-23T07:00:00+00:00"),
        ("2026-11-29T23:00:00+00:00", "2026-11-23T07:00:00+00:00"),
        # In summer the clock is an hour ahead.
        ("2026-07-06T06:00:00+00:00", "2026-07-06T06:00:00+00:00"),
        ("2026-07-06T05:59:59+00:00", "2026-06-29T06:00:00+00:00"),
    ],
)
def test_the_week_begins_on_monday_at_seven(local: str, monday: str) -> None:
    said = [int(datetime.fromisoformat(one).timestamp()) for one in (local, monday)]
    assert telling.week_of(said[0]) == said[1]


# --- from a resolution ------------------------------------------------------------------------


def resolved(api: Any, number: int, **more: Any) -> Any:
    body = {"what": "Told Signe Hallam, wiped the glass.", "drafts_article": True, **more}
    return api("Signe").post(f"/api/tickets/{number}/resolve", body, content_type=JSON)


def test_a_draft_from_a_resolution_names_nobody(log: Any, api: Any, by: Any) -> None:
    ticket = log("Ines", "Boarding gates", title="Gate of Ines Corrado is dark")
    actions.take(ticket.pk, by("Signe"))
    actions.add_task(ticket.pk, by("Signe"), {"title": "Ring Piotr at the quay"})
    task = ticket.tasks.get()
    actions.set_task(ticket.pk, by("Signe"), task.pk, "done")
    actions.follow(ticket.pk, by("Ines"), by("Piotr").person)
    got = resolved(api, ticket.pk, cause="lamp")
    assert got.status_code == 200, got.json()
    article = Article.objects.get(source=ticket.pk)
    for name in ("Ines", "Corrado", "Signe", "Hallam", "Piotr"):
        assert name not in article.title + article.body
    assert article.title == "Gate of [somebody] is dark"
    assert "Since this morning." in article.body  # the account is carried over
    assert "## Why\n\nlamp" in article.body
    assert "Told [somebody], wiped the glass." in article.body
    assert "1. Ring [somebody] at the quay" in article.body
    note = article.versions.get(number=1).note
    assert f"From incident {ticket.pk}" in note and "Ines Corrado" in note
    assert (article.for_everybody, article.state) == (0, "draft")


def test_of_a_confidential_record_no_draft_is_made(log: Any, api: Any, by: Any) -> None:
    ticket = log("Ines", "Boarding gates")
    Ticket.objects.filter(pk=ticket.pk).update(is_confidential=1, holder=by("Signe").person)
    got = resolved(api, ticket.pk)
    assert got.status_code == 403
    assert "confidential" in got.json()["detail"]
    ticket.refresh_from_db()
    assert ticket.is_open  # and nothing is done by halves
    assert not Article.objects.filter(source=ticket.pk).exists()
    assert resolved(api, ticket.pk, drafts_article=False).status_code == 200


def test_words_by_which_people_searched_again_are_suggested_until_they_are_kept(
    northmere: None, api: Any
) -> None:
    for number, person in enumerate(Person.objects.order_by("pk")[:2]):
        for words, best, later in (("telly frozen", 0.2, 0), ("screen frozen", 0.9, 60)):
            Search.objects.create(
                person=person, words=words, said=words, best=best,
                at_s=NOW_S - DAY + number * 900 + later,
            )  # fmt: skip
    shown = api("Marit").get("/api/articles/upkeep").json()
    assert shown["same"] == [{"said": "telly", "meant": "screen", "people": 2}]
    body = {"words": ["telly", "screen"]}
    assert api("Marit").post("/api/articles/same-words", body, content_type=JSON).status_code == 201
    assert api("Marit").get("/api/articles/upkeep").json()["same"] == []


# --- what a change altered, and links that lead nowhere ---------------------------------------


@pytest.mark.parametrize(
    ("text", "outcome", "ended_days_ago", "confidential", "is_told"),
    [
        ("Look at the ITEM first.", "done", 1, 0, True),
        ("Look at the ITEM first.", "with issues", 1, 0, True),
        ("Look at the ITEM first.", "failed", 1, 0, False),
        ("Look at the ITEM first.", "done", 1, 1, False),
        ("Look at the ITEM first.", "done", 11, 0, False),  # written after it
        ("Look at the other one first.", "done", 1, 0, False),
        ("Look at ITEMs first.", "done", 1, 0, False),
    ],
)
def test_articles_that_name_what_a_change_altered_are_told_until_reviewed(
    article: Any, log: Any, api: Any, text: str, outcome: str, ended_days_ago: int,
    confidential: int, is_told: bool,
) -> None:  # fmt: skip
    from gannet.changes.models import ChangeFacts, ChangeItem
    from gannet.estate.models import ConfigItem

    item = ConfigItem.objects.order_by("pk")[0]
    row = article("How it is done", text.replace("ITEM", item.name.upper()))
    change = log("Ines", "Boarding gates")
    Ticket.objects.filter(pk=change.pk).update(kind="change", is_confidential=confidential)
    ended_s = NOW_S - ended_days_ago * DAY
    ChangeFacts.objects.create(ticket=change, outcome=outcome, ended_s=ended_s)
    ChangeItem.objects.create(ticket=change, item=item)

    def whys() -> list[str]:
        found = [one for one in wants.wanting(NOW_S) if one["id"] == row.pk]
        return [
            why["note"] for one in found for why in one["why"] if why["what"] == "altered since"
        ]

    assert whys() == ([f"change {change.pk} altered {item.name}"] if is_told else [])
    with time_machine.travel(NOW, tick=False):
        assert api("Marit").post(f"/api/articles/{row.pk}/reviewed").status_code == 200
    assert whys() == []


def test_a_link_that_leads_its_readers_nowhere_wants_a_hand(article: Any, api: Any) -> None:
    to = article("Where it leads")
    row = article("Where it begins", f"see [it](/articles/{to.pk})")
    desk = article("For us", f"see [it](/articles/{to.pk})", for_everybody=0)

    def wanting() -> set[int]:
        found = wants.wanting(NOW_S)
        return {one["id"] for one in found if any(w["what"] == "lost link" for w in one["why"])}

    assert wanting() == set()
    Article.objects.filter(pk=to.pk).update(for_everybody=0)
    assert wanting() == {row.pk}
    assert put(api, "Marit", to, "/state", state="retired").status_code == 200
    assert wanting() == {row.pk, desk.pk}
