"""Articles in the API: found, read, written, published, voted on, and kept true."""

import difflib
from dataclasses import asdict
from typing import Any

from django.db.models import F, Q, QuerySet
from django.http import HttpResponse
from django.urls import path
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.finding import find_service
from gannet.knowledge import actions, links, readers
from gannet.knowledge.models import Article, ArticleLink, ArticleState, SameWords
from gannet.knowledge.search import readable, search
from gannet.people.access import acting, person_of
from gannet.people.models import Person
from gannet.people.permissions import DeskReads, DeskWorks
from gannet.upkeep import folders, judging, ruling, shapes, wants
from gannet.upkeep.about import articles_about
from gannet.upkeep.over_time import weeks_of
from gannet.upkeep.reading import article_json, find_article, found_json
from gannet.web.base import GannetView
from gannet.web.errors import Invalid, Missing
from gannet.web.given import whole_number
from gannet.web.parsers import FormReader
from gannet.web.shape import given
from gannet_core import knowledge as core
from gannet_core.conditions import words_of
from gannet_core.instants import seconds_of

_MOST, _MOST_SAME, _FARTHEST = 100, 200, 1_000_000


_ORDERS = {
    "changed": ("-changed_s", "-pk"),
    "title": ("title_folded", "pk"),
    "used": ("-used", "title_folded", "pk"),
    "review": (F("review_s").asc(nulls_last=True), "pk"),
}


def _narrowed(rows: QuerySet[Article], request: Request) -> QuerySet[Article]:
    """Only the articles of a category and those within it, a service, a kind, or one's own."""
    asked = request.query_params
    if category := asked.get("category", "")[:80]:
        rows = rows.filter(Q(category=category) | Q(category__startswith=f"{category} › "))
    if (service := whole_number(asked.get("service"))) is not None:
        rows = rows.filter(service=service)
    if kind := asked.get("kind", "")[:20]:
        rows = rows.filter(kind=kind)
    if asked.get("mine") in ("1", "true"):
        rows = rows.filter(owner=person_of(request))
    return rows


class ArticlesView(GannetView):
    """The desk's articles by words, and writing one."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="articles",
        parameters=[
            OpenApiParameter("q", str),
            OpenApiParameter("state", str),
            OpenApiParameter("category", str),
            OpenApiParameter("service", int),
            OpenApiParameter("kind", str),
            OpenApiParameter("mine", bool, description="only those that one looks after"),
            OpenApiParameter("sort", str, enum=list(_ORDERS), description="without words"),
            OpenApiParameter("skip", int, description="so many of those without words"),
        ],
        responses=shapes.SoughtArticleShape(many=True),
    )
    def get(self, request: Request) -> Response:
        words, person = request.query_params.get("q", "")[:120], person_of(request)
        state = request.query_params.get("state", "")
        if words.strip():
            now_s = seconds_of(timezone.now())
            found = search(words, person, now_s, most=_MOST, any_word=True)
            readers.note_search(person, words, max((o.coverage for o in found), default=0.0), now_s)
            numbers = [one.article.pk for one in found]
            rows = _narrowed(Article.objects.filter(pk__in=numbers), request)
            known = {row.pk: row for row in rows.select_related("author", "owner", "service")}
            return Response(
                [found_json(known[one.article.pk], one) for one in found if one.article.pk in known]
            )
        rows = _narrowed(readable(person), request)
        rows = rows.select_related("author", "owner", "service")
        if state:
            rows = rows.filter(state__in=state.split(",")[:4])
        order = _ORDERS.get(request.query_params.get("sort", ""), _ORDERS["changed"])
        skip = min(whole_number(request.query_params.get("skip")) or 0, _FARTHEST)
        page = rows.order_by(*order)[skip : skip + _MOST]
        return Response([found_json(article, None) for article in page])

    @extend_schema(
        operation_id="write_article",
        request=shapes.WriteArticleShape,
        responses={201: shapes.WholeArticleShape},
    )
    def post(self, request: Request) -> Response:
        return _write(request, None, 201)


class ArticleView(GannetView):
    """One article, and changing it."""

    @extend_schema(
        operation_id="article",
        parameters=[OpenApiParameter("found", bool, description="a search or an offer led here")],
        responses=shapes.WholeArticleShape,
    )
    def get(self, request: Request, number: int) -> Response:
        article, person = find_article(request, number), person_of(request)
        if article.state == ArticleState.PUBLISHED:
            is_found = request.query_params.get("found") in ("1", "true")
            readers.note_read(person, article, seconds_of(timezone.now()), is_found=is_found)
        return Response(article_json(article, person))

    @extend_schema(
        operation_id="change_article",
        request=shapes.WriteArticleShape,
        responses=shapes.WholeArticleShape,
    )
    def put(self, request: Request, number: int) -> Response:
        find_article(request, number)
        return _write(request, number, 200)


class ArticleStateView(GannetView):
    """Send to review, publish an article, retire it, or make it a draft again."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="set_article_state",
        request=shapes.ArticleStateShape,
        responses=shapes.WholeArticleShape,
    )
    def put(self, request: Request, number: int) -> Response:
        data = given(shapes.ArticleStateShape, request)
        article = actions.set_article_state(acting(request), number, data["state"])
        judging.tell_editors(acting(request), article)
        return Response(article_json(find_article(request, number), person_of(request)))


class ArticleLifeView(GannetView):
    """Versions with what changed, what readers wrote, and how often it was read and saved."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="article_life", responses=shapes.ArticleLifeShape)
    def get(self, request: Request, number: int) -> Response:
        article, now_s = find_article(request, number), seconds_of(timezone.now())
        votes = wants.votes_of([article])
        versions = list(article.versions.select_related("by"))
        notes = article.votes.filter(helped=False).exclude(why="").select_related("person")
        saved = {one["id"]: one["saved"] for one in wants.saved_by([article], now_s)}
        linked = ArticleLink.objects.filter(what=links.ARTICLE, number=number)
        seen = readable(person_of(request)).filter(pk__in=linked.values("article"))
        seen = seen.exclude(pk=number).order_by("title_folded", "pk")
        return Response(
            {
                "versions": [
                    _version_json(one, versions[place + 1 : place + 2], votes)
                    for place, one in enumerate(versions)
                ],
                "notes": [
                    {
                        "id": one.pk,
                        "person": one.person.name,
                        "version": one.version,
                        "why": one.why,
                        "at_s": one.at_s,
                        "answer": one.answer,
                        "answered_s": one.answered_s,
                    }
                    for one in notes[:50]
                ],
                "reads": article.reads.filter(at_s__gt=now_s - wants.SPAN_S).count(),
                "saved": saved.get(article.pk, 0),
                "used": article.used,
                "weeks": weeks_of(article, now_s),
                "rulings": ruling.rulings_of(article),
                "linked_from": [{"id": one.pk, "title": one.title} for one in seen],
            }
        )


def _version_json(version: Any, before: list[Any], votes: Any) -> dict[str, Any]:
    yes, no = votes.get((version.article_id, version.number), (0, 0))
    low, high = core.interval(yes, no)
    old = before[0].body if before else ""
    return {
        "number": version.number,
        "title": version.title,
        "by": version.by.name,
        "at_s": version.at_s,
        "note": version.note,
        "is_published": version.published_s is not None,
        "helped": yes,
        "not_helped": no,
        "low": low,
        "high": high,
        "changed": changed(old, version.body) if before else [],
    }


def changed(before: str, after: str) -> list[dict[str, str]]:
    """What changed between two texts, line by line, with the lines around it."""
    found: list[dict[str, str]] = []
    for line in difflib.unified_diff(before.splitlines(), after.splitlines(), n=1, lineterm=""):
        if line.startswith(("---", "+++", "@@")):
            continue
        how = {"+": "new", "-": "gone"}.get(line[:1], "same")
        found.append({"how": how, "text": line[1:]})
    return found[:400]


class GoBackView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="go_back_to_version", request=None, responses=shapes.WholeArticleShape
    )
    def post(self, request: Request, number: int, version: int) -> Response:
        """The text of an earlier version again, as a new one."""
        actions.go_back(acting(request), number, version)
        return Response(article_json(find_article(request, number), person_of(request)))


class ReviewedView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="article_reviewed", request=None, responses=shapes.WholeArticleShape
    )
    def post(self, request: Request, number: int) -> Response:
        """It is still true: reviewed again in half a year."""
        actions.reviewed(acting(request), number)
        return Response(article_json(find_article(request, number), person_of(request)))


class ArticleOwnerView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="set_article_owner",
        request=shapes.OwnerShape,
        responses=shapes.WholeArticleShape,
    )
    def put(self, request: Request, number: int) -> Response:
        """Who answers for it from now on."""
        said = given(shapes.OwnerShape, request)
        owner = Person.objects.filter(pk=said["person"]).first()
        if owner is None:
            raise Invalid("There is no such person.", fields={"person": "Choose another."})
        actions.set_owner(acting(request), number, owner)
        return Response(article_json(find_article(request, number), person_of(request)))


class VoteView(GannetView):
    """Whether an article helped, by whoever may read it."""

    @extend_schema(
        operation_id="vote_on_article",
        request=shapes.VoteShape,
        responses=shapes.WholeArticleShape,
    )
    def put(self, request: Request, number: int) -> Response:
        article = find_article(request, number)
        if article.state != ArticleState.PUBLISHED:
            raise Invalid("Only what is published is judged.")
        judging.vote(acting(request), article, **given(shapes.VoteShape, request))
        return Response(article_json(article, person_of(request)))


class NoteAnswerView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="answer_reader",
        request=shapes.AnswerNoteShape,
        responses={204: None},
    )
    def put(self, request: Request, number: int, note: int) -> Response:
        """Answer somebody whom it did not help; they hear of it."""
        article = find_article(request, number)
        if not actions.may_change(person_of(request), article):
            raise Missing("There is no such note of yours to answer.")
        judging.answer(
            acting(request), article, note, given(shapes.AnswerNoteShape, request)["text"]
        )
        return Response(status=204)


class UpkeepView(GannetView):
    """What keeps knowledge true: disputed, stale, due for review, sought in vain, saving."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="articles_upkeep", responses=shapes.UpkeepShape)
    def get(self, request: Request) -> Response:
        return Response(wants.upkeep(seconds_of(timezone.now())))


class FolderView(GannetView):
    """Articles as a folder of Markdown files: out, and in after a dry run."""

    permission_classes = [DeskReads]
    parser_classes = [FormReader]

    @extend_schema(
        operation_id="articles_folder",
        parameters=[OpenApiParameter("category", str)],
        responses={(200, "application/zip"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request) -> HttpResponse:
        rows = readable(person_of(request)).select_related("service", "owner")
        category = request.query_params.get("category", "")[:80]
        if category:
            rows = rows.filter(category__startswith=category)
        return HttpResponse(
            folders.as_folder(rows),
            content_type="application/zip",
            headers={"Content-Disposition": 'attachment; filename="knowledge.zip"'},
        )

    @extend_schema(
        operation_id="import_articles",
        request={
            "multipart/form-data": {
                "type": "object",
                "properties": {
                    "file": {"type": "string", "format": "binary"},
                    "trial": {"type": "string", "enum": ["yes", "no"]},
                },
                "required": ["file"],
            }
        },
        responses=shapes.FolderShape,
    )
    def post(self, request: Request) -> Response:
        """What a ZIP of Markdown files would do, file by file; with `trial` no, do it."""
        upload = request.FILES.get("file")
        if upload is None:
            raise Invalid("Choose a file.", fields={"file": "No file came."})
        is_trial = dict(request.data).get("trial") not in ("no", ["no"])
        lines = folders.import_folder(acting(request), upload.read(), is_trial=is_trial)
        return Response(
            {"lines": [asdict(line) for line in lines], "is_trial": is_trial},
            status=200,
        )


class AboutView(GannetView):
    """The articles about an item or a service."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="articles_about",
        parameters=[
            OpenApiParameter("what", str, required=True, enum=["item", "service"]),
            OpenApiParameter("number", int, required=True),
        ],
        responses=shapes.ArticlesAboutShape,
    )
    def get(self, request: Request) -> Response:
        what, said = request.query_params.get("what", ""), request.query_params.get("number", "")
        if what not in (links.ITEM, links.SERVICE):
            raise Invalid("Articles are about an item or a service.")
        number = whole_number(said)
        if number is None:
            raise Invalid("Say its number.")
        now_s = seconds_of(timezone.now())
        return Response(articles_about(what, number, person_of(request), now_s))


class SameWordsView(GannetView):
    """Words that mean the same on this desk."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="same_words", responses=shapes.SameWordsShape(many=True))
    def get(self, request: Request) -> Response:
        rows = SameWords.objects.select_related("by")
        return Response([{"id": r.pk, "words": r.words, "by": r.by.name} for r in rows])

    @extend_schema(
        operation_id="keep_same_words",
        request=shapes.WriteSameWordsShape,
        responses={201: shapes.SameWordsShape},
    )
    def post(self, request: Request) -> Response:
        person = _editor(request)
        words = given(shapes.WriteSameWordsShape, request)["words"]
        two = next((one for one in words if len(words_of(one)) > 1), None)
        if two is not None:
            raise Invalid(
                "A search is read word by word.",
                fields={"words": f"“{two}” is more than one word."},
            )
        folded = list(dict.fromkeys(word for one in words for word in words_of(one)))
        if len(folded) < 2:
            raise Invalid("Say at least two words.", fields={"words": "At least two."})
        if SameWords.objects.count() >= _MOST_SAME:
            raise Invalid("There are enough of them: remove one first.", fields={"words": "Full."})
        row = SameWords.objects.create(words=folded, by=person)
        return Response({"id": row.pk, "words": row.words, "by": person.name}, status=201)


class OneSameWordsView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="drop_same_words", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        _editor(request)
        if not SameWords.objects.filter(pk=number).delete()[0]:
            raise Missing("There are no such words.")
        return Response(status=204)


def _editor(request: Request) -> Person:
    person = person_of(request)
    if not actions.is_editor(person):
        raise Missing("Only knowledge editors and leads do that.")
    return person


def _write(request: Request, number: int | None, status: int) -> Response:
    data = given(shapes.WriteArticleShape, request)
    data["service"] = find_service(data["service"])
    is_for_some = bool(data.get("audience"))
    data["for_everybody"] = links.SOME if is_for_some else int(data["for_everybody"])
    article = actions.write_article(acting(request), data, number)
    return Response(
        article_json(find_article(request, article.pk), person_of(request)), status=status
    )


urlpatterns = [
    path("api/articles", ArticlesView.as_view()),
    path("api/articles/upkeep", UpkeepView.as_view()),
    path("api/articles/about", AboutView.as_view()),
    path("api/articles/folder", FolderView.as_view()),
    path("api/articles/same-words", SameWordsView.as_view()),
    path("api/articles/same-words/<number:number>", OneSameWordsView.as_view()),
    path("api/articles/<number:number>", ArticleView.as_view()),
    path("api/articles/<number:number>/state", ArticleStateView.as_view()),
    path("api/articles/<number:number>/life", ArticleLifeView.as_view()),
    path("api/articles/<number:number>/versions/<number:version>", GoBackView.as_view()),
    path("api/articles/<number:number>/reviewed", ReviewedView.as_view()),
    path("api/articles/<number:number>/owner", ArticleOwnerView.as_view()),
    path("api/articles/<number:number>/vote", VoteView.as_view()),
    path("api/articles/<number:number>/notes/<number:note>", NoteAnswerView.as_view()),
]
