"""Telling people: what the frame says happened, to whoever delivers it.

The frame knows nobody who sends mail or keeps notifications. Whoever does listens here, and
everything said is said in the transaction of the act, so that it is delivered if and only
if the act happened.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, NamedTuple, Protocol

from gannet.audit.models import Event
from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.tickets.models import Clock, Ticket


class Wanted(NamedTuple):
    """To whom, about what, the event, words, the message if it is fixed, an address outside."""

    person: Person | None
    name: str
    event: Event
    text: str
    fixed: str = ""
    address: str = ""


class Messenger(Protocol):
    """Who delivers: mail, notifications, posts to other systems."""

    def queue(
        self,
        ticket: Ticket,
        book: Book,
        now_s: int,
        clocks: Sequence[Clock],
        wanted: Iterable[Wanted],
    ) -> None:
        """Deliver messages about events of a ticket."""

    def acted(
        self, ticket: Ticket, events: Iterable[Event], actor_id: int | None, now_s: int
    ) -> None:
        """Take away what an act on a ticket has dealt with."""

    def withdraw(self, event_id: int) -> int:
        """Keep messages about an event from leaving; returns how many had not left."""

    def deliveries(
        self, ticket_id: int, events: Sequence[int]
    ) -> Mapping[int, Sequence[Mapping[str, Any]]]:
        """How messages about events fared: to whom (`to`), `state`, `at_s`, `problem`."""

    def was_sent(self, event_id: int) -> bool:
        """Whether a message about an event has left already."""

    def notify(
        self,
        person: Person,
        event_name: str,
        about: str,
        title: str,
        now_s: int,
        *,
        ticket: Ticket | None = None,
        text: str = "",
        actor: str = "",
    ) -> None:
        """Tell a person of one thing, here and now; told of it already, it is one still."""

    def gone(self, now_s: int, *, about: str = "", person_id: int | None = None) -> int:
        """A thing is dealt with, for one person or for all: nobody need be told any more."""

    def read(self, person: Person, ticket_id: int, now_s: int) -> int:
        """Somebody looks at a ticket: what only wanted to be read is dealt with."""

    def post(self, hook: Mapping[str, Any], ticket: Ticket, by: str, now_s: int) -> object:
        """Post to another system."""

    def kept(self, ticket_id: int, is_it: Callable[[Any], bool]) -> Sequence[Any]:
        """The kept messages of a ticket of which something holds; read outside transactions."""

    def empty(self, kept: Sequence[Any]) -> None:
        """Empty kept messages; that they were there stays."""

    def forget(self, ticket: Ticket, event_id: int, words: str) -> None:
        """Empty what waits or is kept about an event, or quotes its words."""

    def set_aside(self, sender: str, by: Person, now_s: int) -> None:
        """Keep later mail of a sender out."""

    def let_in(self, sender: str, at_s: int) -> None:
        """Take keeping a sender out back, where it was said at that moment."""

    def keys_seen(self, keys: Sequence[str], now_s: int) -> None:
        """Keys of messages stood where others can read them."""


_listening: list[Messenger] = []


def listen(messenger: Messenger) -> None:
    """Let somebody deliver, from when Django starts."""
    if messenger not in _listening:
        _listening.append(messenger)


def messenger() -> Messenger:
    """Who delivers."""
    if not _listening:
        raise RuntimeError("nobody delivers messages: is an app missing that listens?")
    return _listening[-1]
