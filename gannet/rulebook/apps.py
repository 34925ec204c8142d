from django.apps import AppConfig


class RulebookConfig(AppConfig):
    name = "gannet.rulebook"
    label = "rulebook"
    default_auto_field = "django.db.models.BigAutoField"
