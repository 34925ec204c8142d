"""Services and configuration items by their keys, as the API is given them."""

from django.db.models import QuerySet

from gannet.estate.models import ConfigItem, Life, Service
from gannet.web.errors import Invalid


def find_service(key: int | None) -> Service | None:
    if key is None:
        return None
    found = Service.objects.select_related("team").filter(pk=key).first()
    if found is None:
        raise Invalid("There is no such service.", fields={"service": "Choose one."})
    return found


def offered_services() -> QuerySet[Service]:
    """The services that forms offer: those that are not retired."""
    return Service.objects.select_related("team").exclude(life=Life.RETIRED)


def find_item(key: int | None) -> ConfigItem | None:
    if key is None:
        return None
    found = ConfigItem.objects.filter(pk=key).first()
    if found is None:
        raise Invalid("There is no such item.", fields={"ci": "Choose one."})
    return found
