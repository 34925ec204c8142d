"""What Northmere knows: articles on what keeps going wrong, and what readers made of them."""

import random
import re
from collections.abc import Sequence
from datetime import datetime, timedelta

from gannet.demo.article_pictures import DRAWINGS, content_of
from gannet.demo.articles import Told, told
from gannet.demo.stories import FAULTS, Fault
from gannet.demo.translated import make_translations
from gannet.estate.models import Service
from gannet.knowledge import pictures
from gannet.knowledge.actions import set_article_state, write_article
from gannet.knowledge.models import (
    Article,
    ArticleRead,
    ArticleVersion,
    ArticleVote,
    SameWords,
    Search,
)
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.models import Ticket
from gannet_core.conditions import words_of
from gannet_core.instants import seconds_of

_DAY = 86_400
_SLOT = re.compile(r"\{[^}]*\}")
_WRITERS = ("Marit Osei", "Signe Hallam", "Bram Okafor", "Kerensa Hallam", "Nerys Latimer")
# What people sought in vain of late: by how many, of whom so many asked the desk.
_SOUGHT: Sequence[tuple[str, int, int]] = (
    ("badge printer ribbon", 17, 9),
    ("second screen flickers", 14, 7),
    ("roster swap after midnight", 12, 7),
    ("van length on the website", 10, 3),
    ("certificate on handheld", 9, 5),
    ("expenses from the islands", 7, 4),
)
# What people sought in vain, and then found in other words: by how many.
_TRIED_AGAIN: Sequence[tuple[str, str, int]] = (
    ("telly frozen", "screen frozen", 4),
    ("wage slip", "pay slip", 3),
)
# Articles whose last version helped fewer, and what their readers wrote.
_DISPUTED = {
    "Gate rejects every barcode": (
        "Gate 5 has no white light.",
        "I have no service panel here.",
        "The old way worked for me.",
        "Our spare reader head is on Tern.",
    ),
    "Lounge Wi-Fi is slow": (
        "The cupboard is locked, and the purser has the key.",
        "It helped for an hour.",
        "The voucher page still does not come up.",
    ),
}
_RESOLVED_WITH = 0.12  # of the tickets that an article is about
_ESCAPED_SLOT = re.compile(r"\\\{\w+\\\}")
_SAME_ALREADY = 5  # a fault of which an article was written by hand
_SAME = (("till", "register", "checkout"), ("wifi", "wireless", "wlan"), ("laptop", "notebook"))


def make_knowledge(now: datetime, seed: int) -> None:
    """Articles from what two years of faults taught, read, judged, and some of them stale."""
    rng, now_s = random.Random(seed + 17), seconds_of(now)
    people = {person.name: person for person in Person.objects.all()}
    services = {service.name: service for service in Service.objects.all()}
    writers = [people[name] for name in _WRITERS if name in people]
    lead = people["Marit Osei"]
    for place, fault in enumerate(FAULTS):
        days = 420 - 14 * place if place < 24 else 40
        written = Acting(person=writers[place % len(writers)], now=now - timedelta(days=days))
        service = services.get(fault.service)
        title = title_of(place, fault)
        if place == _SAME_ALREADY:
            continue
        article = write_article(
            written,
            {
                "title": title,
                "body": _body(fault),
                "service": service,
                "category": service.category if service else "",
                "for_everybody": int(place % 3 != 1),
                "kind": "fault and cure",
            },
        )
        if place % 9 == 8:
            continue  # still a draft
        at = now - timedelta(days=days - 1)
        set_article_state(Acting(person=lead, now=at), article.pk, "published")
    published = list(Article.objects.filter(state="published").order_by("pk"))
    disputed = [one for one in published if one.title in _DISPUTED]
    _second_versions([*published[:4], *disputed], lead, now)
    _reviews(published, now_s, rng)
    _read_and_judged(published, now_s, rng)
    _sought(now_s, rng)
    _resolved_with(published, now_s, random.Random(seed + 31))
    for words in _SAME:
        folded = [word for one in words for word in words_of(one)]
        SameWords.objects.create(words=folded, by=lead)


def make_handbook(now: datetime, seed: int) -> None:
    """What is written down beside the faults: read now and then, and judged by few."""
    rng, now_s = random.Random(seed + 29), seconds_of(now)
    people = {person.name: person for person in Person.objects.all()}
    services = {service.name: service for service in Service.objects.all()}
    writers = [people[name] for name in _WRITERS if name in people]
    lead = people["Marit Osei"]
    published = []
    for place, one in enumerate(told()):
        days = rng.randint(30, 700)
        service = services[one.service]
        acting = Acting(person=writers[place % len(writers)], now=now - timedelta(days=days))
        body, picture = _illustrated(one)
        article = write_article(
            acting,
            {
                "title": one.title,
                "body": body,
                "service": service,
                "category": service.category,
                "for_everybody": int(one.is_for_all),
                "kind": one.kind,
            },
        )
        if picture is not None:
            pictures.keep(acting, article, picture)
        if place % 28 == 27:
            continue  # still a draft
        at = now - timedelta(days=days - 1)
        set_article_state(Acting(person=lead, now=at), article.pk, "published")
        published.append(article.pk)
    # Nobody's own looks and votes count.
    others = Person.objects.filter(is_active=True).exclude(name__in=_WRITERS)
    readers = list(others.order_by("pk")[:160])
    reads, votes = [], []
    for article in Article.objects.filter(pk__in=published).order_by("pk"):
        article.review_s = now_s + rng.randint(20, 170) * _DAY
        reads += [
            ArticleRead(
                article=article, person=rng.choice(readers),
                at_s=rng.randint(max(article.made_s + _DAY, now_s - 60 * _DAY), now_s - 60),
                is_found=rng.random() < 0.7,
            )
            for _ in range(rng.randint(2, 18))
        ]  # fmt: skip
        votes += [
            ArticleVote(
                article=article, person=person, version=1, helped=rng.random() < 0.9,
                at_s=now_s - rng.randint(1, 29 * _DAY),
            )
            for person in rng.sample(readers, rng.randint(0, 9))
        ]  # fmt: skip
        article.save(update_fields=["review_s"])
    ArticleRead.objects.bulk_create(reads, batch_size=500)
    ArticleVote.objects.bulk_create(votes, batch_size=500)
    everyday = Article.objects.filter(pk__in=published).select_related("service", "original")
    make_translations(list(everyday.order_by("pk")), lead, now)


def _illustrated(one: Told) -> tuple[str, pictures.Prepared | None]:
    """The text of an article with its drawing after the first lines, where there is one."""
    drawing = DRAWINGS.get(one.title)
    if drawing is None:
        return one.body, None
    picture = pictures.prepare(drawing.file, content_of(drawing))
    shown = f"![{drawing.shows}](pictures/{picture.name}{drawing.size})"
    first, _, rest = one.body.partition("\n\n")
    parts = [shown, one.body] if first.startswith("|") else [first, shown, rest]
    return "\n\n".join(part for part in parts if part), picture


# Titles that say nothing without the particulars of a case.
_TITLES = {
    10: "Manifest export stops early", 14: "Ship-to-shore link drops near a headland",
    17: "A Wi-Fi voucher is refused", 18: "A payslip is missing",
    20: "A shared mailbox is not visible",
}  # fmt: skip
# What stands for the particulars of one case in an article, which is about all of them.
_ANY = {
    "{place}": "the terminal", "{ship}": "the ship", "{team}": "the team", "{time}": "",
    "{colleague}": "a colleague", "{month}": "month", "{clock}": "six", "{n}": "",
    "{phone}": "the desk",
}  # fmt: skip


def title_of(place: int, fault: Fault) -> str:
    """The title of the article that was made of a fault, which stands at that place."""
    return _TITLES.get(place) or _plain(fault.titles[0])


def _general(text: str) -> str:
    said = text
    for slot, words in _ANY.items():
        said = said.replace(slot, words)
    said = re.sub(r"\s+([,.;:])", r"\1", " ".join(said.split()))
    said = re.sub(r"[,;:]+([.;])", r"\1", said)
    return said[:1].upper() + said[1:]


def _plain(text: str) -> str:
    said = re.sub(r"\s+(?:at|in|on|of|from)\s+\{[^}]*\}", "", text)
    said = _SLOT.sub("", said)
    return re.sub(r"\s+(at|in|on|of|from)\s*$", "", " ".join(said.split())).strip(" ,.:")[:200]


def _body(fault: Fault) -> str:
    seen = [_general(text) for text in fault.accounts[:2]]
    steps = [_general(text) for text in fault.fixes]
    notes = [_general(text) for text in fault.notes[:2]]
    return "\n\n".join(
        [
            "## What you see",
            *[one for one in seen if one],
            "## What has helped",
            "\n".join(f"{place}. {one}" for place, one in enumerate(filter(None, steps), 1)),
            *(["## Good to know"] if any(notes) else []),
            *[one for one in notes if one],
        ]
    )


def _second_versions(articles: Sequence[Article], lead: Person, now: datetime) -> None:
    """Some were written again; what was better before is seen by their readers' votes."""
    for place, article in enumerate(articles):
        at = Acting(person=lead, now=now - timedelta(days=70 - 5 * place))
        body = f"{article.body}\n\nStill nothing: call the desk, and say what you tried."
        given = {"title": article.title, "body": body, "note": "What to do when nothing helps"}
        write_article(at, given, article.pk)
        set_article_state(at, article.pk, "published")


def _reviews(articles: Sequence[Article], now_s: int, rng: random.Random) -> None:
    """Most were reviewed not long ago; some are late, some due these days."""
    for place, article in enumerate(articles):
        days = rng.randint(20, 170)
        if place % 10 == 4:
            days = -rng.randint(8, 70)
        elif place % 10 == 7:
            days = rng.randint(2, 12)
        Article.objects.filter(pk=article.pk).update(review_s=now_s + days * _DAY)


def _read_and_judged(articles: Sequence[Article], now_s: int, rng: random.Random) -> None:
    readers = list(Person.objects.filter(is_active=True).order_by("pk")[:160])
    reads, votes = [], []
    for place, article in enumerate(articles):
        article.refresh_from_db()
        newest = ArticleVersion.objects.filter(article=article, number=article.version).first()
        since = newest.at_s if newest else article.made_s
        is_stale, wrote = place % 11 == 10, _DISPUTED.get(article.title, ())
        often = 0 if is_stale else rng.randint(4, 60)
        for _ in range(often):
            at_s = now_s - rng.randint(1, 60 * _DAY)
            reads.append(
                ArticleRead(
                    article=article, person=rng.choice(readers), at_s=at_s,
                    is_found=rng.random() < 0.7,
                )
            )  # fmt: skip
        if is_stale:
            last_s = now_s - rng.randint(190, 260) * _DAY
            reads.append(ArticleRead(article=article, person=readers[0], at_s=last_s))
        for version in range(1, article.version + 1):
            is_now = version == article.version
            share = 0.45 if wrote and is_now else rng.uniform(0.78, 0.97)
            crowd = rng.sample(readers, rng.randint(14, 30) if wrote else rng.randint(3, 34))
            notes = list(wrote) if is_now else []
            for person in crowd:
                helped = rng.random() < share
                why = notes.pop() if notes and not helped else ""
                at_s = rng.randint(min(since, now_s - _DAY), now_s - 3_600)
                if not is_now:
                    at_s = max(article.made_s, since - rng.randint(1, 100) * _DAY)
                votes.append(
                    ArticleVote(
                        article=article, person=person, version=version, helped=helped, why=why,
                        at_s=at_s,
                    )
                )  # fmt: skip
    ArticleRead.objects.bulk_create(reads, batch_size=500)
    ArticleVote.objects.bulk_create(votes, batch_size=500)


def _resolved_with(articles: Sequence[Article], now_s: int, rng: random.Random) -> None:
    """Some of the tickets that an article is about were resolved with it, once it was there."""
    known = {one.title: one for one in articles}
    for place, fault in enumerate(FAULTS):
        article = known.get(title_of(place, fault))
        if article is None:
            continue
        told = [re.compile(_ESCAPED_SLOT.sub(".+", re.escape(one))) for one in fault.titles]
        rows = Ticket.objects.filter(
            kind="incident", service__name=fault.service, resolved_s__gt=article.made_s + _DAY
        )
        alike = [
            number
            for number, title in rows.order_by("pk").values_list("pk", "title")
            if any(one.fullmatch(title) for one in told)
        ]
        used = [number for number in alike if rng.random() < _RESOLVED_WITH]
        Ticket.objects.filter(pk__in=used).update(article=article)
        article.used = len(used)
        article.save(update_fields=["used"])


def _sought(now_s: int, rng: random.Random) -> None:
    people = list(Person.objects.filter(is_active=True).order_by("pk")[:120])
    rows = []
    for said, many, asked in _SOUGHT:
        for number, person in enumerate(rng.sample(people, many)):
            rows.append(
                Search(
                    person=person, words=" ".join(dict.fromkeys(words_of(said))), said=said,
                    at_s=now_s - rng.randint(_DAY, 28 * _DAY), best=0.2,
                    became_ticket=number < asked,
                )
            )  # fmt: skip
    for said, meant, many in _TRIED_AGAIN:
        for person in rng.sample(people, many):
            at_s = now_s - rng.randint(_DAY, 28 * _DAY)
            for words, best, later in ((said, 0.3, 0), (meant, 0.9, 70)):
                folded = " ".join(words_of(words))
                rows.append(
                    Search(person=person, words=folded, said=words, at_s=at_s + later, best=best)
                )
    Search.objects.bulk_create(rows)
