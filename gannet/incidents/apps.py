from django.apps import AppConfig


class IncidentsConfig(AppConfig):
    name = "gannet.incidents"
    label = "incidents"

    def ready(self) -> None:
        from gannet.incidents.kind import INCIDENTS
        from gannet.tickets.declaring import declare

        declare(INCIDENTS)
