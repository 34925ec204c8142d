"""What is stored of a field: the values that a condition can name, in their spellings."""

from gannet.rulebook.book import current
from gannet.tickets.field import Field
from gannet.tickets.kinds import kinds

_LOOKED_AT = 2_000  # of causes, which anybody words as they like, the newest are offered


def stored_values(field: Field) -> list[str]:
    """The values that there are of a field, where they are few enough to be offered."""
    from gannet.estate.models import ConfigItem, Service
    from gannet.people.models import Person, Team
    from gannet.tickets.models import Channel, Ticket

    if field.values is not None:
        return field.values()
    match field.name:
        case "service":
            return list(Service.objects.values_list("name", flat=True))
        case "team":
            return list(Team.objects.values_list("name", flat=True))
        case "ci":
            return list(ConfigItem.objects.values_list("name", flat=True))
        case "ci.kind":
            return list(ConfigItem.objects.values_list("kind", flat=True).distinct().order_by())
        case "category":
            return list(current().categories)
        case "status":
            return [entry["key"] for entry in current().states]
        case "supplier":
            return list(current().suppliers)
        case "template":
            return list(current().templates)
        case "service owner":
            return list(
                Person.objects.filter(service__isnull=False)
                .values_list("name", flat=True)
                .distinct()
            )
        case "place":
            return list(Person.objects.values_list("place", flat=True).distinct().order_by())
        case "requester.department":
            return list(Person.objects.values_list("department", flat=True).distinct().order_by())
        case "requester.job":
            return list(Person.objects.values_list("job", flat=True).distinct().order_by())
        case "requester.place":
            return list(Person.objects.values_list("place", flat=True).distinct().order_by())
        case "cause in words":
            newest = Ticket.objects.order_by("-id").values_list("cause", flat=True)
            return sorted(set(newest[:_LOOKED_AT]) - {""})[:200]
        case "channel":
            return [str(value) for value in Channel.values]
        case "kind":
            return list(kinds())
        case "approval":
            return ["pending", "approved", "refused", "automatic"]
        case "beneficiary":
            return []
        case "waiting on":
            return ["requester", "supplier", "approval", "date"]
        case "care tier":
            return list(current().care_tiers)
        case "agreement":
            return [entry["key"] for entry in current().agreements]
    return []
