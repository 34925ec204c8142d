"""Rules for articles: which run, in which order, why not; and which cannot be kept."""

from copy import deepcopy
from datetime import date
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core import article_rules as core
from gannet_core.checks_articles import article_rules as checks
from gannet_core.errors import GannetError, RuleError
from gannet_core.findings import World
from gannet_core.rulebook import empty
from gannet_core.uses import used_by

ARTICLE = {
    "title": "Wipe the gate", "kind": "how to", "category": "Boarding", "service": "Boarding gates",
    "owner": "Marit Osei", "for": "everybody", "language": "en", "version": 3, "helped": 4,
    "not helped": 3, "why": "The cloth is gone.",
}  # fmt: skip
TELL = {"do": "notify", "who": ["owner"], "text": "“{title}” did not help {reader}: {why}"}


def rule(key: str = "one", **more: Any) -> dict[str, Any]:
    return {
        "key": key, "name": key.title(), "when": ["disputed"], "if": {"all": []},
        "then": [deepcopy(TELL)], **more,
    }  # fmt: skip


def leaf(field: str, op: str, value: Any) -> dict[str, Any]:
    return {"field": field, "op": op, "value": value}


def ran(rules: list[dict[str, Any]], moment: str = "disputed") -> list[tuple[str, bool]]:
    return [(one.key, one.matched) for one in core.run(rules, moment, ARTICLE)]


@pytest.mark.parametrize(
    ("condition", "holds"),
    [
        (leaf("kind", "is", "how to"), True),
        (leaf("kind", "is one of", ["question", "known error"]), False),
        (leaf("service", "is", "boarding GATES"), True),
        (leaf("not helped", ">=", 3), True),
        (leaf("helped", "<", 4), False),
        (leaf("why", "contains", "cloth"), True),
        (leaf("for", "is not", "the desk"), True),
        ({"all": [leaf("version", ">", 2), {"not": leaf("language", "is", "nl")}]}, True),
    ],
)
def test_a_rule_runs_where_its_condition_is_true(condition: Any, holds: bool) -> None:
    (found,) = core.run([rule(**{"if": condition})], "disputed", ARTICLE)
    assert found.matched is holds and found.because
    assert bool(found.actions) is holds


def test_only_rules_that_wait_for_the_moment_and_are_on_run_in_their_order() -> None:
    rules = [
        rule("off", is_on=False),
        rule("other", when=["published"]),
        rule("no", **{"if": leaf("kind", "is", "question")}),
        rule("yes", when=["published", "disputed"]),
        rule("last", stop=True),
        rule("never"),
    ]
    assert ran(rules) == [("no", False), ("yes", True), ("last", True)]
    assert ran(rules, "published") == [("other", True), ("yes", True)]
    assert ran(rules, "retired") == []


def test_what_did_not_match_stops_nothing() -> None:
    stopping = rule("stop", stop=True, **{"if": leaf("kind", "is", "question")})
    assert ran([stopping, rule("next")]) == [("stop", False), ("next", True)]


def test_a_moment_that_is_none_is_an_error() -> None:
    with pytest.raises(RuleError, match="created"):
        core.run([], "created", ARTICLE)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"when": []}, "at least one moment"),
        ({"when": ["created"]}, "“created” is not one of"),
        ({"if": leaf("priority", "is", "P1")}, "priority"),
        ({"if": leaf("kind", "resembles", "how to")}, "resembles"),
        ({"then": []}, "at least one thing"),
        ({"then": [{"do": "tag", "tags": ["x"]}]}, "not something a rule for articles can do"),
        ({"then": [{"do": "notify", "who": [], "text": "x"}]}, "Action 1: choose whom to tell"),
        ({"then": [TELL, {**TELL, "text": ""}]}, "Action 2: write what they are told"),
        ({"then": [{**TELL, "text": "{titel} {number}"}]}, "nothing stands for {titel}"),
        ({"then": [{"do": "webhook", "hook": ""}]}, "choose a webhook"),
        ({"then": [{"do": "review"}]}, "in how many days"),
        ({"then": [{"do": "review", "days": 0}]}, "between 1 and 365"),
        ({"then": [{"do": "review", "days": True}]}, "between 1 and 365"),
        ({"then": [{"do": "review", "days": 400}]}, "between 1 and 365"),
        ({"then": [{"do": "review", "days": "7"}]}, "between 1 and 365"),
    ],
)
def test_a_rule_that_cannot_run_says_where(change: dict[str, Any], says: str) -> None:
    with pytest.raises(GannetError) as caught:
        core.check_rule(rule(**change))
    assert says in str(caught.value)


def test_a_good_rule_is_not_refused() -> None:
    core.check_rule(rule(then=[TELL, {"do": "webhook", "hook": "x"}, {"do": "review", "days": 7}]))


@pytest.mark.parametrize(
    ("action", "sentence"),
    [
        (TELL, "tell its owner"),
        ({"do": "notify", "who": ["editors", "Harbour Desk"], "text": "x"},
         "tell the knowledge editors, Harbour Desk"),
        ({"do": "webhook", "hook": "wiki"}, "post it to wiki"),
        ({"do": "review", "days": 1}, "have it reviewed within 1 day"),
        ({"do": "review", "days": 7}, "have it reviewed within 7 days"),
    ],
)  # fmt: skip
def test_an_action_is_said_in_words(action: dict[str, Any], sentence: str) -> None:
    assert core.describe_action(action) == sentence


# --- what the checks say ----------------------------------------------------------------------

WORLD = World(
    fields={}, teams=frozenset({"Harbour Desk"}), people=frozenset({"marit@x.example"}),
    services=frozenset({"Boarding gates"}),
)  # fmt: skip


def found(*rules: dict[str, Any]) -> list[tuple[str, str]]:
    document = {
        **empty(), "article_rules": list(rules), "categories": [{"key": "Boarding"}],
        "hooks": [{"key": "wiki", "name": "Wiki", "url": "https://x.example"}],
    }  # fmt: skip
    return [(one.key, one.says) for one in checks(document, WORLD, date(2026, 11, 30))]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({}, ""),
        ({"then": [{**TELL, "who": ["Harbour Desk", "marit@x.example", "followers"]}]}, ""),
        ({"then": [{**TELL, "who": ["Nobody’s"]}]}, "It tells “Nobody’s”."),
        ({"then": [{**TELL, "who": ["holder"]}]}, "It tells “holder”."),
        ({"then": [{"do": "webhook", "hook": "gone"}]}, "It posts to “gone”."),
        ({"then": [{"do": "webhook", "hook": "wiki"}]}, ""),
        ({"if": leaf("service", "is", "Boarding gates")}, ""),
        ({"if": leaf("service", "is one of", ["Boarding gates", "Gone"])},
         "It asks for the service “Gone”."),
        ({"if": leaf("category", "is", "Gone")}, "It asks for the category “Gone”."),
        ({"if": {"all": [leaf("version", ">", 5), leaf("version", "<", 2)]}}, "It can never run."),
        ({"when": []}, "When: choose at least one moment at which the rule runs."),
    ],
)  # fmt: skip
def test_what_the_checks_find(change: dict[str, Any], says: str) -> None:
    assert [text for _, text in found(rule("mine", **change))] == ([says] if says else [])


def test_a_webhook_says_which_rules_for_articles_post_to_it() -> None:
    posting = rule("mine", then=[{"do": "webhook", "hook": "wiki"}])
    document = {**empty(), "article_rules": [posting]}
    (use,) = used_by(document)["hooks"]["wiki"]
    assert (use.by_section, use.by_key, use.place) == ("article_rules", "mine", "action 1")


# --- properties -------------------------------------------------------------------------------

CONDITIONS = st.one_of(
    st.builds(leaf, st.just("version"), st.sampled_from(["<", ">", "is"]), st.integers(0, 5)),
    st.builds(leaf, st.just("kind"), st.just("is"), st.sampled_from(["how to", "question"])),
    st.just({"all": []}),
)
RULES = st.lists(
    st.builds(
        lambda n, when, tree, on, stop: rule(
            f"r{n}", when=when, is_on=on, stop=stop, **{"if": tree}
        ),
        st.integers(0, 99),
        st.lists(st.sampled_from(core.MOMENTS), min_size=1, max_size=3, unique=True),
        CONDITIONS,
        st.booleans(),
        st.booleans(),
    ),
    max_size=6,
)


@given(RULES, st.sampled_from(core.MOMENTS), st.integers(0, 5))
def test_what_runs_is_what_waits_for_it_up_to_the_first_that_stops(
    rules: list[dict[str, Any]], moment: str, version: int
) -> None:
    article = {**ARTICLE, "version": version}
    rules = [{**one, "key": f"r{place}"} for place, one in enumerate(rules)]
    done = core.run(rules, moment, article)
    waiting = [one for one in rules if one["is_on"] and moment in one["when"]]
    assert [one.key for one in done] == [one["key"] for one in waiting][: len(done)]
    stops = [bool(one.matched and rule["stop"]) for one, rule in zip(done, waiting, strict=False)]
    assert not any(stops[:-1])
    assert len(done) == len(waiting) or stops[-1]
    # Alone, each does what it did among the others: none sees what another did.
    for one, rule in zip(done, waiting, strict=False):
        assert core.run([rule], moment, article) == [one]
