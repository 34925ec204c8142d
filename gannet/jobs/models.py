"""Long work as rows: what is done, how far it is, what came of it."""

from django.db import models

from gannet.people.models import Person


class JobKind(models.TextChoices):
    REPLAY = "replay", "replay past tickets under the draft"
    PREVIEW = "preview", "what re-applying an edition would move"
    RE_APPLY = "re-apply", "apply an edition to open tickets"
    MANY = "many", "do one act on many tickets"
    UNDO_MANY = "undo many", "take an act on many tickets back"
    IMPORT = "import", "import rows of a file"
    UNDO_IMPORT = "undo import", "take an import back"
    EXPORT = "export", "make a file of a list"


class JobState(models.TextChoices):
    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    STOPPED = "stopped"


class Job(models.Model):
    """Long work in the background, with its progress, that can be left and come back to."""

    kind = models.CharField(max_length=16, choices=JobKind)
    params = models.JSONField(default=dict)
    state = models.CharField(max_length=10, choices=JobState, default=JobState.WAITING)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    result = models.JSONField(null=True)
    problem = models.TextField(blank=True)
    person = models.ForeignKey(Person, models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField()
    seen_s = models.BigIntegerField(default=0)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "rulebook_job"
        ordering = ["-id"]
