"""People, their teams, and when they are away."""

from typing import Any

from django.contrib.auth.base_user import AbstractBaseUser, BaseUserManager
from django.db import models

from gannet_core.conditions import fold


class Role(models.TextChoices):
    """What a person may do beyond asking for help and approving."""

    AGENT = "agent"
    TEAM_LEAD = "team lead"
    CHANGE_MANAGER = "change manager"
    PROBLEM_MANAGER = "problem manager"
    MAJOR_LEAD = "major incident lead"
    KNOWLEDGE_EDITOR = "knowledge editor"
    MANAGER = "manager"
    ADMINISTRATOR = "administrator"


DESK_ROLES = frozenset(
    {
        Role.AGENT,
        Role.TEAM_LEAD,
        Role.CHANGE_MANAGER,
        Role.PROBLEM_MANAGER,
        Role.MAJOR_LEAD,
    }
)


class PersonManager(BaseUserManager["Person"]):
    def create_user(self, email: str, password: str | None = None, **fields: Any) -> "Person":
        person = self.model(email=email.casefold(), **fields)
        if password:
            person.set_password(password)
        else:
            person.set_unusable_password()
        person.save()
        return person

    def get_by_natural_key(self, username: str | None) -> "Person":
        return self.get(email=(username or "").casefold())


class Person(AbstractBaseUser):
    """Somebody who works here: everyone can ask, some work on the desk."""

    email = models.EmailField(unique=True)
    name = models.CharField(max_length=120)
    name_folded = models.CharField(max_length=120, db_index=True, editable=False)
    department = models.CharField(max_length=80, blank=True)
    job = models.CharField(max_length=80, blank=True)
    place = models.CharField(max_length=80, blank=True)
    phone = models.CharField(max_length=40, blank=True)
    zone = models.CharField(max_length=60, default="Europe/London")
    manager = models.ForeignKey("self", models.SET_NULL, null=True, blank=True)
    cost_centre = models.ForeignKey("CostCentre", models.SET_NULL, null=True, blank=True)
    roles = models.JSONField(default=list, blank=True)
    care_tiers = models.JSONField(default=list, blank=True)
    working_calendar = models.CharField(max_length=60, blank=True)
    preferences = models.JSONField(default=dict, blank=True)
    is_active = models.BooleanField(default=True)

    USERNAME_FIELD = "email"
    objects = PersonManager()

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    def save(self, *args: Any, **kwargs: Any) -> None:
        self.name_folded = fold(self.name)
        super().save(*args, **kwargs)

    def has_role(self, *roles: str) -> bool:
        return any(role in self.roles for role in roles)

    @property
    def is_on_desk(self) -> bool:
        return self.has_role(*DESK_ROLES)

    @property
    def first_name(self) -> str:
        return self.name.split(" ")[0]


class CostCentre(models.Model):
    """A budget line, and who answers for it."""

    code = models.CharField(max_length=20, unique=True)
    name = models.CharField(max_length=80)
    owner = models.ForeignKey(Person, models.SET_NULL, null=True, blank=True, related_name="+")

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return f"{self.code} {self.name}"


class Deputy(models.Model):
    """Somebody who decides for another between two moments, beside them."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="deputies")
    deputy = models.ForeignKey(Person, models.CASCADE, related_name="deputy_for")
    from_s = models.BigIntegerField()
    to_s = models.BigIntegerField()
    # When they were told of what was waiting as their time began.
    told_s = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["from_s", "id"]
        indexes = [
            models.Index(
                fields=["from_s"], condition=models.Q(told_s__isnull=True), name="deputy_untold"
            )
        ]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(to_s__gt=models.F("from_s"))
                & ~models.Q(person=models.F("deputy")),
                name="deputy_makes_sense",
            )
        ]


class Team(models.Model):
    """A team that holds tickets, and how its work finds a person."""

    key = models.SlugField(unique=True)
    name = models.CharField(max_length=80, unique=True)
    is_triage = models.BooleanField(default=False)
    # A board meets and decides; it holds no tickets.
    is_board = models.BooleanField(default=False)
    keeps_confidential = models.BooleanField(default=False)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class Membership(models.Model):
    """A person in a team, as routing sees them."""

    team = models.ForeignKey(Team, models.CASCADE, related_name="memberships")
    person = models.ForeignKey(Person, models.CASCADE, related_name="memberships")
    is_set_aside = models.BooleanField(default=False)
    is_lead = models.BooleanField(default=False)
    last_auto = models.BigIntegerField(null=True, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["team", "person"], name="one_membership")]


class Absence(models.Model):
    """A span in which a person is away; routing passes them over."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="absences")
    starts_at = models.DateTimeField()
    ends_at = models.DateTimeField()
    note = models.CharField(max_length=120, blank=True)


class Token(models.Model):
    """A personal access token for scripts; only its digest is kept."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=80)
    digest = models.CharField(max_length=64, unique=True)
    starts = models.CharField(max_length=12)
    scopes = models.JSONField(default=list)
    made_at = models.DateTimeField()
    expires_at = models.DateTimeField(null=True)
    used_at = models.DateTimeField(null=True)
    revoked_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


class MailKey(models.Model):
    """A key in a mail that opens one thing for one person without signing in.

    Only its digest is kept. It is dead when its time is over, when what it opens is over,
    or when it was seen where others can read it.
    """

    person = models.ForeignKey(Person, models.CASCADE, related_name="+")
    opens = models.CharField(max_length=12)
    what = models.BigIntegerField()
    digest = models.CharField(max_length=64, unique=True)
    # The message that carries it, so that it can be sent again with another key.
    message = models.BigIntegerField(null=True)
    made_s = models.BigIntegerField()
    ends_s = models.BigIntegerField()
    dead_s = models.BigIntegerField(null=True)

    class Meta:
        indexes = [
            models.Index(
                fields=["opens", "what"],
                condition=models.Q(dead_s__isnull=True),
                name="mail_key_alive",
            )
        ]
