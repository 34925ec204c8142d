"""Records that ended before there was one ending: what they had left pending goes."""

from typing import Any

from django.db import migrations
from django.db.models.functions import Coalesce


def settle(apps: Any, schema_editor: Any) -> None:
    ticket, notification = apps.get_model("tickets", "Ticket"), apps.get_model("messages", "Notification")
    ended = ticket.objects.filter(is_open=0)
    ended.filter(is_announced=1).update(is_announced=0, next_news_s=None)
    ended.filter(approval="pending").update(approval="")
    when = Coalesce("ticket__closed_s", "ticket__resolved_s", "ticket__changed_s")
    for model, state, gone, moment, about in (
        ("RouteStage", ("to come", "pending"), "dropped", "ended_s", ""),
        ("Approval", ("pending",), "not needed", "decided_s", "approval"),
        ("Task", ("open",), "skipped", "done_s", "task"),
    ):
        rows = apps.get_model("tickets", model).objects
        left = rows.filter(ticket__is_open=0, state__in=state)
        for key, ended_s in left.annotate(when=when).values_list("pk", "when"):
            rows.filter(pk=key).update(**{"state": gone, moment: ended_s})
            if about:
                notification.objects.filter(about=f"{about}:{key}", gone_s=None).update(gone_s=ended_s)
    ended.exclude(open_tasks=0).update(open_tasks=0)
    ended.exclude(open_approvals=0).update(open_approvals=0)


class Migration(migrations.Migration):
    dependencies = [
        ("tickets", "0009_mail_keys"),
        ("messages", "0004_mail_keys"),
    ]
    operations = [migrations.RunPython(settle, migrations.RunPython.noop)]
