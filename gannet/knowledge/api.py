"""Articles in the API: read, written, published – as far as the desk needs them."""

from typing import Any

from django.urls import path
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.finding import find_service
from gannet.knowledge.actions import readable, set_article_state, write_article
from gannet.knowledge.models import Article
from gannet.knowledge.search import find_articles
from gannet.people.access import acting, person_of
from gannet.people.models import Person
from gannet.people.permissions import DeskReads
from gannet.web.base import GannetView
from gannet.web.errors import Missing
from gannet.web.markdown import Html
from gannet.web.shape import Shape

_MOST = 100


class WriteArticleShape(Shape):
    title = serializers.CharField(max_length=200, allow_blank=True)
    body = serializers.CharField(max_length=60_000, allow_blank=True)
    service = serializers.IntegerField(required=False, allow_null=True, default=None)
    category = serializers.CharField(max_length=80, allow_blank=True, required=False, default="")
    for_everybody = serializers.BooleanField(required=False, default=False)


class ArticleStateShape(Shape):
    state = serializers.ChoiceField(["draft", "published", "retired"])


class ListedArticleShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    state = serializers.CharField()
    service = serializers.CharField()
    category = serializers.CharField()
    author = serializers.CharField()
    for_everybody = serializers.BooleanField()
    used = serializers.IntegerField()
    changed_s = serializers.IntegerField()


class WholeArticleShape(ListedArticleShape):
    body = serializers.CharField()
    html = serializers.CharField()
    service_id = serializers.IntegerField(allow_null=True)
    source = serializers.IntegerField(allow_null=True)
    may_change = serializers.BooleanField()
    may_publish = serializers.BooleanField()


def line_json(article: Article) -> dict[str, Any]:
    return {
        "id": article.pk,
        "title": article.title,
        "state": article.state,
        "service": article.service.name if article.service else "",
        "category": article.category,
        "author": article.author.name,
        "for_everybody": bool(article.for_everybody),
        "used": article.used,
        "changed_s": article.changed_s,
    }


def article_json(article: Article, person: Person) -> dict[str, Any]:
    is_editor = person.has_role("knowledge editor", "administrator", "team lead")
    return {
        **line_json(article),
        "body": article.body,
        "html": Html(article.body),
        "service_id": article.service_id,
        "source": article.source_id if person.is_on_desk else None,
        "may_change": is_editor or article.author_id == person.pk,
        "may_publish": is_editor,
    }


def _find(request: Request, number: int) -> Article:
    found = readable(person_of(request)).select_related("author", "service")
    article: Article | None = found.filter(pk=number).first()
    if article is None:
        raise Missing("There is no such article, or it is not for you to read.")
    return article


class ArticlesView(GannetView):
    """The desk's articles by words, and writing one."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="articles",
        parameters=[OpenApiParameter("q", str)],
        responses=ListedArticleShape(many=True),
    )
    def get(self, request: Request) -> Response:
        words = request.query_params.get("q", "")[:120]
        rows = readable(person_of(request)).select_related("author", "service")
        if words.strip():
            best = [article.pk for article in find_articles(words, _MOST)]
            rows = rows.filter(pk__in=best)
        return Response([line_json(article) for article in rows[:_MOST]])

    @extend_schema(
        operation_id="write_article", request=WriteArticleShape, responses={201: WholeArticleShape}
    )
    def post(self, request: Request) -> Response:
        return _write(request, None, 201)


class ArticleView(GannetView):
    """One article, and changing it."""

    @extend_schema(operation_id="article", responses=WholeArticleShape)
    def get(self, request: Request, number: int) -> Response:
        return Response(article_json(_find(request, number), person_of(request)))

    @extend_schema(
        operation_id="change_article", request=WriteArticleShape, responses=WholeArticleShape
    )
    def put(self, request: Request, number: int) -> Response:
        _find(request, number)
        return _write(request, number, 200)


class ArticleStateView(GannetView):
    """Publish an article, retire it, or make it a draft again."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="set_article_state", request=ArticleStateShape, responses=WholeArticleShape
    )
    def put(self, request: Request, number: int) -> Response:
        given = ArticleStateShape(data=request.data)
        given.is_valid(raise_exception=True)
        set_article_state(acting(request), number, given.validated_data["state"])
        return Response(article_json(_find(request, number), person_of(request)))


def _write(request: Request, number: int | None, status: int) -> Response:
    given = WriteArticleShape(data=request.data)
    given.is_valid(raise_exception=True)
    data = dict(given.validated_data)
    data["service"] = find_service(data["service"])
    data["for_everybody"] = int(data["for_everybody"])
    article = write_article(acting(request), data, number)
    return Response(article_json(article, person_of(request)), status=status)


urlpatterns = [
    path("api/articles", ArticlesView.as_view()),
    path("api/articles/<number:number>", ArticleView.as_view()),
    path("api/articles/<number:number>/state", ArticleStateView.as_view()),
]
