"""What answering over the web keeps: the first answers to writes that may be asked for again."""

from django.conf import settings
from django.db import models

from gannet.web.markdown import KeepsTexts, RestoresTexts


class IdempotentAnswer(models.Model):
    """The first answer to a write with a client-made key; the same key gets it again."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE)
    key = models.CharField(max_length=80)
    fingerprint = models.CharField(max_length=64)
    status = models.PositiveSmallIntegerField()
    body = models.JSONField(null=True, encoder=KeepsTexts, decoder=RestoresTexts)
    made_at = models.DateTimeField(db_index=True)

    class Meta:
        db_table = "tickets_idempotentanswer"
        constraints = [models.UniqueConstraint(fields=["person", "key"], name="one_answer_per_key")]
