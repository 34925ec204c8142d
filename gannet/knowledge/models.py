"""Articles: what the organisation has learned, for the desk or for everybody."""

from django.db import models

from gannet.estate.models import Service
from gannet.people.models import Person
from gannet.web.numbers import is_numbered


class ArticleState(models.TextChoices):
    DRAFT = "draft"
    IN_REVIEW = "in review"
    PUBLISHED = "published"
    RETIRED = "retired"


class ArticleKind(models.TextChoices):
    HOW_TO = "how to"
    FAULT = "fault and cure"
    QUESTION = "question"
    KNOWN_ERROR = "known error"


@is_numbered
class Article(models.Model):
    """A knowledge article; its number comes from the one that all records share.

    `title` and `body` are what readers see; `version` is that of them, `newest` the last that
    was written: a published article that is being worked on has a newer version than it shows.
    `for_everybody` is 1 for everybody, 0 for the desk, 2 for those in its audience.
    """

    id = models.BigIntegerField(primary_key=True)
    title = models.CharField(max_length=200)
    title_folded = models.CharField(max_length=200, editable=False)
    body = models.TextField(blank=True)
    state = models.CharField(max_length=12, choices=ArticleState, default=ArticleState.DRAFT)
    for_everybody = models.PositiveSmallIntegerField(default=1)
    service = models.ForeignKey(Service, models.SET_NULL, null=True, related_name="articles")
    category = models.CharField(max_length=80, blank=True)
    kind = models.CharField(max_length=20, choices=ArticleKind, default=ArticleKind.HOW_TO)
    author = models.ForeignKey(Person, models.PROTECT, related_name="+")
    owner = models.ForeignKey(Person, models.PROTECT, null=True, related_name="owned_articles")
    review_s = models.BigIntegerField(null=True)
    version = models.PositiveIntegerField(default=1)
    newest = models.PositiveIntegerField(default=1)
    source = models.ForeignKey("tickets.Ticket", models.SET_NULL, null=True, related_name="drafts")
    made_s = models.BigIntegerField()
    changed_s = models.BigIntegerField()
    used = models.PositiveIntegerField(default=0)
    language = models.CharField(max_length=12, default="en")
    # Of a translation: the article that was written first, and which version of it this says.
    original = models.ForeignKey("self", models.SET_NULL, null=True, related_name="translations")
    of_version = models.PositiveIntegerField(null=True)

    class Meta:
        ordering = ["-changed_s", "-id"]

    def __str__(self) -> str:
        return self.title


class ArticleVersion(models.Model):
    """One text of an article, by whom and why.

    Nothing is added to a version; what may not stand anywhere is removed from it.
    """

    article = models.ForeignKey(Article, models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    title = models.CharField(max_length=200)
    body = models.TextField(blank=True)
    by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at_s = models.BigIntegerField()
    note = models.CharField(max_length=200, blank=True)
    published_s = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["-number"]
        constraints = [
            models.UniqueConstraint(fields=["article", "number"], name="article_version")
        ]


class ArticleAudience(models.Model):
    """Whom an article is for, where it is for some.

    Those of a department or place, those whose department uses a service, or who hold a role.
    """

    article = models.ForeignKey(Article, models.CASCADE, related_name="audiences")
    kind = models.CharField(max_length=12)
    name = models.CharField(max_length=80)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["article", "kind", "name"], name="article_audience")
        ]


class ArticleLink(models.Model):
    """What the text that readers of an article see links to: an article, ticket, item, service."""

    article = models.ForeignKey(Article, models.CASCADE, related_name="links")
    what = models.CharField(max_length=8)
    number = models.BigIntegerField()

    class Meta:
        indexes = [models.Index(fields=["what", "number"], name="article_links_to")]
        constraints = [
            models.UniqueConstraint(fields=["article", "what", "number"], name="one_article_link")
        ]


class ArticlePicture(models.Model):
    """A picture that texts of an article may show, by a name that says what is in it.

    The name ends in a part of what the content comes to, so that the same name is the same
    picture in every article and every folder.
    """

    article = models.ForeignKey(Article, models.CASCADE, related_name="pictures")
    name = models.CharField(max_length=80)
    content_type = models.CharField(max_length=40)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    size = models.PositiveIntegerField()
    file = models.FileField(upload_to="articles", max_length=200)
    by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at_s = models.BigIntegerField()

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["article", "name"], name="article_picture")]


class ArticleFollower(models.Model):
    """Somebody who wants to hear when a new version of an article is published."""

    article = models.ForeignKey(Article, models.CASCADE, related_name="followers")
    person = models.ForeignKey(Person, models.CASCADE, related_name="+")
    told = models.PositiveIntegerField(default=0)  # of which version

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["article", "person"], name="one_article_follower")
        ]


class ArticlePresence(models.Model):
    """Who writes an article right now; rows older than half a minute mean nothing."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="+")
    article = models.ForeignKey(Article, models.CASCADE, related_name="+")
    seen_s = models.BigIntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["person", "article"], name="one_article_presence")
        ]


class ArticleVote(models.Model):
    """Whether a version helped somebody, why not, and what its owner answered."""

    article = models.ForeignKey(Article, models.CASCADE, related_name="votes")
    person = models.ForeignKey(Person, models.CASCADE, related_name="+")
    version = models.PositiveIntegerField()
    helped = models.BooleanField()
    why = models.CharField(max_length=500, blank=True)
    at_s = models.BigIntegerField()
    answer = models.CharField(max_length=500, blank=True)
    answered_s = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["-at_s", "-id"]
        constraints = [
            models.UniqueConstraint(fields=["article", "person", "version"], name="one_vote")
        ]


class ArticleRuling(models.Model):
    """What a rule of the rulebook did to an article, and why."""

    article = models.ForeignKey(Article, models.CASCADE, related_name="rulings")
    at_s = models.BigIntegerField()
    moment = models.CharField(max_length=20)
    rule = models.CharField(max_length=60)
    name = models.CharField(max_length=120)
    because = models.CharField(max_length=300, blank=True)
    did = models.JSONField(default=list)

    class Meta:
        ordering = ["-at_s", "-id"]


class ArticleRead(models.Model):
    """Somebody read an article: when, and whether a search or an offer led there."""

    article = models.ForeignKey(Article, models.CASCADE, related_name="reads")
    person = models.ForeignKey(Person, models.CASCADE, related_name="+")
    at_s = models.BigIntegerField()
    is_found = models.BooleanField(default=False)

    class Meta:
        indexes = [models.Index(fields=["at_s"], name="article_read_when")]


class Search(models.Model):
    """What somebody searched for on the portal, how sure the best hit was, and what came of it."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="+")
    words = models.CharField(max_length=120)
    said = models.CharField(max_length=120)
    at_s = models.BigIntegerField()
    best = models.FloatField(default=0)
    became_ticket = models.BooleanField(default=False)

    class Meta:
        indexes = [models.Index(fields=["person", "at_s"], name="search_whose")]


class SameWords(models.Model):
    """Words that mean the same on this desk, kept by the desk: till, register, checkout."""

    words = models.JSONField()
    by = models.ForeignKey(Person, models.PROTECT, related_name="+")

    class Meta:
        ordering = ["id"]


class Announcement(models.Model):
    """News for everybody's portal between two instants: planned work, new hours, a move."""

    title = models.CharField(max_length=120)
    text = models.TextField(blank=True)
    # Shown to the people of one place; to everybody where it is empty.
    place = models.CharField(max_length=80, blank=True)
    # Shown to those who use a service, or what belongs to a group of items of the rulebook.
    service = models.ForeignKey(Service, models.CASCADE, null=True, blank=True, related_name="+")
    group = models.CharField(max_length=80, blank=True)
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
