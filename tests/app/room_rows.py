"""The addresses of major incidents and their rooms, by role, for the matrix of permissions."""

from functools import cached_property
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile

from gannet.majors import declaring, keeping, paper, reviewing, rooms, timeline
from gannet.majors.models import MajorFacts, Update
from tests.app.test_permissions import AGENT, DESK_READS, DESK_WORKS, EVERYBODY

NONE: set[str] = set()
ONLY_LEAD = {AGENT}


class RoomWorld:
    """A room that Marit declared and Signe, the agent of the matrix, leads."""

    @cached_property
    def room(self: Any) -> int:
        number = declaring.declare_from(self.n, self.by("Marit"), {"plan": "sailing"}).pk
        rooms.take_role(number, self.by("Joss"), "technical", None)
        rooms.take_role(number, self.by("Marit"), "lead", self.person("Signe"))
        return number

    @cached_property
    def _facts(self: Any) -> MajorFacts:
        return MajorFacts.objects.select_related("ticket").get(ticket=self.room)

    @cached_property
    def channel(self: Any) -> int:
        channel = self._facts.channels.get(name="responders")
        channel.people.add(self.person("Signe"))
        return channel.pk

    @cached_property
    def room_message(self: Any) -> int:
        return rooms.say(self.room, self.by("Signe"), self.channel, "x").pk

    @cached_property
    def room_entry(self: Any) -> int:
        return timeline.write_entry(self.room, self.by("Signe"), "x").pk

    @cached_property
    def room_file(self: Any) -> int:
        upload = SimpleUploadedFile("a.txt", b"words")
        return keeping.keep(self.room, self.by("Signe"), self.channel, upload).pk

    @cached_property
    def audience(self: Any) -> int:
        return self._facts.audiences.order_by("pk")[0].pk

    @cached_property
    def waiting_update(self: Any) -> int:
        row = Update.objects.create(
            hearers_id=self.audience, number=1, title="x", text="y", by=self.person("Signe"),
            made_s=1, send_at_s=10**10,
        )  # fmt: skip
        return row.pk

    @cached_property
    def situation(self: Any) -> int:
        return paper.send_report(self.room, self.by("Signe"), "x", ["x@northmere.example"]).pk

    @cached_property
    def stood_down(self: Any) -> int:
        declaring.stand_down(self.room, self.by("Signe"), "over", None)
        return self.room

    @cached_property
    def written_review(self: Any) -> int:
        said = {"well": "x", "badly": "y"}
        reviewing.write_review(self.stood_down, self.by("Signe"), said)
        return self.room

    @cached_property
    def chat_channel(self: Any) -> int:
        return self.channel


_R = "/api/rooms/{room}"
_UPDATE = {"audience": "{audience}", "title": "x", "text": "y"}
ROOM_ROWS: list[tuple[str, str, Any, set[str]]] = [
    ("get", "/api/majors", None, DESK_READS),
    ("post", "/api/majors", {"title": "x"}, NONE),
    ("get", "/api/majors/plans", None, DESK_READS),
    ("post", "/api/tickets/{n}/suggest-major", {"why": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/declare-major", {}, NONE),
    ("post", "/api/tickets/{room}/stand-down", {"why": "x"}, ONLY_LEAD),
    ("post", "/api/tickets/{stood_down}/declare-again", {"why": "x"}, NONE),
    ("post", "/api/tickets/{written_review}/end-review", {}, ONLY_LEAD),
    ("get", _R, None, DESK_READS),
    ("post", f"{_R}/roles", {"role": "scribe"}, DESK_WORKS),
    ("post", f"{_R}/roles/leave", {"role": "technical"}, ONLY_LEAD),
    ("post", f"{_R}/channels", {"name": "x"}, DESK_WORKS),
    ("post", _R + "/channels/{channel}/people", {"people": ["{person:Tomas}"]}, DESK_WORKS),
    ("delete", _R + "/channels/{channel}/people/{signe}", None, DESK_WORKS),
    ("get", _R + "/channels/{channel}/messages", None, DESK_READS),
    ("post", _R + "/channels/{channel}/messages", {"text": "x"}, DESK_WORKS),
    ("post", _R + "/channels/{channel}/read", {"message": 0}, DESK_READS),
    ("put", _R + "/messages/{room_message}/label", {"label": "seen"}, DESK_WORKS),
    ("get", f"{_R}/timeline", None, DESK_READS),
    ("post", f"{_R}/timeline", {"text": "x"}, DESK_WORKS),
    ("patch", _R + "/timeline/{room_entry}", {"text": "y"}, ONLY_LEAD),
    ("delete", _R + "/timeline/{room_entry}", None, ONLY_LEAD),
    ("get", f"{_R}/find?words=x", None, DESK_READS),
    ("get", _R + "/files/{room_file}", None, DESK_READS),
    ("post", f"{_R}/audiences", {"name": "x"}, ONLY_LEAD),
    ("patch", _R + "/audiences/{audience}", {"minutes": 20}, ONLY_LEAD),
    ("get", _R + "/audiences/{audience}/draft", None, DESK_WORKS),
    ("post", f"{_R}/updates", _UPDATE, ONLY_LEAD),
    ("delete", _R + "/updates/{waiting_update}", None, ONLY_LEAD),
    ("post", f"{_R}/figures", {"figure": "people", "value": 1, "why": "x"}, DESK_WORKS),
    ("post", f"{_R}/times", {"what": "began", "at": "2026-11-01T00:00:00Z"}, DESK_WORKS),
    ("put", f"{_R}/summary", {"text": "x"}, DESK_WORKS),
    ("post", f"{_R}/checklist", {"line": 0, "is_done": True}, DESK_WORKS),
    ("get", f"{_R}/incidents", None, DESK_WORKS),
    ("post", f"{_R}/incidents", {"add": ["{other}"]}, DESK_WORKS),
    ("post", f"{_R}/together/preview", {"words": "x"}, DESK_WORKS),
    ("post", f"{_R}/together", {"words": "x", "incidents": [{"id": "{n}", "does": "tell"}]}, DESK_WORKS),
    ("get", f"{_R}/reports", None, DESK_WORKS),
    ("post", f"{_R}/reports", {"text": "x", "to": ["x@northmere.example"]}, DESK_WORKS),
    ("get", _R + "/reports/{situation}", None, DESK_READS),
    ("put", "/api/rooms/{stood_down}/review", {"well": "x"}, DESK_WORKS),
    ("get", f"{_R}/review/paper", None, DESK_READS),
    ("post", f"{_R}/problem", {}, DESK_WORKS),
    ("post", f"{_R}/call", {}, DESK_READS),
    ("get", _R + "/channels/{channel}/bring", None, DESK_READS),
    ("post", "/api/rooms/{written_review}/article", {}, DESK_WORKS),
    ("get", "/api/chat", None, EVERYBODY),
    ("post", "/api/chat", {"room": "{room}", "channel": "{chat_channel}", "author": "x", "text": "y"}, EVERYBODY),
]  # fmt: skip
