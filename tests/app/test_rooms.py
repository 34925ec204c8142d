"""The room: who reads which channel, file, entry, hit, notification and answer; what is said."""

import json
import time
from collections.abc import Callable, Iterator
from datetime import timedelta
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.majors import declaring, keeping, rooms, timeline
from gannet.majors.models import ChatLine, MajorFacts, RoomChannel, RoomFile, RoomMessage
from gannet.messages import hooks
from gannet.messages.models import HookCall, Notification, Outgoing
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets import actions
from gannet.tickets.files import keep_upload
from gannet.tickets.models import Attachment, Ticket
from gannet.web.errors import Conflict, Missing, Refused
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
Who = Callable[[str], Person]
Api = Callable[[str], Any]
SECRET, OPEN = "The bank has to be told by Friday", "Cash works everywhere"


@pytest.fixture
def major(log: Any, by: Any) -> MajorFacts:
    """A major incident that all of the desk may know of, with the channels of its plan."""
    source = log("Ines", "Ticket office tills", "No till takes cards", who="team", work="no")
    ticket = declaring.declare_from(source.pk, by("Marit"), {"plan": "sailing"})
    return MajorFacts.objects.select_related("ticket").get(ticket=ticket)


@pytest.fixture
def closed(log: Any, by: Any, person: Who) -> MajorFacts:
    """One whose circle is closed: Marit declared it, nobody else is in it yet."""
    source = log("Ines", "Ticket office tills", "Strange endings")
    Ticket.objects.filter(pk=source.pk).update(is_confidential=1, holder=person("Marit"))
    ticket = declaring.declare_from(source.pk, by("Marit"), {"plan": "security"})
    return MajorFacts.objects.select_related("ticket").get(ticket=ticket)


@pytest.fixture
def legal(major: MajorFacts, by: Any, person: Who) -> RoomChannel:
    """Signe's and Rosalind's own channel: a message, a file, an entry that was lifted in it."""
    number = major.ticket_id
    channel = rooms.open_channel(
        number, by("Signe"), "legal", is_closed=True, people=[person("Rosalind").pk]
    )
    said = rooms.say(number, by("Signe"), channel.pk, SECRET)
    timeline.write_entry(number, by("Signe"), "", message=said.pk, label="decided")
    upload = SimpleUploadedFile("letter-to-the-bank.txt", b"Dear bank")
    keeping.keep(number, by("Signe"), channel.pk, upload, folder="Letters")
    everybody = major.channels.get(name="responders")
    rooms.say(number, by("Joss"), everybody.pk, OPEN)
    return channel


# Who is who: in the channel, of the desk, leads it, administrates, reads the desk, asks for help.
READERS = ("Signe", "Rosalind")
OTHERS = ("Marit", "Joss", "Anneke", "Tomas", "Ines", "Piotr")


def answers(api: Api, who: str, major: MajorFacts, legal: RoomChannel) -> Iterator[tuple[str, Any]]:
    """Every answer of the API that could tell of the channel, as somebody gets it."""
    room, file = f"/api/rooms/{major.ticket_id}", RoomFile.objects.get()
    message = RoomMessage.objects.get(text=SECRET)
    client = api(who)
    for address in (
        room, f"{room}/timeline", f"{room}/timeline?words=bank", f"{room}/find?words=bank",
        f"{room}/find?label=decided", f"{room}/find?channel=legal", f"{room}/find?person=Signe",
        f"{room}/channels/{legal.pk}/messages", f"{room}/files/{file.pk}", f"{room}/reports",
        f"{room}/audiences/{major.audiences.first().pk}/draft",  # type: ignore[union-attr]
        f"/api/tickets/{major.ticket_id}", "/api/notifications", "/api/find?q=bank",
        "/api/tickets?words=bank", "/api/majors", f"/api/tickets/{major.ticket_id}/history",
    ):  # fmt: skip
        yield address, client.get(address)
    label = {"label": "seen"}
    yield "label", client.put(f"{room}/messages/{message.pk}/label", label, content_type=JSON)
    lift = {"message": message.pk}
    yield "lift", client.post(f"{room}/timeline", lift, content_type=JSON)
    lift = {"file": file.pk}
    yield "lift file", client.post(f"{room}/timeline", lift, content_type=JSON)
    said = {"text": "hello"}
    yield "say", client.post(f"{room}/channels/{legal.pk}/messages", said, content_type=JSON)
    people = {"people": [client.session.get("_auth_user_id")]}
    yield "ask in", client.post(f"{room}/channels/{legal.pk}/people", people, content_type=JSON)


def told(response: Any) -> str:
    if getattr(response, "streaming", False):
        return b"".join(response.streaming_content).decode(errors="replace")
    return str(response.content.decode(errors="replace"))


@pytest.mark.parametrize("who", OTHERS)
def test_of_a_closed_channel_nobody_else_gets_a_word(
    who: str, major: MajorFacts, legal: RoomChannel, api: Api
) -> None:
    for address, answer in answers(api, who, major, legal):
        words = told(answer)
        for secret in ("bank", "letter-to", "legal"):
            # What was asked comes back in the sentence of a refusal, and nowhere else.
            found = secret in words.replace(address, "")
            assert not found, f"{who} reads “{secret}” at {address}: {words[:300]}"
    assert RoomMessage.objects.filter(channel=legal).count() == 1, "nobody else said anything"
    assert not legal.people.filter(name__startswith=f"{who} ").exists()


@pytest.mark.parametrize("who", READERS)
def test_its_members_have_all_of_it(
    who: str, major: MajorFacts, legal: RoomChannel, api: Api
) -> None:
    found = {address: told(answer) for address, answer in answers(api, who, major, legal)}
    room = f"/api/rooms/{major.ticket_id}"
    assert SECRET in found[f"{room}/channels/{legal.pk}/messages"]
    assert SECRET in found[f"{room}/timeline"] and SECRET in found[f"{room}/find?words=bank"]
    assert "letter-to-the-bank.txt" in found[room]
    assert found[f"{room}/files/{RoomFile.objects.get().pk}"] == "Dear bank"
    assert RoomMessage.objects.filter(channel=legal, text="hello").exists()


def test_not_even_the_log_has_its_words_or_its_name(major: MajorFacts, legal: RoomChannel) -> None:
    for event in Event.objects.filter(ticket=major.ticket_id):
        said = json.dumps([event.facts, event.values, event.text])
        assert "bank" not in said and "legal" not in said, event.kind
    assert verify()[1] is None
    said_event = Event.objects.filter(kind="said in the room").order_by("id").first()
    assert said_event is not None
    assert said_event.facts == {"sha256": rooms.checksum(SECRET)}, "what was said can be proved"


@pytest.mark.parametrize(
    ("who", "sees"),
    [("Marit", True), ("Joss", False), ("Signe", False), ("Anneke", False), ("Tomas", False),
     ("Rosalind", True), ("Ines", False)],
)  # fmt: skip
def test_of_a_closed_circle_others_do_not_know(
    who: str, sees: bool, closed: MajorFacts, api: Api
) -> None:
    number, sign = closed.ticket_id, closed.call_sign
    client = api(who)
    assert client.get(f"/api/rooms/{number}").status_code == (200 if sees else 404)
    listed = client.get("/api/majors")
    if listed.status_code == 200:
        assert (sign in listed.content.decode()) == sees
    for address in ("/api/notifications", "/api/find?q=Strange", f"/api/tickets?words={sign}"):
        if not sees:
            assert sign not in told(client.get(address)) and "endings" not in told(
                client.get(address)
            )


def test_who_is_asked_in_comes_in_and_who_is_shown_out_is_out(
    closed: MajorFacts, by: Any, person: Who, api: Api
) -> None:
    number = closed.ticket_id
    channel = closed.channels.get(name="technical")
    rooms.ask_in(number, by("Marit"), channel.pk, [person("Joss").pk])
    assert api("Joss").get(f"/api/rooms/{number}").status_code == 200
    assert Notification.objects.filter(person=person("Joss"), event_name="asked in").exists()
    assert Outgoing.objects.filter(to=person("Joss").email, event_name="asked in").exists()
    said = api("Joss").post(
        f"/api/rooms/{number}/channels/{channel.pk}/messages", {"text": "Here."}, content_type=JSON
    )
    assert said.status_code == 201
    taken = api("Joss").post(f"/api/rooms/{number}/roles", {"role": "scribe"}, content_type=JSON)
    assert taken.status_code == 200, "who is let in works in it"
    rooms.give_up_role(number, by("Joss"), "scribe")
    out = api("Marit").delete(
        f"/api/rooms/{number}/channels/{channel.pk}/people/{person('Joss').pk}"
    )
    assert out.status_code == 204
    assert api("Joss").get(f"/api/rooms/{number}").status_code == 404


def test_a_legal_adviser_who_is_not_of_the_desk_reads_their_channel_alone(
    closed: MajorFacts, api: Api
) -> None:
    room = api("Rosalind").get(f"/api/rooms/{closed.ticket_id}").json()
    assert [one["name"] for one in room["channels"]] == ["legal"]
    assert room["may"] == {
        "lead": False, "send": False, "work": False, "declare": False, "run": True,
    }  # fmt: skip
    other = closed.channels.get(name="technical")
    where = f"/api/rooms/{closed.ticket_id}/channels/{other.pk}/messages"
    assert api("Rosalind").get(where).status_code == 404
    assert api("Rosalind").post(where, {"text": "x"}, content_type=JSON).status_code == 404
    for address, body in (
        ("summary", {"text": "x"}), ("review", {"well": "x"}),
    ):  # fmt: skip
        answer = api("Rosalind").put(
            f"/api/rooms/{closed.ticket_id}/{address}", body, content_type=JSON
        )
        assert answer.status_code == 403


def test_whoever_opens_a_closed_channel_can_leave_it_to_others_only(
    major: MajorFacts, legal: RoomChannel, by: Any, person: Who
) -> None:
    rooms.show_out(major.ticket_id, by("Rosalind"), legal.pk, person("Signe").pk)
    with pytest.raises(Missing):
        rooms.channel_of(major, person("Signe"), legal.pk)
    with pytest.raises(Conflict, match="Nobody would be left"):
        rooms.show_out(major.ticket_id, by("Rosalind"), legal.pk, person("Rosalind").pk)


@pytest.mark.parametrize(
    ("text", "named"),
    [
        ("@Signe Hallam look", ["Signe Hallam"]),
        ("thanks @signe", ["Signe Hallam"]),
        ("@Marit and @Signe", ["Marit Osei", "Signe Hallam"]),
        ("@Somebody else", []),
        ("mail signe@hallam.example", []),
        ("Signe, look", []),
    ],
)
def test_who_is_named_hears_of_it(
    text: str, named: list[str], major: MajorFacts, by: Any, person: Who
) -> None:
    channel = major.channels.get(name="responders")
    rooms.ask_in(major.ticket_id, by("Marit"), channel.pk, [person("Signe").pk])
    Notification.objects.all().delete()
    rooms.say(major.ticket_id, by("Joss"), channel.pk, text)
    rows = Notification.objects.filter(event_name="mentioned")
    assert sorted(rows.values_list("person__name", flat=True)) == named


def test_what_was_said_since_is_counted_until_it_is_read(
    major: MajorFacts, by: Any, api: Api
) -> None:
    channel = major.channels.get(name="responders")
    for text in ("one", "two", "three"):
        last = rooms.say(major.ticket_id, by("Joss"), channel.pk, text)

    def unread(who: str) -> int:
        room = api(who).get(f"/api/rooms/{major.ticket_id}").json()
        return int(next(one for one in room["channels"] if one["id"] == channel.pk)["unread"])

    assert (unread("Marit"), unread("Joss")) == (3, 0)
    where = f"/api/rooms/{major.ticket_id}/channels/{channel.pk}/read"
    api("Marit").post(where, {"message": last.pk - 1}, content_type=JSON)
    assert unread("Marit") == 1
    api("Marit").post(where, {"message": last.pk}, content_type=JSON)
    api("Marit").post(where, {"message": 0}, content_type=JSON)
    assert unread("Marit") == 0, "what was read stays read"


# --- the timeline ---


def test_what_is_lifted_stands_at_its_own_time_among_what_is_derived(
    major: MajorFacts, by: Any, person: Who, at: Any
) -> None:
    channel = major.channels.get(name="responders")
    at.later(minutes=5)
    said = rooms.say(major.ticket_id, by("Joss"), channel.pk, "Till 1 sells again")
    at.later(minutes=20)
    timeline.write_entry(major.ticket_id, by("Marit"), "", message=said.pk, label="tried")
    at.later(minutes=1)
    timeline.write_entry(
        major.ticket_id, by("Marit"), "The router blinked", at=NOW - timedelta(minutes=30)
    )
    rooms.take_role(major.ticket_id, by("Signe"), "scribe", None)
    rows = list(reversed(timeline.timeline(major, person("Marit"))))
    texts = [one["text"] for one in rows]
    assert texts[0] == "The router blinked" and "Ines Corrado reported" in texts[1]
    lifted = next(one for one in rows if one["text"] == "Till 1 sells again")
    assert lifted["at_s"] == seconds_of(NOW) + 300 and lifted["how"] == "lifted"
    assert texts[-1].startswith("Signe Hallam has the role scribe")
    assert [one["at_s"] for one in rows] == sorted(one["at_s"] for one in rows)
    with pytest.raises(Exception, match="already"):
        timeline.write_entry(major.ticket_id, by("Marit"), "", message=said.pk)


def test_entries_are_changed_by_who_wrote_them_or_leads(
    major: MajorFacts, by: Any, person: Who, api: Api
) -> None:
    row = timeline.write_entry(major.ticket_id, by("Joss"), "Till 2 sells")
    with pytest.raises(Refused):
        timeline.change_entry(major.ticket_id, by("Signe"), row.pk, {"text": "x"})
    timeline.change_entry(major.ticket_id, by("Marit"), row.pk, {"text": "Till 3 sells"})
    where = f"/api/rooms/{major.ticket_id}/timeline/{row.pk}"
    assert api("Joss").patch(where, {"text": " "}, content_type=JSON).status_code == 422
    assert api("Joss").patch(where, {"label": "odd"}, content_type=JSON).status_code == 422
    assert api("Joss").delete(where).status_code == 200
    assert api("Joss").delete(where).status_code == 404


@pytest.mark.parametrize(
    "said",
    [
        {"text": ""},
        {"text": "x" * 2_001},
        {"text": "x", "label": "nonsense"},
        {"text": "x", "at": "2027-01-01T00:00:00Z"},
        {"text": "x", "message": 999_999},
        {"text": "x", "file": 999_999},
        {"text": "x", "other": 1},
    ],
)
def test_an_entry_that_cannot_be_is_refused(
    said: dict[str, Any], major: MajorFacts, api: Api
) -> None:
    answer = api("Marit").post(f"/api/rooms/{major.ticket_id}/timeline", said, content_type=JSON)
    assert answer.status_code in (404, 422)
    assert not major.entries.exists()


def test_search_takes_all_its_conditions_together(
    major: MajorFacts, legal: RoomChannel, by: Any, api: Api
) -> None:
    def found(**asked: str) -> list[str]:
        rows = api("Signe").get(f"/api/rooms/{major.ticket_id}/find", asked).json()
        return [f"{one['kind']}: {one['text']}" for one in rows]

    assert f"message: {OPEN}" in found(words="cash")
    assert f"message: {SECRET}" in found(words="bank", channel="legal", person="Signe")
    assert found(words="bank", channel="responders") == []
    assert found(words="bank", person="Joss") == []
    assert [one.split(":")[0] for one in found(words="letter")] == ["file"]
    assert found(words="bank", label="decided") == [f"entry: {SECRET}"]
    assert [one.split(":")[0] for one in found(words="bank", kind="message")] == ["message"]
    assert found(words="bank", to_s=str(seconds_of(NOW) - 60)) == []
    assert any(one.startswith("event: Marit Osei declared it") for one in found(words="declared"))


# --- files ---


def test_the_same_name_in_the_same_folder_is_a_new_version(
    major: MajorFacts, by: Any, api: Api
) -> None:
    channel = major.channels.get(name="responders")
    where = f"/api/rooms/{major.ticket_id}/channels/{channel.pk}/files"
    for content in (b"first", b"second"):
        upload = SimpleUploadedFile("log.txt", content)
        answer = api("Joss").post(where, {"file": upload, "folder": "Evidence"})
        assert answer.status_code == 201, answer.content
    other = api("Joss").post(where, {"file": SimpleUploadedFile("log.txt", b"x"), "folder": ""})
    assert [one["version"] for one in (answer.json(), other.json())] == [2, 1]
    shown = api("Marit").get(f"/api/rooms/{major.ticket_id}").json()["files"]
    assert {(one["folder"], one["version"]) for one in shown} == {
        ("Evidence", 1), ("Evidence", 2), ("", 1),
    }  # fmt: skip
    first = next(one for one in shown if (one["folder"], one["version"]) == ("Evidence", 1))
    assert first["sha256"] == rooms.checksum("first")
    got = api("Marit").get(f"/api/rooms/{major.ticket_id}/files/{first['id']}")
    assert told(got) == "first" and "sandbox" in got["Content-Security-Policy"]
    assert got["Content-Disposition"].startswith("attachment")


@pytest.mark.parametrize(
    ("name", "content"), [("evil.html", b"<script>"), ("empty.txt", b""), ("run.exe", b"MZ")]
)
def test_only_files_that_may_be_kept_are(
    name: str, content: bytes, major: MajorFacts, api: Api
) -> None:
    channel = major.channels.get(name="responders")
    where = f"/api/rooms/{major.ticket_id}/channels/{channel.pk}/files"
    answer = api("Joss").post(where, {"file": SimpleUploadedFile(name, content)})
    assert answer.status_code in (413, 422) and not RoomFile.objects.exists()


def test_a_file_of_an_incident_is_brought_in_by_who_may_know_of_it(
    major: MajorFacts, by: Any, api: Api, log: Any, person: Who
) -> None:
    def with_file(number: int, name: str) -> Attachment:
        upload = keep_upload(SimpleUploadedFile(name, b"seen"), person("Signe"), NOW)
        actions.note(number, by("Signe"), "look", [upload.pk])
        return Attachment.objects.get(pk=upload.pk)

    source = major.source_id
    assert source is not None
    own = with_file(source, "screen.txt")
    elsewhere = with_file(log("Piotr", "Payroll", "Wrong").pk, "payslip.txt")
    channel = major.channels.get(name="responders")
    where = f"/api/rooms/{major.ticket_id}/channels/{channel.pk}/bring"
    listed = api("Joss").get(where).json()
    assert [(one["name"], one["incident"]) for one in listed] == [("screen.txt", source)]
    assert (
        api("Joss").post(where, {"file": str(elsewhere.pk)}, content_type=JSON).status_code == 404
    )
    assert api("Tomas").post(where, {"file": str(own.pk)}, content_type=JSON).status_code == 403
    brought = api("Joss").post(where, {"file": str(own.pk)}, content_type=JSON)
    assert brought.status_code == 201 and brought.json()["came_from"] == f"incident {source}"
    assert RoomFile.objects.get().sha256 == rooms.checksum("seen")


# --- the outside chat ---


def signed(
    client: Any, address: str, body: dict[str, Any], *, key: str = "chat", late: int = 0
) -> Any:
    raw, at = json.dumps(body).encode(), str(int(time.time()) - late)
    return client.post(
        address, raw, content_type=JSON,
        headers={"Gannet-Time": at, "Gannet-Signature": hooks.signature(key, at, raw)},
    )  # fmt: skip


def test_what_is_said_goes_to_the_chat_and_comes_back_once(
    major: MajorFacts, by: Any, client: Any, api: Api
) -> None:
    channel = major.channels.get(name="responders")
    rooms.say(major.ticket_id, by("Joss"), channel.pk, "Looking at it")
    call = HookCall.objects.get(hook="chat")
    sent = json.loads(call.body)
    assert (sent["text"], sent["author"]) == ("Looking at it", "Joss Levering")
    for _ in range(2):
        assert signed(client, "/standin/chat", sent).status_code == 200
    assert ChatLine.objects.count() == 1
    back = {
        "room": major.ticket_id, "channel": channel.pk, "key": "c-1",
        "author": "Duty master", "text": "Lane 2 is free",
    }  # fmt: skip
    for _ in range(2):
        assert signed(client, "/hooks/chat", back).status_code == 200
    said = RoomMessage.objects.get(outside="c-1")
    assert (said.author, said.person) == ("Duty master", None)
    assert HookCall.objects.filter(hook="chat").count() == 1, (
        "it does not go back where it came from"
    )
    written = api("Marit").post(
        "/api/chat",
        {"room": major.ticket_id, "channel": channel.pk, "author": "Bosun", "text": "Aye"},
        content_type=JSON,
    )
    assert written.status_code == 201 and HookCall.objects.filter(hook="chat").count() == 2


@pytest.mark.parametrize(
    ("change", "more", "status"),
    [
        ({}, {"key": "wallboard"}, 401),
        ({}, {"late": 4_000}, 401),
        ({"text": " "}, {}, 422),
        ({"author": ""}, {}, 422),
        ({"key": ""}, {}, 422),
        ({"channel": 999_999}, {}, 422),
        ({"channel": "x"}, {}, 422),
    ],
)
def test_a_line_that_is_not_the_chats_is_not_said(
    change: dict[str, Any], more: dict[str, Any], status: int, major: MajorFacts, client: Any
) -> None:
    channel = major.channels.get(name="responders")
    body = {"room": major.ticket_id, "channel": channel.pk, "key": "c", "author": "a", "text": "t"}
    assert signed(client, "/hooks/chat", {**body, **change}, **more).status_code == status
    assert not RoomMessage.objects.exists()


def test_a_closed_circle_never_goes_to_the_chat(major: MajorFacts, by: Any, client: Any) -> None:
    channel = major.channels.get(name="responders")
    assert channel.in_chat
    Ticket.objects.filter(pk=major.ticket_id).update(is_confidential=1)
    rooms.say(major.ticket_id, by("Marit"), channel.pk, "Endings are strange")
    assert not HookCall.objects.filter(hook="chat").exists()
    body = {"room": major.ticket_id, "channel": channel.pk, "key": "c", "author": "a", "text": "t"}
    assert signed(client, "/hooks/chat", body).status_code == 422


def test_a_closed_channel_is_never_connected(
    major: MajorFacts, legal: RoomChannel, client: Any
) -> None:
    posts = [json.loads(one.body)["text"] for one in HookCall.objects.filter(hook="chat")]
    assert posts == [OPEN]
    RoomChannel.objects.filter(pk=legal.pk).update(in_chat=1)
    body = {"room": major.ticket_id, "channel": legal.pk, "key": "c", "author": "a", "text": "t"}
    assert signed(client, "/hooks/chat", body).status_code == 422
    assert Acting(person=None, now=NOW).is_automatic
