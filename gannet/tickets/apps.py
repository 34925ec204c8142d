from django.apps import AppConfig


class TicketsConfig(AppConfig):
    name = "gannet.tickets"
    label = "tickets"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Register what can be done to any record, and what follows from it."""
        from gannet.tickets.acts import desk  # noqa: F401
