from django.apps import AppConfig


class TicketsConfig(AppConfig):
    name = "gannet.tickets"
    label = "tickets"
    default_auto_field = "django.db.models.BigAutoField"
