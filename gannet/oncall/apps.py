from django.apps import AppConfig


class OnCallConfig(AppConfig):
    name = "gannet.oncall"
    label = "oncall"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from gannet.messages.notices import urgent
        from gannet.oncall import acts, paging  # noqa: F401 - they register what they bring

        urgent.add("paged")
