"""Every article gets its first version, an owner, a day of review, and a place in the index."""

from typing import Any

from django.db import migrations

from gannet.knowledge import search

_HALF_A_YEAR = 180 * 86_400


def begin(apps: Any, schema_editor: Any) -> None:
    articles = apps.get_model("knowledge", "Article")
    versions = apps.get_model("knowledge", "ArticleVersion")
    for row in articles.objects.all().iterator():
        versions.objects.create(
            article=row, number=1, title=row.title, body=row.body, by=row.author, at_s=row.changed_s,
            published_s=row.changed_s if row.state == "published" else None,
        )  # fmt: skip
        row.owner = row.author
        if row.state == "published":
            row.review_s = row.changed_s + _HALF_A_YEAR
        row.save(update_fields=["owner", "review_s"])
    search.fill(articles)


class Migration(migrations.Migration):
    dependencies = [("knowledge", "0003_knowledge_kept_true")]

    operations = [
        *(migrations.RunSQL(make, drop) for make, drop in zip(search.CREATE, reversed(search.DROP), strict=True)),
        migrations.RunPython(begin, migrations.RunPython.noop),
    ]
