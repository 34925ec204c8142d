from django.apps import AppConfig


class JobsConfig(AppConfig):
    name = "gannet.jobs"
    label = "jobs"
    default_auto_field = "django.db.models.BigAutoField"
