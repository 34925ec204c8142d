"""Long work has moved here from the rulebook; its table stays where it is."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True
    dependencies = [("rulebook", "0004_exports"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]
    operations = [migrations.SeparateDatabaseAndState(state_operations=[
        migrations.CreateModel(
            name='Job',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('replay', 'replay past tickets under the draft'), ('preview', 'what re-applying an edition would move'), ('re-apply', 'apply an edition to open tickets'), ('many', 'do one act on many tickets'), ('undo many', 'take an act on many tickets back'), ('import', 'import rows of a file'), ('undo import', 'take an import back'), ('export', 'make a file of a list')], max_length=16)),
                ('params', models.JSONField(default=dict)),
                ('state', models.CharField(choices=[('waiting', 'Waiting'), ('running', 'Running'), ('done', 'Done'), ('failed', 'Failed'), ('stopped', 'Stopped')], default='waiting', max_length=10)),
                ('done', models.PositiveIntegerField(default=0)),
                ('total', models.PositiveIntegerField(default=0)),
                ('result', models.JSONField(null=True)),
                ('problem', models.TextField(blank=True)),
                ('made_at', models.DateTimeField()),
                ('seen_s', models.BigIntegerField(default=0)),
                ('finished_at', models.DateTimeField(null=True)),
                ('person', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'db_table': 'rulebook_job',
                'ordering': ['-id'],
            },
        ),
    ])]
