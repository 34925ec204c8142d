"""What the rulebook's views share."""

from typing import Any

from rest_framework.permissions import BasePermission
from rest_framework.request import Request
from rest_framework.views import APIView

from gannet.people import roles
from gannet.people.models import Person
from gannet.rulebook import book
from gannet.rulebook.book import Book
from gannet.rulebook.models import Edition
from gannet.trials.drafts import the_draft
from gannet.web.errors import Missing
from gannet.web.given import whole_number
from gannet_core import rulebook


class EditsRulebook(BasePermission):
    message = "The rulebook is for administrators."

    def has_permission(self, request: Request, view: APIView) -> bool:
        return isinstance(request.user, Person) and roles.edits_rulebook(request.user)


def document_of(which: str) -> tuple[dict[str, Any], int]:
    """A document and its version: `draft`, `force`, or the number of an edition.

    `latest` is the draft when there is one, else what is in force.
    """
    if which == "latest":
        which = "draft" if the_draft() is not None else "force"
    if which == "draft":
        draft = the_draft()
        if draft is None:
            raise Missing("There is no draft.")
        return {**rulebook.empty(), **draft.document}, draft.version
    number = book.number_in_force() if which == "force" else None
    if number is None:
        number = whole_number(which)
    edition = Edition.objects.filter(number=number or 0).first()
    if edition is None:
        raise Missing("There is no such edition.")
    return {**rulebook.empty(), **edition.document}, edition.number


def book_of(which: str) -> Book:
    """The draft, else the edition in force or the one named, ready to be asked."""
    if which == "draft" and the_draft() is None:
        which = "force"
    document, _ = document_of(which)
    return book.of_document(document)
