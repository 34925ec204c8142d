"""An article week by week: what was read, saved and resolved, each in its week and no other."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet.knowledge.actions import set_article_state, write_article
from gannet.knowledge.models import Article, ArticleRead
from gannet.people.acting import Acting
from gannet.tickets.models import Ticket
from gannet.upkeep.over_time import WEEK_S, WEEKS, weeks_of
from gannet.upkeep.wants import saved_by
from gannet_core import knowledge as core
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
NOW_S, DAY = seconds_of(NOW), 86_400


@pytest.fixture
def article(northmere: None, person: Any) -> Article:
    lead = Acting(person=person("Marit"), now=NOW)
    row = write_article(lead, {"title": "Wipe it", "body": "Dry.", "for_everybody": 1})
    return set_article_state(lead, row.pk, "published")


def read(row: Article, who: Any, ago_s: int, *, found: bool = False) -> None:
    ArticleRead.objects.create(article=row, person=who, at_s=NOW_S - ago_s, is_found=found)


def counts(row: Article, name: str) -> list[int]:
    return [week[name] for week in weeks_of(row, NOW_S)]


@pytest.mark.parametrize(
    ("ago_s", "place"),
    [
        (0, 11), (1, 11), (WEEK_S - 1, 11), (WEEK_S, 10), (2 * WEEK_S, 9),
        (WEEKS * WEEK_S - 1, 0), (WEEKS * WEEK_S, None), (-5, None),
    ],
)  # fmt: skip
def test_a_reading_falls_into_one_week(
    article: Article, person: Any, ago_s: int, place: int | None
) -> None:
    read(article, person("Ines"), ago_s)
    wanted = [int(n == place) for n in range(WEEKS)]
    assert counts(article, "reads") == wanted
    assert counts(article, "saved") == [0] * WEEKS, "nothing led there"


def test_what_was_saved_is_what_is_counted_elsewhere(
    article: Article, person: Any, log: Any
) -> None:
    ines, maeve = person("Ines"), person("Maeve")
    for who, days in ((ines, 3), (maeve, 3), (ines, 10), (maeve, 0)):
        read(article, who, days * DAY, found=True)
    ticket = log("Maeve", "Boarding gates")
    Article.objects.filter(pk=article.pk).update(service=ticket.service)
    Ticket.objects.filter(pk=ticket.pk).update(opened_s=NOW_S - 3 * DAY + 60)
    row = Article.objects.get(pk=article.pk)
    saved = counts(row, "saved")
    assert saved == [0] * 10 + [1, 1], "Maeve asked all the same, and of today it is not known"
    assert sum(saved) == saved_by([row], NOW_S)[0]["saved"]


def test_what_was_resolved_with_it_counts_and_nothing_confidential(
    article: Article, log: Any
) -> None:
    for number, (ago_s, confidential) in enumerate(
        [(DAY, 0), (8 * DAY, 0), (DAY, 1), (99 * DAY, 0)]
    ):
        ticket = log("Ines", "Boarding gates", title=f"One {number}")
        Ticket.objects.filter(pk=ticket.pk).update(
            article=article, resolved_s=NOW_S - ago_s, is_confidential=confidential
        )
    assert counts(article, "used") == [0] * 10 + [1, 1]


READS = st.lists(
    st.tuples(st.integers(1, 4), st.integers(0, 10 * DAY), st.sampled_from([None, 1, 2])),
    max_size=14,
)
LOGGED = st.dictionaries(
    st.integers(1, 4),
    st.lists(st.tuples(st.integers(0, 11 * DAY), st.sampled_from([None, 1, 2])), max_size=4),
)


@given(READS, LOGGED)
def test_when_it_saved_is_when_it_was_read_and_as_often_as_it_saved(
    reads: Any, logged: Any
) -> None:
    found = core.saved_at(reads, logged)
    assert len(found) == core.saved(reads, logged) <= len(reads)
    assert found == sorted(found) and set(found) <= {at_s for _, at_s, _ in reads}
    assert core.saved_at(reads, {}) or not reads, "who never asks was always helped"
