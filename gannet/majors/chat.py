"""What a room says goes to an outside chat, and what is said there comes back.

Both ways are posts that are signed as webhooks are, with the key of the hook `chat`; each
line has a key of its own, so that one which comes twice is said once. A closed channel is
never connected. The shipped stand-in of such a chat keeps lines in a table of its own.
"""

import secrets
from typing import Any

from django.conf import settings

from gannet.majors.models import ChatLine, MajorFacts, RoomChannel, RoomMessage
from gannet.messages.hooks import queue_post

HOOK = "chat"
MOST_LINES = 2_000


def _hook(url: str) -> dict[str, str]:
    return {"key": HOOK, "name": "Outside chat", "url": url}


def is_connected(facts: MajorFacts, channel: RoomChannel) -> bool:
    """Whether a channel goes outside: never a closed one, a closed circle's, or a drill's."""
    shut = channel.is_closed or facts.is_drill or facts.ticket.is_confidential
    return bool(channel.in_chat) and not shut


def pass_on(facts: MajorFacts, channel: RoomChannel, row: RoomMessage, now_s: int) -> None:
    """Queue a line for the outside chat, if there is one."""
    if not settings.CHAT_URL or not is_connected(facts, channel):
        return
    body = {
        "room": facts.ticket_id,
        "channel": channel.pk,
        "title": f"{facts.call_sign}, {channel.name}",
        "key": f"room-{row.pk}",
        "author": row.person.name if row.person else row.author,
        "text": row.text or (row.file.name if row.file else ""),
    }
    queue_post(_hook(settings.CHAT_URL), body, facts.ticket, now_s)


def keep_line(body: dict[str, Any], now_s: int) -> ChatLine:
    """The stand-in takes a line that a room said."""
    line, _ = ChatLine.objects.get_or_create(
        key=str(body.get("key", ""))[:80],
        defaults={
            "room": int(body["room"]),
            "channel": int(body["channel"]),
            "title": str(body.get("title", ""))[:120],
            "author": str(body.get("author", ""))[:120],
            "text": str(body.get("text", ""))[:10_000],
            "is_from_room": 1,
            "at_s": now_s,
        },
    )
    stale = ChatLine.objects.order_by("-id").values_list("id", flat=True)[MOST_LINES:]
    ChatLine.objects.filter(pk__in=list(stale[:50])).delete()
    return line


def write_line(
    room: MajorFacts, channel: RoomChannel, author: str, text: str, now_s: int
) -> ChatLine:
    """Somebody writes in the stand-in: it goes to the room as from any outside chat."""
    line = ChatLine.objects.create(
        room=room.ticket_id,
        channel=channel.pk,
        title=f"{room.call_sign}, {channel.name}",
        author=author[:120],
        text=text[:10_000],
        key=f"chat-{secrets.token_hex(12)}",
        at_s=now_s,
    )
    body = {
        "room": line.room,
        "channel": line.channel,
        "key": line.key,
        "author": line.author,
        "text": line.text,
    }
    queue_post(_hook(f"{settings.PUBLIC_URL}/hooks/chat"), body, room.ticket, now_s)
    return line
