from django.apps import AppConfig


class ChangesConfig(AppConfig):
    name = "gannet.changes"
    label = "changes"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from gannet.changes.kind import CHANGES
        from gannet.tickets.declaring import declare

        declare(CHANGES)
