from django.apps import AppConfig


class TrialsConfig(AppConfig):
    name = "gannet.trials"
    label = "trials"

    def ready(self) -> None:
        from gannet.trials import long_work

        long_work.register_all()
