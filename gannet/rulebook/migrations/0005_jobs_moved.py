from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("rulebook", "0004_exports"), ("jobs", "0001_initial")]
    operations = [
        migrations.SeparateDatabaseAndState(state_operations=[migrations.DeleteModel(name="Job")])
    ]
