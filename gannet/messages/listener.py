"""What this app does about what the frame tells: see `gannet.tickets.telling.Messenger`."""

from gannet.messages.hooks import queue as post
from gannet.messages.models import Unwanted
from gannet.messages.notices import clear_dealt_with as acted
from gannet.messages.notices import gone, notify, read
from gannet.messages.outbox import deliveries, queue, was_sent, withdraw
from gannet.messages.outbox import keys_were_seen as keys_seen
from gannet.messages.removing import empty, forget, kept
from gannet.people.models import Person
from gannet_core.instants import instant_of

__all__ = [
    "acted",
    "deliveries",
    "empty",
    "forget",
    "gone",
    "kept",
    "keys_seen",
    "let_in",
    "notify",
    "post",
    "queue",
    "read",
    "set_aside",
    "was_sent",
    "withdraw",
]


def let_in(sender: str, at_s: int) -> None:
    Unwanted.objects.filter(address=sender, marked_at=instant_of(at_s)).delete()


def set_aside(sender: str, by: Person, now_s: int) -> None:
    Unwanted.objects.get_or_create(
        address=sender, defaults={"marked_by": by, "marked_at": instant_of(now_s)}
    )
