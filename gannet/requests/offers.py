"""What somebody may ask for, found by words, and what a choice comes to."""

from collections.abc import Iterable, Mapping
from typing import Any

from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.tickets import forms
from gannet.tickets.directory import about_person
from gannet_core import catalogue
from gannet_core.suggest import words_of


def offered(book: Book, person: Person) -> list[dict[str, Any]]:
    """Everything somebody may ask for, by group, bundles first, in the order of the rulebook."""
    facts = about_person(person)
    found: list[dict[str, Any]] = []
    for is_bundle, entries in ((True, book.bundles), (False, book.items)):
        found += [
            offer_json(entry, is_bundle=is_bundle, items=book.items)
            for entry in entries.values()
            if catalogue.may_ask(entry, facts) and entry.get("is_alone", True)
        ]
    order = book.group_order
    return sorted(found, key=lambda offer: order.get(offer["group"], len(order)))


def offer_json(
    entry: Mapping[str, Any], *, is_bundle: bool, items: Mapping[str, Mapping[str, Any]]
) -> dict[str, Any]:
    """An offer in short; a bundle costs at least what is always in it."""
    cost = catalogue.cost_of(entry)
    for part in entry.get("parts") or ():
        if part.get("is_required") and part["item"] in items:
            cost += catalogue.cost_of(items[part["item"]])
    return {
        "key": entry["key"],
        "name": entry["name"],
        "plain": entry.get("plain", ""),
        "icon": entry.get("icon", ""),
        "group": entry.get("group", ""),
        "is_bundle": is_bundle,
        "once_pence": cost.once_pence,
        "monthly_pence": cost.monthly_pence,
        "is_preapproved": not entry.get("route"),
        "delivery": entry.get("delivery", ""),
    }


_COMMON = frozenset(
    "the a an of on in to is it and or not for with my our no at from i we can will does do "
    "cannot need want please new get have has any some".split()
)
# A beginning of four letters or a slip names a thing; a shorter beginning does not.
_A_SLIP = 0.5


def search(book: Book, person: Person, text: str, most: int = 6) -> list[dict[str, Any]]:
    """What fits some words: whole words first, then their beginnings, then one slip."""
    wanted = [word for word in words_of(text) if len(word) > 1 and word not in _COMMON]
    if not wanted:
        return []
    scored = []
    for entry in offered(book, person):
        source = {**book.items, **book.bundles}[entry["key"]]
        known = set(
            words_of(f"{source['name']} {source.get('plain', '')} {source.get('words', '')}")
        )
        named = set(words_of(source["name"]))
        score = sum(_fits(word, known) + _fits(word, named) for word in wanted)
        # Named, or what most of the words are about; one word in passing is neither.
        is_named = any(_fits(word, named) >= _A_SLIP for word in wanted)
        if is_named or score >= len(wanted) / 2:
            scored.append((score, entry))
    scored.sort(key=lambda pair: -pair[0])
    return [entry for _, entry in scored[:most]]


def _fits(word: str, known: Iterable[str]) -> float:
    """How well a word fits any of those known: 1 the same, less for a beginning or a slip."""
    best = 0.0
    for other in known:
        if other == word:
            return 1.0
        if len(word) >= 3 and other.startswith(word):
            best = max(best, 0.7 if len(word) > 4 or len(other) - len(word) < 2 else 0.4)
        elif len(word) >= 4 and len(other) >= 4 and is_a_slip(word, other):
            best = max(best, 0.5)
    return best


def is_a_slip(one: str, other: str) -> bool:
    """Whether two words differ by one letter wrong, missing, added, or two swapped."""
    if abs(len(one) - len(other)) > 1:
        return False
    start = 0
    while start < min(len(one), len(other)) and one[start] == other[start]:
        start += 1
    a, b = one[start:], other[start:]
    swapped = len(a) > 1 and len(b) > 1 and a[0] == b[1] and a[1] == b[0] and a[2:] == b[2:]
    return a[1:] == b[1:] or a[1:] == b or a == b[1:] or swapped


def fits_words(text: str, words: str) -> bool:
    """Whether any word of one text is, forgiving a slip, a word of another."""
    known = set(words_of(words))
    return any(_fits(word, known) > 0 for word in words_of(text))


def form_states(
    book: Book, entry: Mapping[str, Any], answers: Mapping[str, Any]
) -> list[dict[str, Any]]:
    """The fields of an item's or bundle's form over what has been answered so far."""
    form = book.forms.get(entry.get("form") or "")
    if form is None:
        return []
    from gannet_core.forms import resolve

    states = resolve(form, answers, "requester", "submitting")
    return [one for one in forms.states_json(states, forms.about(book)) if one["is_shown"]]
