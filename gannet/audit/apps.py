from django.apps import AppConfig


class AuditConfig(AppConfig):
    name = "gannet.audit"
    label = "audit"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Keep every denial on record."""
        from gannet.audit.denials import record
        from gannet.web.problems import on_denial

        on_denial(record)
