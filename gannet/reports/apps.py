from django.apps import AppConfig


class ReportsConfig(AppConfig):
    name = "gannet.reports"
    label = "reports"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from gannet.estate.services import service_renamed
        from gannet.reports import following

        service_renamed.connect(following.service_renamed)
