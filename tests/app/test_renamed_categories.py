"""A category that is called otherwise: whatever bears or says the old name follows, in pieces."""

from datetime import timedelta
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gannet.estate.models import Service
from gannet.knowledge.actions import write_article
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.reports.models import KeptReport
from gannet.rulebook import book
from gannet.rulebook.book import current
from gannet.rulebook.models import Edition, Rehearsal
from gannet.tickets.models import Hint, Ticket, View
from gannet.trials import drafts
from gannet.trials.drafts import Change
from gannet.web.errors import Conflict, Invalid
from gannet.worker import renamed
from gannet_core.instants import seconds_of
from gannet_core.renaming import said_anew, taken_back
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
NOW_S = seconds_of(NOW)


@pytest.fixture
def anneke(northmere: None, person: Any) -> Person:
    book.forget()
    return person("Anneke")  # type: ignore[no-any-return]


def names() -> list[str]:
    return [one["key"] for one in current().document["categories"]]


def rename(anneke: Person, old: str, new: str) -> None:
    draft = drafts.begin(anneke, NOW)
    before = next(one for one in draft.document["categories"] if one["key"] == old)
    change = Change(section="categories", key=old, before=before, after={**before, "key": new})
    drafts.rename(anneke, change, NOW)


def publish(anneke: Person, **more: Any) -> Edition:
    edition = drafts.publish(anneke, "Named anew.", NOW, **more)
    book.forget()
    return edition


def kept(log: Any, lead: Acting, category: str) -> dict[str, Any]:
    """One of everything that bears or says the name of a category."""
    ticket = log("Ines", "Boarding gates")
    Ticket.objects.filter(pk=ticket.pk).update(category=category)
    article = write_article(lead, {"title": "One", "body": "x", "category": category})
    leaf = {"field": "category", "op": "is one of", "value": [category, "Another"]}
    words = {"field": "title", "op": "contains", "value": category}
    view = View.objects.create(
        owner=lead.person, name="Mine", body={"filter": {"all": [leaf, words]}}, kept_at=NOW
    )
    of_article = {"field": "article.category", "op": "is", "value": category}
    report = KeptReport.objects.create(
        owner=lead.person,
        name="Mine",
        definition={"where": of_article},
        made_s=NOW_S,
        changed_s=NOW_S,
    )
    hint = Hint.objects.create(category=category, text="Look.", kept_by=lead.person, kept_at=NOW)
    return {"ticket": ticket, "article": article, "view": view, "report": report, "hint": hint}


def said(rows: dict[str, Any]) -> dict[str, Any]:
    for row in rows.values():
        row.refresh_from_db()
    return {
        "ticket": rows["ticket"].category,
        "article": rows["article"].category,
        "hint": rows["hint"].category,
        "view": rows["view"].body["filter"]["all"][0]["value"],
        "title": rows["view"].body["filter"]["all"][1]["value"],
        "report": rows["report"].definition["where"]["value"],
    }


def all_called(name: str, title: str) -> dict[str, Any]:
    return {
        "ticket": name, "article": name, "hint": name, "view": [name, "Another"],
        "title": title, "report": name,
    }  # fmt: skip


@pytest.fixture
def lead(northmere: None, person: Any) -> Acting:
    return Acting(person=person("Marit"), now=NOW)


def test_everything_that_says_it_follows_and_words_of_people_stay(
    anneke: Person, lead: Acting, log: Any
) -> None:
    old = names()[0]
    rows = kept(log, lead, old)
    Service.objects.filter(name="Boarding gates").update(category=old)
    rename(anneke, old, "Gates, readers")
    assert renamed.follow(NOW_S) == 0, "nothing counts before it is published"
    edition = publish(anneke)
    assert edition.renames == [["categories", old, "Gates, readers"]]
    assert renamed.follow(NOW_S) == 4
    assert said(rows) == all_called("Gates, readers", title=old)
    assert Service.objects.get(name="Boarding gates").category == "Gates, readers"
    assert Edition.objects.get(pk=edition.pk).renames_left == 0
    assert renamed.follow(NOW_S) == 0


def test_going_back_to_the_edition_before_takes_the_names_back(
    anneke: Person, lead: Acting, log: Any
) -> None:
    old, number = names()[0], current().number
    rows = kept(log, lead, old)
    rename(anneke, old, "First")
    publish(anneke)
    rename(anneke, "First", "Second")
    publish(anneke)
    renamed.follow(NOW_S)
    assert said(rows)["ticket"] == "Second"
    drafts.go_back(anneke, number, "", NOW)
    book.forget()
    renamed.follow(NOW_S)
    assert said(rows) == all_called(old, title=old)
    assert old in names()


def test_two_names_that_change_places_are_not_thrown_together(
    anneke: Person, lead: Acting, log: Any
) -> None:
    one, two = names()[:2]
    tickets = [log("Ines", "Boarding gates", title=f"Of {name}") for name in (one, two)]
    for ticket, name in zip(tickets, (one, two), strict=True):
        Ticket.objects.filter(pk=ticket.pk).update(category=name)
    for old, new in ((one, "for a moment"), (two, one), ("for a moment", two)):
        rename(anneke, old, new)
    publish(anneke)
    renamed.follow(NOW_S)
    now = [Ticket.objects.get(pk=ticket.pk).category for ticket in tickets]
    assert now == [two, one]


def test_what_was_taken_back_in_the_draft_is_not_followed(
    anneke: Person, lead: Acting, log: Any
) -> None:
    old = names()[0]
    rows = kept(log, lead, old)
    rename(anneke, old, "For nothing")
    drafts.undo(anneke, NOW)
    with pytest.raises((Conflict, Invalid)):
        rename(anneke, old, names()[1])
    rename(anneke, names()[2], "Another name")
    publish(anneke)
    renamed.follow(NOW_S)
    assert said(rows) == all_called(old, title=old)


def test_a_planned_edition_is_followed_when_it_starts(
    anneke: Person, lead: Acting, log: Any
) -> None:
    old = names()[0]
    rows = kept(log, lead, old)
    rename(anneke, old, "From tomorrow")
    publish(anneke, starts_at=NOW + timedelta(days=1))
    assert renamed.follow(NOW_S + 86_399) == 0 and said(rows)["ticket"] == old
    services = Service.objects.filter(category=old).count()
    assert renamed.follow(NOW_S + 86_400) == 3 + services
    assert said(rows)["ticket"] == "From tomorrow"


def test_it_goes_on_in_pieces_and_where_it_was_cut_off(
    anneke: Person, log: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    old = names()[0]
    for number in range(7):
        ticket = log("Ines", "Boarding gates", title=f"Number {number}")
        Ticket.objects.filter(pk=ticket.pk).update(category=old)
    rename(anneke, old, "In pieces")
    edition = publish(anneke)
    monkeypatch.setattr(renamed, "AT_ONCE", 2)
    monkeypatch.setattr(renamed, "PIECES", 2)
    left = []
    for _ in range(6):
        renamed.follow(NOW_S)
        left.append(Ticket.objects.filter(category=old).count())
    assert left[:2] == [3, 0] and left[-1] == 0
    assert Edition.objects.get(pk=edition.pk).renames_left == 0
    assert Ticket.objects.filter(category="In pieces").count() == 7


def test_rehearsals_hold_under_the_new_name(anneke: Person) -> None:
    old = names()[0]
    given_ = {
        "requester": "ines.corrado@northmere.example", "title": "It is dark",
        "service": "Boarding gates", "category": old, "impact": 2, "urgency": 2,
    }  # fmt: skip
    rehearsal = Rehearsal.objects.create(
        name="Under its name", given=given_, at=NOW, expected={}, made_by=anneke, made_at=NOW
    )
    rename(anneke, old, "Dark things")
    publish(anneke)
    assert Rehearsal.objects.get(pk=rehearsal.pk).given["category"] == old
    renamed.follow(NOW_S)
    assert Rehearsal.objects.get(pk=rehearsal.pk).given["category"] == "Dark things"


# --- in the core ------------------------------------------------------------------------------

NAMES = st.sampled_from(["a", "b", "c", "d"])
LEAVES = st.fixed_dictionaries(
    {
        "field": st.sampled_from(["category", "article.category", "title", "category of it"]),
        "op": st.just("is"),
        "value": st.one_of(NAMES, st.lists(NAMES, max_size=3)),
    }
)
TREES = st.recursive(
    LEAVES, lambda inner: st.fixed_dictionaries({"all": st.lists(inner, max_size=3)})
)


@given(TREES, NAMES, st.just("new"))
def test_a_name_and_back_is_what_it_was(tree: Any, old: str, new: str) -> None:
    there = said_anew(tree, "categories", old, new)
    assert said_anew(there, "categories", new, old) == tree
    for leaf in _leaves(there):
        if leaf["field"] in ("category", "article.category"):
            assert old != leaf["value"] and old not in leaf["value"]


def _leaves(tree: Any) -> list[Any]:
    return [leaf for one in tree["all"] for leaf in _leaves(one)] if "all" in tree else [tree]


@settings(suppress_health_check=list(HealthCheck))
@given(st.lists(st.tuples(st.just("categories"), NAMES, NAMES), max_size=6))
def test_taken_back_undoes_in_the_other_order(renames: list[tuple[str, str, str]]) -> None:
    called = {name: name for name in "abcd"}
    done = []
    for section, old, new in renames:
        if new in called.values() or old not in called.values():
            continue
        done.append((section, old, new))
        called = {first: new if now == old else now for first, now in called.items()}
    for _, old, new in taken_back(done):
        called = {first: new if now == old else now for first, now in called.items()}
    assert called == {name: name for name in "abcd"}
