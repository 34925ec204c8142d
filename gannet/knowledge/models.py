"""Articles: what the organisation has learned, for the desk or for everybody."""

from django.db import models

from gannet.estate.models import Service
from gannet.people.models import Person
from gannet.web.numbers import is_numbered


class ArticleState(models.TextChoices):
    DRAFT = "draft"
    PUBLISHED = "published"
    RETIRED = "retired"


@is_numbered
class Article(models.Model):
    """A knowledge article; its number comes from the one that all records share."""

    id = models.BigIntegerField(primary_key=True)
    title = models.CharField(max_length=200)
    title_folded = models.CharField(max_length=200, editable=False)
    body = models.TextField(blank=True)
    state = models.CharField(max_length=12, choices=ArticleState, default=ArticleState.DRAFT)
    for_everybody = models.PositiveSmallIntegerField(default=1)
    service = models.ForeignKey(Service, models.SET_NULL, null=True, related_name="articles")
    category = models.CharField(max_length=80, blank=True)
    author = models.ForeignKey(Person, models.PROTECT, related_name="+")
    source = models.ForeignKey("tickets.Ticket", models.SET_NULL, null=True, related_name="drafts")
    made_s = models.BigIntegerField()
    changed_s = models.BigIntegerField()
    used = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["-changed_s", "-id"]

    def __str__(self) -> str:
        return self.title


class Announcement(models.Model):
    """News for everybody's portal between two instants: planned work, new hours, a move."""

    title = models.CharField(max_length=120)
    text = models.TextField(blank=True)
    # Shown to the people of one place; to everybody where it is empty.
    place = models.CharField(max_length=80, blank=True)
    from_s = models.BigIntegerField()
    to_s = models.BigIntegerField()
    author = models.ForeignKey(Person, models.PROTECT, related_name="+")

    class Meta:
        ordering = ["from_s", "id"]
        indexes = [models.Index(fields=["to_s"], name="announcement_until")]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(to_s__gt=models.F("from_s")), name="announcement_ends_later"
            )
        ]

    def __str__(self) -> str:
        return self.title
