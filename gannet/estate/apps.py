from django.apps import AppConfig


class EstateConfig(AppConfig):
    name = "gannet.estate"
    label = "estate"
    default_auto_field = "django.db.models.BigAutoField"
