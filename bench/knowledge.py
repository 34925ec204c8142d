"""How fast articles are found among 20,000, and how well: mistyped words to the right article.

Beside ours stands plain full text over the same index: all the words as they were typed, BM25
alone. Both are asked the same questions, in turns.
"""

import random
import re
import tempfile
import time
from pathlib import Path
from typing import Any

from bench import database
from bench.timing import verdict

ARTICLES, QUESTIONS = 20_000, 200
_THINGS = (
    "printer till gate laptop tablet mailbox roster screen phone reader badge voucher payslip "
    "manifest berth cabin router server terminal scanner headset camera charger password"
).split()
_FAULTS = (
    "blank frozen slow dark missing refused locked dropped doubled late offline noisy hot wrong "
    "empty stuck blinking cracked silent expired"
).split()
_PLACES = (
    "orrin saltgate kestrel merrow tern halcyon vell farrow skerry bridge lounge ramp office quay "
    "purser workshop stores wheelhouse galley mast"
).split()
_MORE = (
    "open close hold press turn wipe restart swap check clean load pull push wait call read set "
    "cable lid light key roll paper panel switch button network group owner time zone disk port"
).split()


def run() -> list[str]:
    with tempfile.TemporaryDirectory() as folder, database.pointed_at(Path(folder) / "k.sqlite3"):
        from django.core.management import call_command
        from django.db import connection

        call_command("migrate", verbosity=0)
        lines = _measured()
        connection.close()
    with database.pointed_at(database.demo()):
        return [*lines, *_held_back()]


def _measured() -> list[str]:
    from gannet.knowledge import search
    from gannet.knowledge.models import Article
    from gannet.people.models import Person
    from gannet_core.conditions import words_of

    rng = random.Random(7)
    writer = Person.objects.create(name="Bench Writer", email="writer@bench.example")
    rows = []
    for number in range(1, ARTICLES + 1):
        thing, fault, place = (rng.choice(some) for some in (_THINGS, _FAULTS, _PLACES))
        title = f"{thing} {fault} at {place} {number}"
        text = " ".join(rng.choice(_MORE) for _ in range(60))
        rows.append(
            Article(
                pk=number, title=title, title_folded=title, body=f"{text} {rng.choice(_PLACES)}",
                state="published", for_everybody=1, author=writer, owner=writer, made_s=1,
                changed_s=1,
            )
        )  # fmt: skip
    Article.objects.bulk_create(rows, batch_size=1_000)
    search.fill(Article)
    times: dict[str, list[float]] = {"ours": [], "plain": []}
    missed = {"ours": 0, "plain": 0}
    for row in rng.sample(rows, QUESTIONS):
        words = [word for word in words_of(row.title) if word != "at" and not word.isdigit()]
        asked = [_slip(word, rng) if rng.random() < 0.25 else word for word in words]
        for name in times:
            began = time.process_time()
            numbers = _ask(search, name, asked)
            times[name].append(time.process_time() - began)
            missed[name] += row.pk not in numbers[:3]
    late = sorted(times["ours"])[int(QUESTIONS * 0.95)] * 1000
    fewer = 1 - missed["ours"] / max(1, missed["plain"])
    return [
        f"{ARTICLES:,} articles, {QUESTIONS} questions, a quarter of the words mistyped: not among "
        f"the first three {missed['ours']} of ours, {missed['plain']} of plain full text",
        verdict("searching articles, p95, milliseconds of CPU", late, "≤ 50", is_met=late <= 50),
        verdict("fewer missed than plain full text, share", fewer, "≥ 0.2", is_met=fewer >= 0.2),
    ]


PAIRS = 200


def _held_back() -> list[str]:
    """Tickets of the demo, in words that no article was made of, to the article of their fault.

    An article has the first title of its fault; asked are tickets that were reported under
    another one. Plain full text has the same words and the same articles.
    """
    from gannet.knowledge import search
    from gannet.knowledge.models import Article
    from gannet.people.models import Person
    from gannet_core.conditions import words_of

    rng, pairs = random.Random(11), _pairs()
    asked = rng.sample(pairs, min(PAIRS, len(pairs)))
    agent = Person.objects.get(name="Signe Hallam")
    known = set(Article.objects.filter(state="published").values_list("pk", flat=True))
    missed = {"ours": 0, "plain": 0}
    for title, service, wanted in asked:
        found = search.search(
            title, agent, int(time.time()), most=3, any_word=True, services=[service]
        )
        missed["ours"] += wanted not in [one.article.pk for one in found]
        words = list(dict.fromkeys(words_of(title)))
        scored = search._bm25(" OR ".join(f'"{word}"' for word in words))
        first = sorted(known & set(scored), key=lambda number: -scored[number])[:3]
        missed["plain"] += wanted not in first
    fewer = 1 - missed["ours"] / max(1, missed["plain"])
    many = len(asked)
    return [
        f"{many} tickets to the article of their fault: among the first three "
        f"{many - missed['ours']} of ours, {many - missed['plain']} of plain full text",
        verdict("fewer missed than plain full text, share", fewer, "≥ 0.2", is_met=fewer >= 0.2),
    ]


def _pairs() -> list[tuple[str, int, int]]:
    """Titles of tickets with their service, and the article of the fault that they tell of."""
    from gannet.demo.knowledge import title_of
    from gannet.demo.stories import FAULTS
    from gannet.knowledge.models import Article
    from gannet.tickets.models import Ticket

    articles = dict(Article.objects.filter(state="published").values_list("title", "pk"))
    found = []
    for place, fault in enumerate(FAULTS):
        wanted = articles.get(title_of(place, fault))
        if wanted is None:
            continue
        first, *others = (re.compile(_SLOT.sub(".+", re.escape(one))) for one in fault.titles)
        rows = Ticket.objects.filter(kind="incident", service__name=fault.service)
        for title, service in rows.values_list("title", "service").distinct():
            if first.fullmatch(title) is None and any(one.fullmatch(title) for one in others):
                found.append((title, service, wanted))
    return sorted(found)


_SLOT = re.compile(r"\\\{\w+\\\}")


def _ask(search: Any, name: str, words: list[str]) -> list[int]:
    if name == "ours":
        found = search.search(" ".join(words), None, 2, most=10, any_word=True)
        return [one.article.pk for one in found]
    scored = search._bm25(" AND ".join(f'"{word}"' for word in words))
    return sorted(scored, key=lambda number: -scored[number])[:10]


def _slip(word: str, rng: random.Random) -> str:
    """A word with one slip of the keyboard, its first letter right; short ones and numbers stay."""
    if len(word) < 4 or word.isdigit():
        return word
    at = rng.randint(1, len(word) - 2)
    return rng.choice(
        (
            word[:at] + word[at + 1 :],
            word[:at] + word[at] + word[at:],
            word[:at] + word[at + 1] + word[at] + word[at + 2 :],
        )
    )
