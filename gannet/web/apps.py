from django.apps import AppConfig


class WebConfig(AppConfig):
    name = "gannet.web"
    label = "web"

    def ready(self) -> None:
        from gannet.web import checks, converters  # noqa: F401

        converters.register()
