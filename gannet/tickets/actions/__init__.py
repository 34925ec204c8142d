"""Every write to a ticket. Interface, mail, worker and demo all call these."""

from gannet.tickets.actions.announce import announce, end_announcement
from gannet.tickets.actions.closing import cancel, close, reopen, resolve
from gannet.tickets.actions.facts import change_facts, set_priority
from gannet.tickets.actions.follow import follow, unfollow
from gannet.tickets.actions.frame import Acting, Work, working
from gannet.tickets.actions.holding import hand_over, route_again, take
from gannet.tickets.actions.log import NewTicket, log_ticket
from gannet.tickets.actions.steps import escalate_step
from gannet.tickets.actions.talk import note, open_ticket, reply, requester_writes
from gannet.tickets.actions.tasks import set_task
from gannet.tickets.actions.undo import undo
from gannet.tickets.actions.waiting import resume, wait

__all__ = [
    "Acting",
    "NewTicket",
    "Work",
    "announce",
    "cancel",
    "change_facts",
    "close",
    "end_announcement",
    "escalate_step",
    "follow",
    "hand_over",
    "log_ticket",
    "note",
    "open_ticket",
    "reopen",
    "reply",
    "requester_writes",
    "resolve",
    "resume",
    "route_again",
    "set_priority",
    "set_task",
    "take",
    "undo",
    "unfollow",
    "wait",
    "working",
]
