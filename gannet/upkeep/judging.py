"""Whether an article helped, by its readers; and what its owner answers them."""

from django.db import transaction

from gannet.knowledge import actions
from gannet.knowledge.models import Article, ArticleState, ArticleVote
from gannet.messages import notices
from gannet.messages.following import TO_REVIEW
from gannet.messages.models import Notification
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.upkeep import ruling, wants
from gannet.web.errors import Invalid, Missing, Refused


@transaction.atomic
def vote(acting: Acting, article: Article, *, helped: bool, why: str) -> ArticleVote:
    """Whether it helped; said again of the same version, the last word counts."""
    person = acting.person
    if person is None:
        raise Refused("Only a person says whether it helped.")
    if person.pk in (article.owner_id, article.author_id):
        raise Refused("Its owner does not say whether it helped.")
    said = " ".join(why.split())[:500]
    was_disputed = _is_disputed(article)
    row, _ = ArticleVote.objects.update_or_create(
        article=article, person=person, version=article.version,
        defaults={"helped": helped, "why": said, "at_s": acting.now_s},
    )  # fmt: skip
    owner = article.owner
    if not helped and said and owner is not None:
        notices.notify(
            owner, "article disputed", f"article:{article.pk}",
            f"Article {article.pk} did not help {person.name}", acting.now_s, text=said,
        )  # fmt: skip
    ruling.judged(acting, row, was_disputed, _is_disputed(article))
    return row


def _is_disputed(article: Article) -> bool:
    return wants.is_disputed(*wants.votes_of([article]).get((article.pk, article.version), (0, 0)))


@transaction.atomic
def answer(acting: Acting, article: Article, number: int, text: str) -> ArticleVote:
    """What the owner answers to somebody whom it did not help; they hear of it."""
    person = acting.person
    row = article.votes.select_related("person").filter(pk=number).first()
    if row is None:
        raise Missing("There is no such note.")
    said = " ".join(text.split())[:500]
    if not said:
        raise Invalid("Say something.", fields={"text": "This is empty."})
    row.answer, row.answered_s = said, acting.now_s
    row.save(update_fields=["answer", "answered_s"])
    notices.notify(
        row.person, "article answered", f"article:{article.pk}",
        f"{person.name if person else 'The desk'} answered you on “{article.title}”",
        acting.now_s, text=said,
    )  # fmt: skip
    return row


def tell_editors(acting: Acting, article: Article) -> None:
    """Editors hear of what waits for their review; what is decided they need hear no more."""
    about = f"article:{article.pk}"
    if article.state != ArticleState.IN_REVIEW:
        told = Notification.objects.filter(event_name=TO_REVIEW, about=about, gone_s=None)
        told.update(gone_s=acting.now_s)
        return
    asks = acting.person
    for person in Person.objects.filter(is_active=True):
        if actions.is_editor(person) and person.is_on_desk and person != asks:
            notices.notify(
                person, TO_REVIEW, about, f"“{article.title}” waits for its review",
                acting.now_s, text=f"Written by {asks.name}." if asks else "",
            )  # fmt: skip
