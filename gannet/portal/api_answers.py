"""Articles on the portal by what they are about, for who would rather look than ask."""

from collections import defaultdict
from collections.abc import Sequence
from typing import Any

from django.db.models import Q
from django.urls import path
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.knowledge.models import Article, ArticleState
from gannet.knowledge.readers import note_search
from gannet.knowledge.search import readable, search
from gannet.people.access import person_of
from gannet.portal import shapes
from gannet.web.base import GannetView
from gannet_core.conditions import words_of
from gannet_core.excerpts import start_of
from gannet_core.instants import seconds_of

MOST_ARTICLES, MOST_FOUND = 2_000, 60
_MORE = "Everything else"


class AnswersBySubjectView(GannetView):
    """Every published article that its reader may read, by category; or those that words find."""

    @extend_schema(
        operation_id="portal_articles",
        parameters=[OpenApiParameter("words", str, description="empty: every article")],
        responses=shapes.SubjectsShape,
    )
    def get(self, request: Request) -> Response:
        person, words = person_of(request), request.query_params.get("words", "")[:120]
        rows = readable(person).filter(state=ArticleState.PUBLISHED)
        read_as: dict[str, list[str]] = {}
        if wanted := words_of(words):
            now_s = seconds_of(timezone.now())
            found = search(words, person, now_s, most=MOST_FOUND)
            note_search(person, words, max((one.coverage for one in found), default=0.0), now_s)
            read_as = found[0].read_as if found else {}
            rows = rows.filter(
                Q(pk__in=[one.article.pk for one in found]) | Q(category__in=_named(wanted))
            )
        subjects: defaultdict[str, list[dict[str, Any]]] = defaultdict(list)
        columns = ("id", "title", "body", "category", "kind", "changed_s")
        for row in rows.order_by("title_folded", "id").values(*columns)[:MOST_ARTICLES]:
            subjects[row["category"]].append(
                {
                    "id": row["id"],
                    "title": row["title"],
                    "starts": start_of(row["body"]),
                    "kind": row["kind"],
                    "changed_s": row["changed_s"],
                }
            )
        named = sorted(subjects, key=lambda name: (not name, name.casefold()))
        return Response(
            {
                "subjects": [
                    {"subject": name or _MORE, "articles": subjects[name]} for name in named
                ],
                "read_as": [f"{word} as {', '.join(other)}" for word, other in read_as.items()],
            }
        )


def _named(wanted: Sequence[str]) -> list[str]:
    """The categories whose names have all of the words."""
    names = Article.objects.order_by().values_list("category", flat=True).distinct()
    return [
        name
        for name in names
        if all(any(one.startswith(word) for one in words_of(name)) for word in wanted)
    ]


urlpatterns = [path("api/portal/articles", AnswersBySubjectView.as_view())]
