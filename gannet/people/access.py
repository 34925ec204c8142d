"""Who asks, as views and actions know them."""

from typing import cast

from django.utils import timezone
from rest_framework.request import Request

from gannet.people.acting import Acting
from gannet.people.models import Person


def person_of(request: Request) -> Person:
    """The person who is signed in; the view's permissions have seen to it that there is one."""
    return cast(Person, request.user)


def acting(request: Request) -> Acting:
    """The person who is signed in, acting now."""
    return Acting(person=person_of(request), now=timezone.now())
