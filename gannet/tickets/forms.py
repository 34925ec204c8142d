"""Forms on tickets: which one applies, and what it shows to whom."""

from collections.abc import Mapping
from typing import Any

from gannet.rulebook.book import Book
from gannet.tickets.models import Ticket
from gannet_core import forms

# Fields of a form that every ticket has, with how they are named to people.
PLAIN: Mapping[str, Mapping[str, Any]] = {
    "title": {"type": "text", "label": "What is wrong"},
    "text": {"type": "long text", "label": "What happened"},
    "service": {"type": "service", "label": "Service"},
    "ci": {"type": "ci", "label": "Configuration item"},
    "place": {"type": "text", "label": "Place"},
    "category": {"type": "choice", "label": "Category"},
}


def form_of(book: Book, kind: str, category: str, template: str = "") -> Mapping[str, Any] | None:
    """The form of a template, else of the kind and category, else the kind's default."""
    named = book.templates.get(template, {}).get("form")
    if named in book.forms:
        return book.forms[named]
    fits = [form for form in book.forms.values() if form.get("kind", "incident") == kind]
    exact = [form for form in fits if category and category in (form.get("categories") or ())]
    default = [form for form in fits if not form.get("categories")]
    return next(iter([*exact, *default]), None)


def template_of(book: Book, key: str) -> Mapping[str, Any] | None:
    return book.templates.get(key)


def about(book: Book) -> dict[str, Mapping[str, Any]]:
    """Every field that a form can have: plain ones, questions, custom ones."""
    questions = {
        entry["key"]: {
            "type": "choice" if entry["kind"] == "choice" else "text",
            "label": entry["asks"],
            "choices": [choice["key"] for choice in entry["choices"]],
            "labels": {choice["key"]: choice["label"] for choice in entry["choices"]},
        }
        for entry in book.questions
    }
    categories = {**PLAIN["category"], "choices": list(book.categories)}
    return {**PLAIN, "category": categories, **questions, **book.fields}


def answers_of(ticket: Ticket) -> dict[str, Any]:
    """What a ticket holds as the answers of its form."""
    return {
        "title": ticket.title,
        "service": ticket.service.name if ticket.service else None,
        "ci": ticket.ci.name if ticket.ci else None,
        "place": ticket.place,
        "category": ticket.category,
        **ticket.answers,
        **ticket.values,
    }


def resolve_for(
    form: Mapping[str, Any], ticket: Ticket, audience: str, stage: str
) -> dict[str, forms.FieldState]:
    """The states of a form's fields over what a ticket holds."""
    return forms.resolve(form, answers_of(ticket), audience, stage)
