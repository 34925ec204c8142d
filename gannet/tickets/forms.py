"""Forms on tickets: which one applies, and what it shows to whom."""

from collections.abc import Mapping
from datetime import date
from typing import Any

from django.utils import timezone

from gannet.rulebook.book import Book
from gannet.tickets.kinds import kind_of, usual
from gannet.tickets.known import as_kept, services, why_unknown
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid
from gannet_core import forms
from gannet_core.limits import LIMITS, day_of, limit_words

# Fields of a form that every ticket has, with how they are named to people.
PLAIN: Mapping[str, Mapping[str, Any]] = {
    "title": {"type": "text", "label": "What is wrong"},
    "text": {"type": "long text", "label": "What happened"},
    "service": {"type": "service", "label": "Service"},
    "ci": {"type": "ci", "label": "Configuration item"},
    "place": {"type": "text", "label": "Place"},
    "category": {"type": "choice", "label": "Category"},
}


def _today() -> date:
    return timezone.localdate()


def form_of(book: Book, kind: str, category: str, template: str = "") -> Mapping[str, Any] | None:
    """The form of a template, else of the kind and category, else the kind's default."""
    named = book.templates.get(template, {}).get("form")
    known: Mapping[str, Any] | None = book.forms.get(named) if named else None
    if known is not None:
        return known
    fits = [form for form in book.forms.values() if (form.get("kind") or usual().key) == kind]
    exact = [form for form in fits if category and category in (form.get("categories") or ())]
    default = [form for form in fits if not form.get("categories")]
    return next(iter([*exact, *default]), None)


def template_of(book: Book, kind: str, category: str) -> str:
    """The template that applies to a kind and category by itself; empty when none does."""
    for key, template in book.templates.items():
        is_of_kind = (template.get("kind") or usual().key) == (kind or usual().key)
        if category and is_of_kind and template.get("category") == category:
            return str(key)
    return ""


def form_for(book: Book, ticket: Ticket) -> Mapping[str, Any] | None:
    """The form of a ticket: of what was asked for, else of its kind and category."""
    own = kind_of(ticket).form
    if own is not None:
        return own(book, ticket)
    return form_of(book, ticket.kind, ticket.category, ticket.template)


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


def accept(
    book: Book,
    audience: str,
    answers: Mapping[str, Any],
    *,
    kind: str = "",
    category: str = "",
    template: str = "",
) -> dict[str, Any]:
    """The custom values of a filled-in form that count; `Invalid` names what is missing.

    Answers to hidden fields are dropped. What every ticket has is checked where it is
    set; here only what the form asks for is.
    """
    form = form_of(book, kind or usual().key, category, template)
    if form is None:
        return {
            key: as_kept(value, book.fields[key])
            for key, value in answers.items()
            if key in book.fields
        }
    return accept_form(book, form, audience, answers, template)


def accept_form(
    book: Book,
    form: Mapping[str, Any],
    audience: str,
    answers: Mapping[str, Any],
    template: str = "",
) -> dict[str, Any]:
    """The custom values of one form that count; `Invalid` names what is missing or wrong."""
    states = forms.resolve(form, answers, audience, "submitting", book.templates.get(template))
    fields = about(book)
    wrong = {
        name: says
        for name, says in forms.problems(states, fields, _today()).items()
        if name in book.fields or (says.startswith("This is needed") and name != "text")
    }
    for name, state in states.items():
        if state.is_shown and name in book.fields and name not in wrong:
            says = why_unknown(state.value, book.fields[name])
            if says:
                wrong[name] = says
    if wrong:
        labels = ", ".join(str(fields[name]["label"]) for name in wrong if name in fields)
        raise Invalid(f"Please correct: {labels}.", fields=wrong)
    kept = forms.kept_answers(states)
    return {
        key: as_kept(value, book.fields[key]) for key, value in kept.items() if key in book.fields
    }


def states_json(
    states: Mapping[str, forms.FieldState], fields: Mapping[str, Mapping[str, Any]]
) -> list[dict[str, Any]]:
    """The states of a form's fields as the interface draws them."""
    found = []
    today = _today()
    for name, state in states.items():
        about = fields.get(name, {"label": name, "type": "text"})
        known = services() if about["type"] == "service" and name not in PLAIN else ()
        keys = state.choices if state.choices is not None else about.get("choices") or known
        labels = about.get("labels") or {}
        found.append(
            {
                "field": name,
                "label": about["label"],
                "type": about["type"],
                "hint": " ".join(filter(None, [about.get("hint", ""), limit_words(about, today)])),
                "is_shown": state.is_shown,
                "is_required": state.is_required,
                "is_read_only": state.is_read_only,
                "value": state.value,
                "limits": {
                    name: str(day_of(about[name], today)) if name.endswith("_day") else about[name]
                    for name in LIMITS
                    if about.get(name) not in (None, "")
                },
                "choices": [{"key": key, "label": labels.get(key, key)} for key in keys],
            }
        )
    return found


def plain_state(name: str, value: Any, about: Mapping[str, Any]) -> dict[str, Any]:
    """A field that no form shows, as it stands on the ticket."""
    state = forms.FieldState(name, True, False, False, value)
    return states_json({name: state}, {name: about})[0]
