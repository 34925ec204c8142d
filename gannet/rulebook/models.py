"""The stored form of the rulebook: its published editions."""

from django.db import models

from gannet.people.models import Person


class Edition(models.Model):
    """One published version of every policy; tickets remember theirs by number."""

    number = models.PositiveIntegerField(unique=True)
    document = models.JSONField()
    published_at = models.DateTimeField()
    published_by = models.ForeignKey(Person, models.SET_NULL, null=True)
    comment = models.TextField(blank=True)

    class Meta:
        ordering = ["-number"]
