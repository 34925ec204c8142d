from django.apps import AppConfig


class KnowledgeConfig(AppConfig):
    name = "gannet.knowledge"
    label = "knowledge"
    default_auto_field = "django.db.models.BigAutoField"
