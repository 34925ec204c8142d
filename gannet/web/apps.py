from django.apps import AppConfig


class WebConfig(AppConfig):
    name = "gannet.web"
    label = "web"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from gannet.web import checks, converters  # noqa: F401

        converters.register()
