"""Editions and the draft: read, edit, take back, review, import, export, publish."""

from typing import Any

from django.db.models import Count
from django.http import HttpResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people.access import person_of
from gannet.rulebook import book, schema
from gannet.rulebook.models import Draft, Edition
from gannet.tickets.models import Ticket
from gannet.trials import drafts
from gannet.trials.api import shapes
from gannet.trials.api.common import EditsRulebook, document_of
from gannet.trials.changes import entries_of, history_of
from gannet.trials.checking import differences_of, findings_of
from gannet.trials.rehearse import run_all
from gannet.web.base import GannetView
from gannet.web.errors import Missing
from gannet_core import rulebook
from gannet_core.instants import seconds_of


def _draft_json(draft: Draft | None) -> dict[str, Any] | None:
    if draft is None:
        return None
    edits = list(draft.edits.filter(is_undone=False).select_related("person"))
    people = sorted({edit.person.name for edit in edits if edit.person})
    what = drafts.named_edit(edits[0]) if edits else ""
    return {
        "base": draft.base,
        "version": draft.version,
        "edits": len(edits),
        "people": people,
        "last_edit": what,
    }


class RulebookView(GannetView):
    """What is in force, what was, and whether there is a draft."""

    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="rulebook", responses=shapes.RulebookShape)
    def get(self, request: Request) -> Response:
        held = dict(
            Ticket.objects.filter(is_open=True)
            .values_list("edition")
            .annotate(count=Count("id"))
            .values_list("edition", "count")
        )
        editions = [
            {
                "number": edition.number,
                "published_at_s": seconds_of(edition.published_at),
                "starts_at_s": edition.starts_at_s,
                "by": edition.published_by.name if edition.published_by else "Gannet",
                "comment": edition.comment,
                "restores": edition.restores,
                "open_tickets": held.get(edition.number, 0),
            }
            for edition in Edition.objects.select_related("published_by").defer("document")[:100]
        ]
        return Response(
            {
                "in_force": book.number_in_force(),
                "editions": editions,
                "draft": _draft_json(drafts.the_draft()),
                "sections": [
                    {"name": s.name, "label": s.label, "one": s.one, "is_list": s.is_list}
                    for s in rulebook.SECTIONS
                ],
            }
        )


class DocumentView(GannetView):
    """One edition, or the draft, as its document."""

    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="rulebook_document", responses=shapes.DocumentShape)
    def get(self, request: Request, which: str) -> Response:
        document, version = document_of(which)
        return Response({"which": which, "version": version, "document": document})


class DraftView(GannetView):
    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="begin_draft", request=shapes.BeginShape, responses=shapes.RulebookDraftShape
    )
    def post(self, request: Request) -> Response:
        given = shapes.BeginShape(data=request.data)
        given.is_valid(raise_exception=True)
        base = given.validated_data["base"]
        draft = drafts.begin(person_of(request), timezone.now(), base=base)
        return Response(_draft_json(draft))

    @extend_schema(operation_id="discard_draft", responses={204: None})
    def delete(self, request: Request) -> Response:
        drafts.discard(person_of(request), timezone.now())
        return Response(status=204)


class EditsView(GannetView):
    """Change one entry of the draft; 409 carries what somebody else made of it."""

    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="edit_draft", request=shapes.EditShape, responses=shapes.EditedShape
    )
    def post(self, request: Request) -> Response:
        given = shapes.EditShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = dict(given.validated_data)
        is_rename = data.pop("is_rename")
        change = drafts.Change(**data)
        act = drafts.rename if is_rename else drafts.edit
        draft = act(person_of(request), change, timezone.now())
        key = change.after["key"] if is_rename else change.key
        entry = rulebook.entry(draft.document, change.section, key)
        return Response({"version": draft.version, "entry": entry})


class ManyEditsView(GannetView):
    """Change several entries of a section at once, all or none."""

    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="edit_many_of_draft",
        request=shapes.ManyEditsShape,
        responses=shapes.RulebookDraftShape,
    )
    def post(self, request: Request) -> Response:
        given = shapes.ManyEditsShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        changes = [drafts.Change(section=data["section"], **one) for one in data["changes"]]
        return Response(_draft_json(drafts.edit_many(person_of(request), changes, timezone.now())))


class EntriesView(GannetView):
    """Every entry by its name: what names it, and who changed it last."""

    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="rulebook_entries", responses=shapes.RulebookEntryShape(many=True))
    def get(self, request: Request, which: str) -> Response:
        document, _ = document_of(which)
        draft = drafts.the_draft() if which in ("draft", "latest") else None
        return Response(entries_of(document, draft))


class EntryHistoryView(GannetView):
    """What the editions changed in one entry, the latest first."""

    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="entry_history",
        parameters=[
            OpenApiParameter("section", str, required=True),
            OpenApiParameter("key", str, required=True),
        ],
        responses=shapes.EntryChangeShape(many=True),
    )
    def get(self, request: Request) -> Response:
        asked = request.query_params
        return Response(history_of(asked.get("section", ""), asked.get("key", "")))


class UndoView(GannetView):
    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="undo_draft_edit", request=None, responses=shapes.UndoneShape)
    def post(self, request: Request) -> Response:
        edit = drafts.undo(person_of(request), timezone.now())
        draft = drafts.the_draft()
        return Response(
            {
                "version": draft.version if draft else 0,
                "section": edit.section,
                "key": edit.key,
                "what": drafts.named_edit(edit),
            }
        )


class ReviewView(GannetView):
    """What the checks find in the draft, how it differs, and how the rehearsals come out."""

    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="review_draft", responses=shapes.ReviewShape)
    def get(self, request: Request) -> Response:
        draft = drafts.the_draft()
        if draft is None:
            raise Missing("There is no draft.")
        # What is in force may have changed since the draft was begun: that is what counts.
        base = Edition.objects.get(number=book.number_in_force() or 0)
        rehearsed = run_all(book.of_document(draft.document), drafts.renames_of(draft))
        return Response(
            {
                "version": draft.version,
                "base": base.number,
                "findings": [
                    {name: getattr(one, name) for name in one.__slots__}
                    for one in findings_of(draft.document, timezone.now())
                ],
                "differences": _differences(base.document, draft.document),
                "rehearsals": len(rehearsed),
                "failing": sum(not one.holds for one in rehearsed),
            }
        )


class DifferencesView(GannetView):
    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="rulebook_differences",
        parameters=[OpenApiParameter("before", str), OpenApiParameter("after", str)],
        responses=shapes.DifferenceShape(many=True),
    )
    def get(self, request: Request) -> Response:
        before, _ = document_of(request.query_params.get("before", "force"))
        after, _ = document_of(request.query_params.get("after", "draft"))
        return Response(_differences(before, after))


def _differences(before: Any, after: Any) -> list[dict[str, Any]]:
    return [
        {
            "section": one.section,
            "key": one.key,
            "name": one.name,
            "how": one.how,
            "sentences": list(one.sentences),
        }
        for one in differences_of(before, after)
    ]


class PublishView(GannetView):
    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="publish_draft", request=shapes.PublishShape, responses=shapes.RulebookShape
    )
    def post(self, request: Request) -> Response:
        given = shapes.PublishShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        drafts.publish(
            person_of(request),
            data["comment"],
            timezone.now(),
            starts_at=data["starts_at"],
            seen_version=data["version"],
        )
        return RulebookView().get(request)


class RestoreView(GannetView):
    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="restore_edition", request=shapes.RestoreShape, responses=shapes.RulebookShape
    )
    def post(self, request: Request, number: int) -> Response:
        given = shapes.RestoreShape(data=request.data)
        given.is_valid(raise_exception=True)
        comment = given.validated_data["comment"]
        drafts.go_back(person_of(request), number, comment, timezone.now())
        return RulebookView().get(request)


class EditionView(GannetView):
    """Withdraw an edition that is planned and has not started."""

    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="withdraw_edition", responses={200: shapes.RulebookShape})
    def delete(self, request: Request, number: int) -> Response:
        drafts.withdraw(person_of(request), number, timezone.now())
        return RulebookView().get(request)


class ExportView(GannetView):
    """One edition or the draft as a file, the same bytes for the same content."""

    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="export_rulebook",
        parameters=[OpenApiParameter("as", str, enum=["yaml", "json"])],
        responses={(200, "text/plain"): OpenApiTypes.STR},
    )
    def get(self, request: Request, which: str) -> HttpResponse:
        document, _ = document_of(which)
        form = "json" if request.query_params.get("as") == "json" else "yaml"
        text = schema.to_json(document) if form == "json" else schema.to_yaml(document)
        response = HttpResponse(text, content_type="text/plain; charset=utf-8")
        name = f"rulebook-{which}.{form}"
        response["Content-Disposition"] = f'attachment; filename="{name}"'
        return response


class ImportView(GannetView):
    """Make the draft what a file says; one that cannot be read changes nothing."""

    permission_classes = [EditsRulebook]
    is_atomic = False  # a file is read before the lock is taken

    @extend_schema(
        operation_id="import_rulebook",
        request=shapes.ImportShape,
        responses=shapes.RulebookDraftShape,
    )
    def post(self, request: Request) -> Response:
        given = shapes.ImportShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        draft = drafts.replace_whole(
            person_of(request), data["text"], timezone.now(), data["version"]
        )
        return Response(_draft_json(draft))


class SchemaView(GannetView):
    """The JSON Schema of a rulebook file."""

    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="rulebook_schema", responses=OpenApiTypes.OBJECT)
    def get(self, request: Request) -> Response:
        return Response(schema.SCHEMA)
