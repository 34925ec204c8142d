from django.apps import AppConfig


class RequestsConfig(AppConfig):
    name = "gannet.requests"
    label = "requests"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from gannet.requests.kind import REQUESTS
        from gannet.tickets.declaring import declare

        declare(REQUESTS)
