from django.apps import AppConfig


class RulebookConfig(AppConfig):
    name = "gannet.rulebook"
    label = "rulebook"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from gannet.rulebook import open_hours  # noqa: F401 - it listens for editions
