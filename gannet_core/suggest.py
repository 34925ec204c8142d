"""Suggestions: from words to a label, by complement naive Bayes (Rennie et al. 2003).

A model is plain data (it can be stored as JSON): for each label the weight of each
word. The weights come from the *complement* of a label – all documents of the others –
which keeps labels with few documents from being drowned. Probabilities are calibrated
by one temperature that makes a held-back fifth most likely.
"""

import math
import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from gannet_core.conditions import fold

_WORD = re.compile(r"[^\W_]{2,}")
_SMOOTHING = 1.0
_FIFTH = 5
_TEMPERATURES = tuple(0.05 * 1.25**step for step in range(30))
_MOST_WORDS = 60
# Words that say nothing about what is broken.
_STOP_WORDS = frozenset(
    """the and for with this that from have has had not are was were you your our can cannot
    will would please thanks thank hello hi dear is it in on at of to we my me an as be by do
    if no or so us up am but all any get got just when then there they""".split()
)


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A label, its calibrated probability, and the words that spoke for it most."""

    label: str
    probability: float
    words: tuple[str, ...]


def words_of(text: str) -> list[str]:
    """The folded words of a text that can say something, in order, at most sixty."""
    found = (word for word in _WORD.findall(fold(text)) if word not in _STOP_WORDS)
    return [word for word, _ in zip(found, range(_MOST_WORDS), strict=False)]


def train(documents: Iterable[tuple[str, str]]) -> dict[str, Any]:
    """Train on (text, label) pairs and return the model as plain data.

    Every fifth document is held back to find the temperature and the accuracy on it;
    the final weights use all. Without documents, or with one label, the model is empty
    or certain, and says so by its `accuracy` of None.
    """
    read = [(words_of(text), label) for text, label in documents]
    held_back = read[::_FIFTH]
    taught = [pair for index, pair in enumerate(read) if index % _FIFTH]
    trial = _weights(taught)
    trial_model = {"labels": trial, "temperature": 1.0}
    known = [(words, label) for words, label in held_back if label in trial]
    temperature, accuracy = 1.0, None
    if known and len(trial) > 1:
        scores = [(_scores(trial_model, words), label) for words, label in known]
        temperature = min(_TEMPERATURES, key=lambda t: _loss(scores, t))
        right = sum(1 for found, label in scores if max(found, key=lambda k: found[k]) == label)
        accuracy = right / len(scores)
    return {"labels": _weights(read), "temperature": temperature, "accuracy": accuracy}


def suggest(model: Mapping[str, Any], text: str, most: int = 3) -> list[Suggestion]:
    """The most likely labels of a text, with the words that spoke for each.

    A text without a known word gets no suggestions: there is nothing to go by.
    """
    known: set[str] = set()
    words = words_of(text)
    for weights in model["labels"].values():
        known.update(word for word in words if word in weights)
    if not known:
        return []
    scores = _scores(model, words)
    probabilities = _softmax(scores, model["temperature"])
    best = sorted(probabilities, key=lambda label: (-probabilities[label], label))[:most]
    return [
        Suggestion(label, probabilities[label], _speaking_words(model, label, words, known))
        for label in best
    ]


def _weights(documents: Sequence[tuple[Sequence[str], str]]) -> dict[str, dict[str, float]]:
    by_label: dict[str, Counter[str]] = defaultdict(Counter)
    everything: Counter[str] = Counter()
    frequency: Counter[str] = Counter()
    for words, _label in documents:
        frequency.update(set(words))
    rare_limit = 2 if len(documents) > 200 else 1
    for words, label in documents:
        kept = [word for word in words if frequency[word] >= rare_limit]
        by_label[label].update(kept)
        everything.update(kept)
    total = sum(everything.values())
    size = len(everything)
    weights: dict[str, dict[str, float]] = {}
    for label, own in sorted(by_label.items()):
        rest_total = total - sum(own.values()) + _SMOOTHING * size
        raw = {
            word: -math.log((everything[word] - own[word] + _SMOOTHING) / rest_total)
            for word in everything
        }
        norm = sum(abs(value) for value in raw.values()) or 1.0
        mean = norm / max(len(raw), 1)
        weights[label] = {word: value / mean for word, value in raw.items()}
    return weights


def _scores(model: Mapping[str, Any], words: Sequence[str]) -> dict[str, float]:
    return {
        label: sum(weights.get(word, 0.0) for word in words) / max(len(words), 1) ** 0.5
        for label, weights in model["labels"].items()
    }


def _softmax(scores: Mapping[str, float], temperature: float) -> dict[str, float]:
    highest = max(scores.values())
    powers = {k: math.exp((value - highest) / temperature) for k, value in scores.items()}
    total = sum(powers.values())
    return {k: power / total for k, power in powers.items()}


def _loss(scores: Iterable[tuple[Mapping[str, float], str]], temperature: float) -> float:
    return -sum(
        math.log(max(_softmax(found, temperature)[label], 1e-12)) for found, label in scores
    )


def _speaking_words(
    model: Mapping[str, Any], label: str, words: Sequence[str], known: set[str]
) -> tuple[str, ...]:
    labels = model["labels"]

    def lead(word: str) -> float:
        others = [weights.get(word, 0.0) for name, weights in labels.items() if name != label]
        rest = sum(others) / len(others) if others else 0.0
        return float(labels[label].get(word, 0.0) - rest)

    ranked = sorted({word for word in words if word in known}, key=lambda w: (-lead(w), w))
    return tuple(word for word in ranked if lead(word) > 0)[:3]
