from django.apps import AppConfig


class MessagesConfig(AppConfig):
    name = "gannet.messages"
    label = "messages"
    default_auto_field = "django.db.models.BigAutoField"
