"""Whoever follows an article hears when a new version of it is published."""

from typing import Any

from gannet.knowledge.models import Article
from gannet.knowledge.search import readable
from gannet.messages import notices
from gannet.messages.models import Notification
from gannet.people.acting import Acting

TO_REVIEW, CHANGED = "article to review", "article changed"


def published(sender: Any, *, article: Article, acting: Acting, **_: Any) -> None:
    """Tell those who follow it and may read it; nobody need review it any more.

    Not whoever published it, and of one version nobody twice.
    """
    review = Notification.objects.filter(
        event_name=TO_REVIEW, about=f"article:{article.pk}", gone_s=None
    )
    review.update(gone_s=acting.now_s)
    version = article.versions.filter(number=article.version).first()
    if version is None or version.number == 1:
        return
    for row in article.followers.select_related("person").exclude(told=version.number):
        row.told = version.number
        row.save(update_fields=["told"])
        person = row.person
        if person.pk == acting.person_id or not readable(person).filter(pk=article.pk).exists():
            continue
        notices.notify(
            person, CHANGED, f"article news:{article.pk}",
            f"“{article.title}” says something new", acting.now_s, text=version.note,
        )  # fmt: skip
