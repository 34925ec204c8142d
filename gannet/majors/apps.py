from django.apps import AppConfig


class MajorsConfig(AppConfig):
    name = "gannet.majors"
    label = "majors"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from gannet.changes.covering import holders
        from gannet.majors import acts  # noqa: F401 - they register what they bring
        from gannet.majors.gathering import holding
        from gannet.majors.kind import MAJORS
        from gannet.messages.notices import urgent
        from gannet.tickets.declaring import declare

        declare(MAJORS)
        urgent.update({"major declared", "update late"})
        holders.append(holding)
