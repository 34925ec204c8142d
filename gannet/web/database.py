"""Where the data are."""

from pathlib import Path

from django.conf import settings


def database_file() -> Path:
    """The file of the database; what belongs to it lies beside it."""
    return Path(str(settings.DATABASES["default"]["NAME"]))
