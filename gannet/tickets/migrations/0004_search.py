"""The full-text index of tickets; its words are filled in for those that exist."""

from django.db import migrations

from gannet.tickets import search


class Migration(migrations.Migration):
    dependencies = [("tickets", "0003_desk"), ("audit", "0001_initial")]

    operations = [migrations.RunSQL(search.CREATE, search.DROP)]
