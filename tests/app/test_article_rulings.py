"""What the rulebook's rules for articles do, whichever way it comes about, and to whom."""

import json
from datetime import timedelta
from typing import Any

import pytest

from gannet.knowledge.actions import go_back, set_article_state, write_article
from gannet.knowledge.models import Article, ArticleFollower, ArticleRuling
from gannet.messages import hooks
from gannet.messages.models import HookCall, HookState, Notification
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.trials.checking import differences_of, findings_of
from gannet.upkeep import ruling
from gannet.upkeep.folders import as_folder, import_folder
from gannet_core.instants import seconds_of
from tests.app.test_engine import publish
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
NOW_S, DAY = seconds_of(NOW), 86_400
TELL = {"do": "notify", "who": ["owner"], "text": "“{title}” ({number}): {reader} says {why}"}


def rule(key: str, **more: Any) -> dict[str, Any]:
    return {
        "key": key, "name": f"Rule {key}", "when": ["published"], "if": {"all": []},
        "then": [TELL], **more,
    }  # fmt: skip


def with_rules(*rules: dict[str, Any]) -> None:
    publish(lambda document: document.update(article_rules=list(rules)))


@pytest.fixture
def lead(northmere: None, person: Any) -> Acting:
    return Acting(person=person("Marit"), now=NOW)


@pytest.fixture
def signe(northmere: None, person: Any) -> Acting:
    return Acting(person=person("Signe"), now=NOW)


def written(by: Acting, title: str = "Wipe the gate", **more: Any) -> Article:
    return write_article(by, {"title": title, "body": "Dry.", "for_everybody": 1, **more})


def rulings(row: Article | None = None) -> list[tuple[str, str]]:
    rows = ArticleRuling.objects.order_by("pk")
    return [(one.rule, one.moment) for one in (rows.filter(article=row) if row else rows)]


def told(who: str) -> list[str]:
    whole = {"Signe": "Signe Hallam", "Marit": "Marit Osei", "Ines": "Ines Corrado"}
    rows = Notification.objects.filter(event_name=ruling.EVENT)
    rows = rows.filter(person__name__startswith=whole.get(who, f"{who} "))
    return list(rows.order_by("pk").values_list("title", flat=True))


def vote(api: Any, who: str, row: Article, helped: bool, why: str = "") -> None:
    body = {"helped": helped, "why": why}
    got = api(who).put(f"/api/articles/{row.pk}/vote", body, content_type=JSON)
    assert got.status_code == 200, got.json()


# --- when -------------------------------------------------------------------------------------


def test_each_way_in_which_a_version_is_published_runs_them(lead: Acting, signe: Acting) -> None:
    with_rules(rule("out"))
    row = written(signe)
    assert rulings() == []
    set_article_state(lead, row.pk, "published")
    assert rulings(row) == [("out", "published")]
    write_article(signe, {"title": "Wipe the gate", "body": "Twice.", "for_everybody": 1}, row.pk)
    assert len(rulings(row)) == 1, "nobody reads that yet"
    set_article_state(lead, row.pk, "published")
    go_back(lead, row.pk, 1)
    assert len(rulings(row)) == 3
    content = as_folder(Article.objects.filter(pk=row.pk))
    row.delete()
    (line,) = import_folder(lead, content, is_trial=False)
    assert rulings(Article.objects.get(pk=line.number)) == [("out", "published")]
    import_folder(lead, content, is_trial=True)
    assert len(rulings()) == 1, "a trial runs nothing"


@pytest.mark.parametrize(
    ("state", "moment"), [("in review", "sent to review"), ("retired", "retired"), ("draft", "")]
)
def test_other_states_run_theirs_once(lead: Acting, signe: Acting, state: str, moment: str) -> None:
    with_rules(rule("any", when=["sent to review", "retired", "published"]))
    row = written(signe)
    if state == "draft":
        set_article_state(signe, row.pk, "in review")
        ArticleRuling.objects.all().delete()
    for _ in range(2):
        set_article_state(lead, row.pk, state)
    assert rulings(row) == ([("any", moment)] if moment else [])


def test_it_becomes_disputed_once_and_again_as_another_version(
    lead: Acting, signe: Acting, api: Any
) -> None:
    with_rules(rule("no", when=["did not help"]), rule("disputed", when=["disputed"]))
    row = set_article_state(lead, written(signe).pk, "published")
    for count, who in enumerate(("Ines", "Maeve", "Tomas"), 1):
        vote(api, who, row, helped=False, why=f"No {count}")
        assert [one for one in rulings(row) if one[0] == "no"] == [("no", "did not help")] * count
        assert (("disputed", "disputed") in rulings(row)) is (count == 3)
    vote(api, "Ines", row, helped=False, why="Still not")
    assert rulings(row).count(("disputed", "disputed")) == 1, "it is disputed already"
    vote(api, "Ines", row, helped=True)
    assert len(rulings(row)) == 5, "what helped is no reason"
    vote(api, "Ines", row, helped=False)
    assert rulings(row).count(("disputed", "disputed")) == 2, "it was not, and is again"
    assert told("Signe")[-1].endswith("Ines Corrado says …")


# --- if ---------------------------------------------------------------------------------------


def test_the_article_is_read_as_it_is_then(lead: Acting, signe: Acting) -> None:
    service = next(iter(current().document["categories"]))["key"]
    condition = {
        "all": [
            {"field": "kind", "op": "is", "value": "question"},
            {"field": "category", "op": "is", "value": service},
            {"field": "owner", "op": "is", "value": "Signe Hallam"},
            {"field": "for", "op": "is", "value": "everybody"},
            {"field": "version", "op": "<", "value": 2},
        ]
    }
    with_rules(rule("fits", **{"if": condition}))
    plain = written(signe, "Plain")
    set_article_state(lead, plain.pk, "published")
    fitting = written(signe, "Fits", kind="question", category=service)
    set_article_state(lead, fitting.pk, "published")
    assert rulings() == [("fits", "published")] and rulings(fitting)
    because = ArticleRuling.objects.get().because
    assert "Kind is question" in because and "owner is Signe Hallam" in because


def test_a_rule_that_is_off_or_after_one_that_stops_does_nothing(
    lead: Acting, signe: Acting
) -> None:
    with_rules(rule("off", is_on=False), rule("stop", stop=True), rule("late"))
    set_article_state(lead, written(signe).pk, "published")
    assert rulings() == [("stop", "published")]


# --- then -------------------------------------------------------------------------------------


def test_those_behind_each_name_are_told_once_and_not_who_did_it(
    lead: Acting, signe: Acting, person: Any
) -> None:
    who = [
        "owner",
        "author",
        "editors",
        "followers",
        "Harbour Desk",
        "Ines.Corrado@northmere.example",
    ]
    with_rules(rule("all", then=[{**TELL, "who": who, "text": "{number} is out"}]))
    row = written(signe)
    ArticleFollower.objects.create(article=row, person=person("Maeve"))
    set_article_state(lead, row.pk, "published")
    for name in ("Signe", "Maeve", "Ines"):
        assert told(name) == [f"{row.pk} is out"], name
    assert told("Marit") == [], "she published it herself"
    row_told = ArticleRuling.objects.get().did[0]
    assert row_told.startswith("told ") and "Ines Corrado" in row_told


@pytest.mark.parametrize(("whom", "count"), [(1, 1), (0, 0)])
def test_nobody_is_told_of_what_they_may_not_read(
    lead: Acting, signe: Acting, whom: int, count: int
) -> None:
    mail = Person.objects.get(name="Ines Corrado").email
    with_rules(rule("tell", then=[{**TELL, "who": [mail], "text": "{title}"}]))
    row = written(signe, for_everybody=whom)
    set_article_state(lead, row.pk, "published")
    assert len(told("Ines")) == count
    said = ArticleRuling.objects.get().did
    assert said == (["told Ines Corrado"] if count else ["told nobody: none of them may read it"])


def test_who_wishes_not_to_hear_does_not(lead: Acting, signe: Acting, api: Any) -> None:
    with_rules(rule("tell"))
    wishes = {"events": {ruling.EVENT: "never"}}
    assert api("Signe").put("/api/preferences", wishes, content_type=JSON).status_code == 200
    set_article_state(lead, written(signe).pk, "published")
    assert told("Signe") == []


@pytest.mark.parametrize(
    ("due", "days", "then"), [(300, 7, 7), (3, 7, 3), (None, 7, 7), (-5, 7, -5)]
)
def test_a_review_is_brought_forward_and_never_put_off(
    lead: Acting, signe: Acting, api: Any, due: int | None, days: int, then: int
) -> None:
    with_rules(rule("review", when=["did not help"], then=[{"do": "review", "days": days}]))
    row = set_article_state(lead, written(signe).pk, "published")
    Article.objects.filter(pk=row.pk).update(review_s=None if due is None else NOW_S + due * DAY)
    vote(api, "Ines", Article.objects.get(pk=row.pk), helped=False, why="No.")
    review_s = Article.objects.get(pk=row.pk).review_s
    assert review_s is not None and abs(review_s - NOW_S - then * DAY) < DAY


def test_another_system_hears_of_it_and_not_the_title_of_what_is_not_for_everybody(
    lead: Acting, signe: Acting
) -> None:
    key = next(iter(current().hooks))
    with_rules(
        rule("post", then=[{"do": "webhook", "hook": key}, {"do": "webhook", "hook": "gone"}])
    )
    for title, whom in (("Open", 1), ("Closed", 0)):
        set_article_state(lead, written(signe, title, for_everybody=whom).pk, "published")
    calls = list(HookCall.objects.filter(article__isnull=False).order_by("pk"))
    said = [json.loads(one.body)["article"] for one in calls]
    assert [one["title"] for one in said] == ["Open", ""]
    assert all(one["state"] == "published" and one["link"] for one in said)
    assert all(one.ticket is None and one.state == HookState.WAITING for one in calls)
    assert "there is no webhook “gone”" in ArticleRuling.objects.all()[0].did[1]
    hooks.send_due(int(NOW_S + timedelta(days=30).total_seconds()))
    assert not HookCall.objects.filter(article__isnull=False, attempts=0).exists()


def test_the_desk_reads_what_rules_did_and_readers_do_not(
    lead: Acting, signe: Acting, api: Any
) -> None:
    with_rules(rule("tell"))
    row = set_article_state(lead, written(signe).pk, "published")
    (one,) = api("Signe").get(f"/api/articles/{row.pk}/life").json()["rulings"]
    assert (one["name"], one["moment"], one["did"]) == (
        "Rule tell", "published", ["told Signe Hallam"],
    )  # fmt: skip
    assert api("Ines").get(f"/api/articles/{row.pk}/life").status_code == 403


# --- while it is written ----------------------------------------------------------------------


def fits(api: Any, who: str, tree: Any) -> Any:
    return api(who).post("/api/articles/rule-fits", {"if": tree}, content_type=JSON)


def test_a_condition_says_which_articles_it_is_true_of(
    lead: Acting, signe: Acting, api: Any
) -> None:
    for number in range(10):
        row = written(signe, f"Article {number}", kind="question" if number else "how to")
        if number != 1:
            set_article_state(lead, row.pk, "published")
    found = fits(api, "Anneke", {"field": "kind", "op": "is", "value": "question"}).json()
    assert found["count"] == 8 and len(found["articles"]) == 8
    assert fits(api, "Anneke", {"all": []}).json()["count"] == 9


@pytest.mark.parametrize(
    "tree", [{}, {"field": "priority", "op": "is", "value": "P1"}, {"any": 3}, {"not": {"not": 1}}]
)
def test_a_condition_that_is_none_is_refused(northmere: None, api: Any, tree: Any) -> None:
    got = fits(api, "Anneke", tree)
    assert got.status_code == 422 and "if" in got.json()["fields"]


@pytest.mark.parametrize("who", ["Ines", "Signe", "Marit", "Tomas"])
def test_only_who_edits_the_rulebook_tries_rules(northmere: None, api: Any, who: str) -> None:
    assert fits(api, who, {"all": []}).status_code == 403


def test_a_rule_is_checked_and_its_changes_are_said(northmere: None) -> None:
    before = current().document
    after = {**before, "article_rules": [rule("new", then=[TELL, {"do": "review", "days": 3}])]}
    assert [one for one in findings_of(after, NOW) if one.section == "article_rules"] == []
    said = " ".join(str(one) for one in differences_of(before, after))
    assert "Rule new" in said
    wrong = {**before, "article_rules": [rule("new", then=[{"do": "webhook", "hook": "gone"}])]}
    found = {one.says for one in findings_of(wrong, NOW) if one.section == "article_rules"}
    assert "It posts to “gone”." in found
    changed = {**after, "article_rules": [rule("new", then=[{"do": "review", "days": 9}])]}
    said = " ".join(str(one) for one in differences_of(after, changed))
    assert "have it reviewed within 9 days" in said


def test_the_shipped_rules_are_without_fault(northmere: None) -> None:
    document = current().document
    assert [one["key"] for one in document["article_rules"]] == ["disputed", "known_error_out"]
    assert [one for one in findings_of(document, NOW) if one.section == "article_rules"] == []
