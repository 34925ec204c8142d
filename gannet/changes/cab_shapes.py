"""The shapes of a meeting of the change advisory board."""

from rest_framework import serializers

from gannet.changes.models import Verdict
from gannet.changes.shapes import ChangeLineShape, ClashShape
from gannet.web.shape import Shape

_words = serializers.CharField
_number = serializers.IntegerField
_list = serializers.ListField
_yes = serializers.BooleanField


class CabMemberShape(Shape):
    """Somebody who is asked to come, and why."""

    id = _number()
    name = _words()
    why = _words()
    is_present = _yes()
    is_away = _yes()


class CabVerdictShape(Shape):
    """What a meeting has made of a change."""

    verdict = _words()
    note = _words(allow_blank=True)
    by = _words()
    at_s = _number()
    meeting_s = _number()


class CabItemShape(Shape):
    """One change on the agenda: all that the board needs to decide on it."""

    change = ChangeLineShape()
    why = _words(allow_blank=True)
    referred = _words(allow_blank=True)
    reasons = _list(child=_words(), help_text="what adds most to its risk")
    clashes = ClashShape(many=True)
    record = _words(help_text="its track record in words")
    reached = _list(child=_words())
    against = _words(allow_blank=True, help_text="why the board cannot decide on it now")
    verdict = CabVerdictShape(allow_null=True)
    earlier = CabVerdictShape(many=True)


class CabMeetingLineShape(Shape):
    at_s = _number()
    decided = _number()
    sent_s = _number(allow_null=True)


class CabMeetingShape(Shape):
    """A meeting: who is there, what is on its agenda, and what came of it."""

    at_s = _number()
    next_s = _number()
    cutoff_s = _number()
    minutes = _number(help_text="how long it takes")
    zone = _words()
    board = _words(allow_blank=True)
    members = CabMemberShape(many=True)
    notes = _words(allow_blank=True)
    version = _number()
    invited = _list(child=_words())
    invited_s = _number(allow_null=True)
    sent_s = _number(allow_null=True)
    sent = _words(allow_blank=True, help_text="the minutes as they went out")
    agenda = CabItemShape(many=True)
    meetings = CabMeetingLineShape(many=True)
    can_run = _yes()
    now_s = _number()


class KeptMeetingShape(Shape):
    at_s = _number()
    present = _list(child=_number(), max_length=200)
    notes = _words(max_length=20_000, allow_blank=True, trim_whitespace=False)
    version = _number()


class DecidedShape(Shape):
    at_s = _number()
    change = _number()
    verdict = serializers.ChoiceField(choices=Verdict.choices)
    note = _words(max_length=500, allow_blank=True, required=False, default="")


class MeetingAtShape(Shape):
    at_s = _number()
