from django.apps import AppConfig


class TicketsConfig(AppConfig):
    name = "gannet.tickets"
    label = "tickets"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Register what can be done to any record, and what follows from it."""
        from gannet.tickets import long_work
        from gannet.tickets.actions import children  # noqa: F401
        from gannet.tickets.acts import desk  # noqa: F401

        long_work.register_all()
