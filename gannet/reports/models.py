"""Reports that people keep."""

from django.db import models

from gannet.people.models import Person


class KeptReport(models.Model):
    """A report under a name; `definition` is what it asks for, as the core reads it."""

    owner = models.ForeignKey(Person, models.CASCADE, related_name="reports")
    name = models.CharField(max_length=80)
    about = models.CharField(max_length=500, blank=True)
    definition = models.JSONField()
    is_shared = models.PositiveSmallIntegerField(default=0)
    made_s = models.BigIntegerField()
    changed_s = models.BigIntegerField()
    version = models.PositiveIntegerField(default=1)

    class Meta:
        ordering = ["name", "id"]
