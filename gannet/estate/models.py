"""What the organisation runs: services and the configuration items under them."""

from django.db import models

from gannet.people.models import Person, Team


class Service(models.Model):
    """A business service, in the words of those who use it."""

    key = models.SlugField(unique=True)
    name = models.CharField(max_length=80, unique=True)
    plain = models.CharField(max_length=200, blank=True)
    words = models.TextField(blank=True)
    criticality = models.PositiveSmallIntegerField(default=3)
    team = models.ForeignKey(Team, models.PROTECT, null=True, blank=True)
    category = models.CharField(max_length=80, blank=True)
    default_impact = models.PositiveSmallIntegerField(default=3)
    default_urgency = models.PositiveSmallIntegerField(default=3)
    owner = models.ForeignKey(Person, models.SET_NULL, null=True, blank=True)
    is_confidential = models.BooleanField(default=False)
    # What is asked after closing, beside how it was: [{"key", "label"}].
    survey = models.JSONField(default=list, blank=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class ConfigItem(models.Model):
    """A configuration item: a thing that can be at fault."""

    key = models.SlugField(unique=True)
    name = models.CharField(max_length=120)
    name_folded = models.CharField(max_length=120, blank=True, editable=False)
    kind = models.CharField(max_length=60)
    service = models.ForeignKey(Service, models.SET_NULL, null=True, related_name="items")
    place = models.CharField(max_length=80, blank=True)
    # Who answers for it technically, where the service's owner does not.
    owner = models.ForeignKey(Person, models.SET_NULL, null=True, blank=True, related_name="+")
    used_by = models.ForeignKey(
        Person, models.SET_NULL, null=True, blank=True, related_name="devices"
    )

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name
