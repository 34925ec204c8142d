from django.apps import AppConfig


class ReportsConfig(AppConfig):
    name = "gannet.reports"
    label = "reports"
    default_auto_field = "django.db.models.BigAutoField"
