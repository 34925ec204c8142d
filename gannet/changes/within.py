"""What the acts of changes share: their facts locked, what has to be said, who hears of it."""

from gannet.changes.models import ChangeFacts
from gannet.people.models import Person, Role
from gannet.tickets.actions.frame import RecordWrite
from gannet.web.errors import Invalid


def locked_facts(write: RecordWrite) -> ChangeFacts:
    """The facts of the change that is written, as they are now; nobody else writes them."""
    facts = ChangeFacts.objects.select_for_update().get(ticket=write.ticket)
    write.ticket.change_facts = facts
    return facts


def tell_managers(write: RecordWrite, event: str, words: str) -> None:
    """Let every change manager hear of something."""
    for person in Person.objects.filter(is_active=True).order_by("pk"):
        if person.has_role(Role.CHANGE_MANAGER):
            write.tell(person, event, words)


def check_said(said: str, name: str, words: str) -> None:
    """Refuse an act whose reason is not said."""
    if not said.strip():
        raise Invalid(words, fields={name: "This is empty."})
