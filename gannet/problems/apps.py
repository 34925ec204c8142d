from django.apps import AppConfig


class ProblemsConfig(AppConfig):
    name = "gannet.problems"
    label = "problems"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from gannet.problems.kind import PROBLEMS
        from gannet.tickets.declaring import declare

        declare(PROBLEMS)
