from django.apps import AppConfig
from django.db.models.signals import post_migrate


class TicketsConfig(AppConfig):
    name = "gannet.tickets"
    label = "tickets"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Register what can be done to any record, and what follows from it."""
        from gannet.tickets import long_work, search
        from gannet.tickets.actions import children  # noqa: F401
        from gannet.tickets.acts import desk  # noqa: F401

        long_work.register_all()
        # A database that has been emptied, or has just been made, has no words to search.
        post_migrate.connect(lambda **_: search.empty_without_tickets(), sender=self, weak=False)
