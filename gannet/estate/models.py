"""What the organisation runs: services, the items under them, and what stands on what."""

from collections.abc import Mapping
from typing import Any

from django.db import models
from django.db.models import Q

from gannet.people.models import Person, Team
from gannet_core.conditions import fold


class Life(models.TextChoices):
    """Where a thing is in its life."""

    PLANNED = "planned"
    IN_USE = "in use"
    IN_REPAIR = "in repair"
    RETIRED = "retired"


class Strength(models.TextChoices):
    """How much of a thing is lost with what it depends on (computation, §11)."""

    HARD = "hard"
    SOFT = "soft"
    REDUNDANT = "redundant"


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
    # Who answers for it to those who use it, and who technically.
    owner = models.ForeignKey(Person, models.SET_NULL, null=True, blank=True)
    technical_owner = models.ForeignKey(
        Person, models.SET_NULL, null=True, blank=True, related_name="+"
    )
    supplier = models.CharField(max_length=120, blank=True)
    contract = models.CharField(max_length=120, blank=True)
    # Who uses it: departments by name.
    departments = models.JSONField(default=list, blank=True)
    life = models.CharField(max_length=12, choices=Life, default=Life.IN_USE)
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
    kind = models.CharField(max_length=60)  # a type of the rulebook, or a word of its own
    service = models.ForeignKey(Service, models.SET_NULL, null=True, related_name="items")
    place = models.CharField(max_length=80, blank=True)
    life = models.CharField(max_length=12, choices=Life, default=Life.IN_USE)
    criticality = models.PositiveSmallIntegerField(default=3)
    team = models.ForeignKey(
        Team, models.SET_NULL, null=True, blank=True, related_name="looked_after"
    )
    # Who answers for it technically, where the service's owner does not.
    owner = models.ForeignKey(Person, models.SET_NULL, null=True, blank=True, related_name="+")
    business_owner = models.ForeignKey(
        Person, models.SET_NULL, null=True, blank=True, related_name="+"
    )
    used_by = models.ForeignKey(
        Person, models.SET_NULL, null=True, blank=True, related_name="devices"
    )
    supplier = models.CharField(max_length=120, blank=True)
    contract = models.CharField(max_length=120, blank=True)
    # What is written down of it, and what a scan has found: {attribute: value}.
    attributes = models.JSONField(default=dict, blank=True)
    # The same, folded for comparing; written wherever they are.
    attributes_folded = models.JSONField(default=dict, blank=True, editable=False)
    seen = models.JSONField(default=dict, blank=True)
    seen_s = models.BigIntegerField(null=True, blank=True)
    # Why a difference is right for now: {attribute: words}; and how many are unexplained.
    explained = models.JSONField(default=dict, blank=True)
    drifts = models.PositiveSmallIntegerField(default=0)

    class Meta:
        ordering = ["name"]
        indexes = [
            models.Index(fields=["name_folded"], name="item_by_name"),
            models.Index(fields=["drifts"], condition=Q(drifts__gt=0), name="item_drifted"),
        ]

    def __str__(self) -> str:
        return self.name


def folded_attributes(attributes: Mapping[str, Any]) -> dict[str, Any]:
    """Attributes as conditions compare them: texts folded, the rest as they are."""
    return {
        key: fold(value) if isinstance(value, str) else value for key, value in attributes.items()
    }


class Dependency(models.Model):
    """A service or item that stands on another: of each end exactly one is set."""

    service = models.ForeignKey(
        Service, models.CASCADE, null=True, blank=True, related_name="stands_on"
    )
    item = models.ForeignKey(
        ConfigItem, models.CASCADE, null=True, blank=True, related_name="stands_on"
    )
    on_service = models.ForeignKey(
        Service, models.CASCADE, null=True, blank=True, related_name="carries"
    )
    on_item = models.ForeignKey(
        ConfigItem, models.CASCADE, null=True, blank=True, related_name="carries"
    )
    strength = models.CharField(max_length=10, choices=Strength, default=Strength.HARD)
    group = models.CharField(max_length=80, blank=True)
    # Both ends in one word, as `estate.nodes` writes them: two things depend once.
    ends = models.CharField(max_length=40, unique=True, editable=False)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(service=None) ^ Q(item=None), name="dependency_of_one"
            ),
            models.CheckConstraint(
                condition=Q(on_service=None) ^ Q(on_item=None), name="dependency_on_one"
            ),
        ]


class Unrecorded(models.Model):
    """Something that a scan has found and nobody has recorded."""

    key = models.CharField(max_length=120, unique=True)
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=60, blank=True)
    place = models.CharField(max_length=80, blank=True)
    attributes = models.JSONField(default=dict)
    first_s = models.BigIntegerField()
    seen_s = models.BigIntegerField()
    # Somebody has said that it is none of ours: why.
    dismissed = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-seen_s", "name"]


class Trace(models.Model):
    """That an event of the log is about a service or item: how its history is found."""

    node = models.CharField(max_length=24)  # as `estate.nodes` names it
    event_id = models.BigIntegerField()
    at_s = models.BigIntegerField()

    class Meta:
        indexes = [models.Index(fields=["node", "event_id"], name="trace_of_node")]


class NoPattern(models.Model):
    """That somebody has said of a pattern that it is none, and of how many it was then."""

    key = models.CharField(max_length=160, unique=True)  # a node, or a service and a category
    count = models.PositiveIntegerField()
    why = models.CharField(max_length=200)
    by = models.ForeignKey(Person, models.SET_NULL, null=True, related_name="+")
    at_s = models.BigIntegerField()


class PatternWatch(models.Model):
    """When patterns were last looked for in a person's name, and of which they were told.

    `told` is how many incidents each pattern had when they were: key → count.
    """

    person = models.OneToOneField(Person, models.CASCADE, related_name="+")
    at_s = models.BigIntegerField(null=True)
    told = models.JSONField(default=dict)
