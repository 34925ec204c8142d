"""Writing an article in the API: its pictures, what it would look like, who else writes it."""

from typing import Any

from django.db.models import Q
from django.http import HttpResponse
from django.urls import path
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.knowledge import actions, links, pictures, translations
from gannet.knowledge.languages import OURS, languages
from gannet.knowledge.models import (
    Article,
    ArticleFollower,
    ArticlePicture,
    ArticlePresence,
    ArticleState,
)
from gannet.knowledge.outlines import OUTLINES
from gannet.knowledge.search import readable, reads_drafts
from gannet.people.access import acting, person_of
from gannet.people.models import Person
from gannet.people.permissions import DeskReads, DeskWorks
from gannet.upkeep import removing, shapes
from gannet.upkeep.printing import MOST, articles_as_pdf
from gannet.upkeep.reading import article_json, find_article
from gannet.web.base import GannetView
from gannet.web.errors import Invalid, Missing, Refused
from gannet.web.markdown import Html
from gannet.web.parsers import FormReader
from gannet.web.pdf import CONTENT_TYPE
from gannet.web.shape import given
from gannet_core.instants import seconds_of

PRESENT_SECONDS = 30
_KEPT_SECONDS = 3_600  # a name stands for one content: nothing new comes under it


def picture_json(article: Article, row: ArticlePicture, shown: list[str]) -> dict[str, Any]:
    return {
        "name": row.name,
        "address": f"{pictures.address(article.pk)}{row.name}",
        "shown_as": f"pictures/{row.name}",
        "width": row.width,
        "height": row.height,
        "size": row.size,
        "is_shown": row.name in shown,
    }


def _changed_by(request: Request, number: int) -> Article:
    """An article that whoever asks may change."""
    article, person = find_article(request, number), person_of(request)
    if not person.is_on_desk or not actions.may_change(person, article):
        raise Refused(f"Only {article.author.name} and editors change this.")
    return article


def _shown(article: Article) -> list[str]:
    newest = article.versions.filter(number=article.newest).first()
    return pictures.shown_in(newest.body if newest else article.body)


class PicturesView(GannetView):
    """The pictures of an article, and adding one."""

    permission_classes = [DeskReads]
    parser_classes = [FormReader]
    is_atomic = False  # a picture is looked at and made anew before anything is written

    @extend_schema(operation_id="article_pictures", responses=shapes.PictureShape(many=True))
    def get(self, request: Request, number: int) -> Response:
        article = find_article(request, number)
        shown = _shown(article)
        return Response([picture_json(article, row, shown) for row in article.pictures.all()])

    @extend_schema(
        operation_id="add_picture",
        request={
            "multipart/form-data": {
                "type": "object",
                "properties": {"file": {"type": "string", "format": "binary"}},
                "required": ["file"],
            }
        },
        responses={201: shapes.PictureShape},
    )
    def post(self, request: Request, number: int) -> Response:
        article = _changed_by(request, number)
        upload = request.FILES.get("file")
        if upload is None:
            raise Invalid("Choose a picture.", fields={"file": "No file came."})
        name = upload.name or "picture"
        pictures.check_size(name, upload.size or 0)
        row = pictures.keep(acting(request), article, pictures.prepare(name, upload.read()))
        return Response(picture_json(article, row, _shown(article)), status=201)


class PictureView(GannetView):
    """One picture, for the readers of the article that shows it."""

    @extend_schema(operation_id="article_picture", responses={(200, "*/*"): OpenApiTypes.BINARY})
    def get(self, request: Request, number: int, name: str) -> HttpResponse:
        article = find_article(request, number)
        row = pictures.found_picture(article, name)
        # What only another version shows is not published.
        if not reads_drafts(person_of(request)) and name not in pictures.shown_in(article.body):
            raise Missing("There is no such picture.")
        response = HttpResponse(pictures.content_of(row), content_type=row.content_type)
        response["Content-Security-Policy"] = "default-src 'none'; sandbox"
        response["X-Content-Type-Options"] = "nosniff"
        response["Cache-Control"] = f"private, max-age={_KEPT_SECONDS}"
        return response

    @extend_schema(operation_id="remove_picture", responses={204: None})
    def delete(self, request: Request, number: int, name: str) -> Response:
        pictures.remove_picture(_changed_by(request, number), name)
        return Response(status=204)


class RemovalView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="remove_of_article",
        request=shapes.RemoveOfArticleShape,
        responses=shapes.RemovalShape,
    )
    def post(self, request: Request, number: int) -> Response:
        """Remove words or a picture from every version for good; with `trial`, say where it is."""
        article, said = _changed_by(request, number), given(shapes.RemoveOfArticleShape, request)
        words, picture, reason = said["words"], said["picture"], said["reason"]
        if said["trial"]:
            found = removing.removal_of(article, words, picture)
        elif picture:
            found = removing.remove_picture(acting(request), article, picture, reason)
        else:
            found = removing.remove_words(acting(request), article, words, reason)
        return Response(
            {
                "versions": list(found.versions),
                "notes": found.notes,
                "samples": list(found.samples),
            }
        )


class PreviewView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="preview_article",
        request=shapes.PreviewShape,
        responses=shapes.PreviewedShape,
    )
    def post(self, request: Request, number: int) -> Response:
        """A text as its readers would see it, and which links not all of them can follow."""
        article, said = find_article(request, number), given(shapes.PreviewShape, request)
        some = frozenset((one["kind"], one["name"]) for one in said["audience"])
        whom = links.SOME if some else int(said["for_everybody"])
        lost = links.lost_links(said["body"], links.Readers(whom, some))
        there = set(article.pictures.values_list("name", flat=True))
        return Response(
            {
                "html": Html(said["body"], pictures.address(article.pk)),
                "lost": [{"to": one.to, "title": one.title, "why": one.why} for one in lost],
                "missing": [one for one in pictures.shown_in(said["body"]) if one not in there],
            }
        )


class WritersView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="write_together", request=None, responses=shapes.WriterShape(many=True)
    )
    def post(self, request: Request, number: int) -> Response:
        """Says that one is writing an article, and who else is."""
        article, person = _changed_by(request, number), person_of(request)
        now_s = seconds_of(timezone.now())
        ArticlePresence.objects.update_or_create(
            person=person, article=article, defaults={"seen_s": now_s}
        )
        others = ArticlePresence.objects.filter(
            article=article, seen_s__gt=now_s - PRESENT_SECONDS
        ).exclude(person=person)
        names = others.order_by("person__name").values_list("person__name", flat=True)
        return Response([{"name": name} for name in names])

    @extend_schema(operation_id="stop_writing", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        """Says that one writes it no more."""
        ArticlePresence.objects.filter(
            person=person_of(request), article=find_article(request, number)
        ).delete()
        return Response(status=204)


class AudiencesView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="article_audiences", responses=shapes.AudiencesShape)
    def get(self, request: Request) -> Response:
        """Whom an article can be for, the languages, and what each kind begins as."""
        named = Person.objects.filter(is_active=True).exclude(department="").order_by("department")
        return Response(
            {
                "departments": list(named.values_list("department", flat=True).distinct()),
                "languages": [{"key": key, "name": name} for key, name in languages().items()],
                "ours": OURS,
                "outlines": OUTLINES,
            }
        )


class TranslationsView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="translate_article",
        request=shapes.TranslateShape,
        responses={201: shapes.WholeArticleShape},
    )
    def post(self, request: Request, number: int) -> Response:
        """A draft in another language; or an article that is there already is this one in its."""
        article, said = find_article(request, number), given(shapes.TranslateShape, request)
        if said["other"] is not None:
            translations.link(acting(request), article, find_article(request, said["other"]))
            made = article
        else:
            made = translations.translate(acting(request), article, said["language"])
        fresh = find_article(request, made.pk)
        return Response(article_json(fresh, person_of(request)), status=201)

    @extend_schema(operation_id="unlink_translation", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        """A translation is an article of its own from now on."""
        translations.unlink(acting(request), find_article(request, number))
        return Response(status=204)


class FollowArticleView(GannetView):
    @extend_schema(
        operation_id="follow_article",
        request=shapes.FollowArticleShape,
        responses=shapes.FollowArticleShape,
    )
    def put(self, request: Request, number: int) -> Response:
        """Hear when a new version of an article is published, or hear of it no more."""
        article, person = find_article(request, number), person_of(request)
        is_followed = given(shapes.FollowArticleShape, request)["is_followed"]
        if is_followed:
            ArticleFollower.objects.get_or_create(
                article=article, person=person, defaults={"told": article.version}
            )
        else:
            ArticleFollower.objects.filter(article=article, person=person).delete()
        return Response({"is_followed": is_followed})


class ArticlePdfView(GannetView):
    @extend_schema(operation_id="article_pdf", responses={(200, CONTENT_TYPE): OpenApiTypes.BINARY})
    def get(self, request: Request, number: int) -> HttpResponse:
        """An article as PDF, with its pictures."""
        article = find_article(request, number)
        made = articles_as_pdf([article], article.title, seconds_of(timezone.now()))
        return _pdf(made, f"article-{number}.pdf")


class ArticlesPdfView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="articles_pdf",
        parameters=[OpenApiParameter("category", str, description="empty: every category")],
        responses={(200, CONTENT_TYPE): OpenApiTypes.BINARY},
    )
    def get(self, request: Request) -> HttpResponse:
        """The published articles of a category as one PDF."""
        category = request.query_params.get("category", "")[:80]
        rows = readable(person_of(request)).filter(state=ArticleState.PUBLISHED)
        if category:
            rows = rows.filter(Q(category=category) | Q(category__startswith=f"{category} › "))
        found = list(rows.order_by("category", "title_folded", "pk")[: MOST + 1])
        if not found:
            raise Missing("There is no published article in it.")
        if len(found) > MOST:
            raise Invalid(f"These are more than {MOST} articles: choose a category.")
        made = articles_as_pdf(found, category or "Knowledge", seconds_of(timezone.now()))
        return _pdf(made, "knowledge.pdf")


def _pdf(made: bytes, name: str) -> HttpResponse:
    return HttpResponse(
        made,
        content_type=CONTENT_TYPE,
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


urlpatterns = [
    path("api/articles/pdf", ArticlesPdfView.as_view()),
    path("api/articles/<number:number>/pdf", ArticlePdfView.as_view()),
    path("api/articles/audiences", AudiencesView.as_view()),
    path("api/articles/<number:number>/pictures", PicturesView.as_view()),
    path("api/articles/<number:number>/pictures/<str:name>", PictureView.as_view()),
    path("api/articles/<number:number>/removal", RemovalView.as_view()),
    path("api/articles/<number:number>/preview", PreviewView.as_view()),
    path("api/articles/<number:number>/writers", WritersView.as_view()),
    path("api/articles/<number:number>/translations", TranslationsView.as_view()),
    path("api/articles/<number:number>/following", FollowArticleView.as_view()),
]
