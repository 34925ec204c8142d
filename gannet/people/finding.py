"""People by their keys, as the API is given them."""

from gannet.people.models import Person
from gannet.web.errors import Invalid


def colleague(number: int | None) -> Person | None:
    """Somebody who works here, or nobody when nobody is named."""
    if number is None:
        return None
    found = Person.objects.filter(pk=number, is_active=True).first()
    if found is None:
        raise Invalid("There is nobody like that.", fields={"beneficiary": "Choose somebody."})
    return found
