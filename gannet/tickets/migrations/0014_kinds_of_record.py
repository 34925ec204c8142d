"""Room for the states of other kinds: 4, 5 and 6 become 54, 55 and 56; open ones stay below 50."""

from django.db import migrations, models
from django.db.models import F, Q


def make_room(apps, schema_editor):
    apps.get_model("tickets", "Ticket").objects.filter(state__in=(4, 5, 6)).update(
        state=F("state") + 50
    )


def take_room(apps, schema_editor):
    apps.get_model("tickets", "Ticket").objects.filter(state__gte=54).update(state=F("state") - 50)


class Migration(migrations.Migration):
    dependencies = [("tickets", "0013_one_name_for_each_act"), ("web", "0001_initial")]
    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[migrations.DeleteModel(name="IdempotentAnswer")]
        ),
        migrations.RemoveConstraint(model_name="ticket", name="open_means_open_state"),
        migrations.AlterField("ticket", "state", models.PositiveSmallIntegerField(default=1)),
        migrations.AlterField("ticket", "kind", models.CharField(max_length=20)),
        migrations.RunPython(make_room, take_room),
        migrations.AddConstraint(
            model_name="ticket",
            constraint=models.CheckConstraint(
                condition=Q(state__lte=49, is_open=1) | Q(state__gt=49, is_open=0),
                name="open_means_open_state",
            ),
        ),
    ]
