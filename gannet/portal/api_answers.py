"""Articles on the portal by what they are about, for who would rather look than ask."""

from collections import defaultdict
from typing import Any

from django.urls import path
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.knowledge.models import ArticleState
from gannet.knowledge.search import readable
from gannet.people.access import person_of
from gannet.portal import shapes
from gannet.web.base import GannetView
from gannet_core.excerpts import start_of

MOST_ARTICLES = 2_000
_MORE = "Everything else"


class AnswersBySubjectView(GannetView):
    """Every published article that its reader may read, by category."""

    @extend_schema(
        operation_id="portal_articles", responses=shapes.ArticlesOfSubjectShape(many=True)
    )
    def get(self, request: Request) -> Response:
        rows = readable(person_of(request)).filter(state=ArticleState.PUBLISHED)
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
        return Response([{"subject": name or _MORE, "articles": subjects[name]} for name in named])


urlpatterns = [path("api/portal/articles", AnswersBySubjectView.as_view())]
