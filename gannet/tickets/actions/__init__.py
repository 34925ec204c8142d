"""Every write to a ticket. Interface, mail, worker and demo all call these."""

from gannet.people.acting import Acting
from gannet.tickets.actions.announce import announce, end_announcement
from gannet.tickets.actions.approvals import ask_approval, decide, withdraw_approval
from gannet.tickets.actions.closing import cancel, close, reopen, resolve
from gannet.tickets.actions.deputies import end_deputy, make_deputy
from gannet.tickets.actions.escalate import escalate
from gannet.tickets.actions.facts import change_facts, set_priority
from gannet.tickets.actions.first_answers import was_it
from gannet.tickets.actions.follow import follow, unfollow
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.holding import hand_over, route_again, take
from gannet.tickets.actions.late import miss_target
from gannet.tickets.actions.links import link, merge, unlink
from gannet.tickets.actions.log import NewTicket, log_ticket
from gannet.tickets.actions.outward import end_remote, pass_out
from gannet.tickets.actions.own import end_reminder, mark, put_off_reminder, remind
from gannet.tickets.actions.redact import redact_file, redact_text
from gannet.tickets.actions.steps import escalate_step
from gannet.tickets.actions.survey import answer_survey
from gannet.tickets.actions.talk import Readers, note, open_ticket, reply, requester_writes
from gannet.tickets.actions.tasks import add_task, change_task, drop_task, set_task
from gannet.tickets.actions.timelog import drop_time, log_time, start_timer, stop_timer
from gannet.tickets.actions.turns import find_person, run_runbook
from gannet.tickets.actions.undo import undo
from gannet.tickets.actions.unwanted import set_unwanted
from gannet.tickets.actions.waiting import resume, wait

__all__ = [
    "Acting",
    "NewTicket",
    "Readers",
    "RecordWrite",
    "add_task",
    "announce",
    "answer_survey",
    "ask_approval",
    "cancel",
    "change_facts",
    "change_task",
    "close",
    "decide",
    "drop_task",
    "drop_time",
    "end_announcement",
    "end_deputy",
    "end_reminder",
    "end_remote",
    "escalate",
    "escalate_step",
    "find_person",
    "follow",
    "hand_over",
    "link",
    "log_ticket",
    "log_time",
    "make_deputy",
    "mark",
    "merge",
    "miss_target",
    "note",
    "open_ticket",
    "pass_out",
    "put_off_reminder",
    "redact_file",
    "redact_text",
    "remind",
    "reopen",
    "reply",
    "requester_writes",
    "resolve",
    "resume",
    "route_again",
    "run_runbook",
    "set_priority",
    "set_task",
    "set_unwanted",
    "start_timer",
    "stop_timer",
    "take",
    "undo",
    "unfollow",
    "unlink",
    "wait",
    "was_it",
    "withdraw_approval",
    "writing",
]
