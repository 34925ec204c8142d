"""The live stream: server-sent events, read from the numbers of the event log.

One poller per process reads what is new and hands it to the streams whose person may
know of it. Any number of processes can do so; a client that comes back with the number
it saw last (Last-Event-ID) misses nothing.
"""

import asyncio
import contextlib
import json
import logging
import time
from collections.abc import Awaitable, Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from http.cookies import SimpleCookie
from importlib import import_module
from typing import Any
from urllib.parse import parse_qs

from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
from django.db import close_old_connections
from django.db.models import Q
from django.utils.crypto import constant_time_compare

from gannet.audit import log as audit
from gannet.audit.models import Event
from gannet.people.models import Person
from gannet.people.roles import reads_desk, team_ids
from gannet.rulebook.events import RulebookEvent
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Follower, MoveCode
from gannet.web.given import whole_number

log = logging.getLogger(__name__)

PATH = "/api/live"
_KEEP_ALIVE_SECONDS = 15
# A stream ends after this and comes back by itself, so that who may see what is asked anew.
_LONGEST_SECONDS = 300
_UNREAD_SECONDS = 30
_MOST_OF_ONE = 30
_MOST_BEHIND = 500
_MAX_STREAMS = 1000
# Of these everybody's portal tells.
_TO_EVERYBODY = (TicketEvent.ANNOUNCED, TicketEvent.ANNOUNCEMENT_ENDED)
Scope = dict[str, Any]
Receive = Callable[[], Awaitable[Mapping[str, Any]]]
Send = Callable[[Mapping[str, Any]], Awaitable[None]]


@dataclass(frozen=True)
class Watcher:
    """What a person may know of, as the stream checks it event by event."""

    person_id: int
    reads_desk: bool
    team_ids: frozenset[int]

    def may_see(self, news: "News") -> bool:
        if news.kind == RulebookEvent.PUBLISHED:
            return True  # new forms and words concern everybody, and it says no more
        if not self.reads_desk:
            return self.takes_part(news) and news.audience == 1
        return not news.is_confidential or self.takes_part(news) or self.has(news)

    def takes_part(self, news: "News") -> bool:
        return self.person_id == news.requester_id or self.person_id in news.followers

    def has(self, news: "News") -> bool:
        """Whether they hold it, or are in the team that does."""
        return news.holder_id == self.person_id or news.team_id in self.team_ids

    def waits_for(self, news: "News") -> bool:
        """Whether it belongs on their Lookout."""
        if news.holder_id is None:
            return news.team_id in self.team_ids
        return news.holder_id == self.person_id


@dataclass(frozen=True)
class News:
    """One event as the stream tells it: that something happened, not what was said."""

    id: int
    kind: str
    ticket_id: int
    audience: int
    is_confidential: bool
    is_announced: bool
    requester_id: int
    holder_id: int | None
    team_id: int
    followers: frozenset[int]
    # Where it stands in a list by due; None once it has ended.
    rank_s: int | None = None
    is_ours: bool = True

    def as_sse(self, watcher: Watcher) -> bytes:
        """How it is told to somebody: with what it is to them, so that a page reads again
        what it has to and nothing else."""
        is_mine = watcher.takes_part(self) or watcher.has(self)
        return self._line(
            is_mine, watcher.waits_for(self), self.rank_s if watcher.reads_desk else None
        )

    @lru_cache(maxsize=1_000)  # noqa: B019 - few are told, each to many
    def _line(self, is_mine: bool, is_waiting: bool, rank_s: int | None) -> bytes:
        told = {
            "ticket": self.ticket_id,
            "kind": self.kind,
            "team": self.team_id,
            "mine": is_mine,
            "waits": is_waiting,
            "known": self.is_announced or self.kind in _TO_EVERYBODY,
            "rank": rank_s,
            "ours": self.is_ours,
        }
        return f"id: {self.id}\nevent: news\ndata: {json.dumps(told)}\n\n".encode()


@dataclass(eq=False)
class _Stream:
    watcher: Watcher
    queue: asyncio.Queue[bytes | None] = field(default_factory=lambda: asyncio.Queue(200))
    begun: float = field(default_factory=time.monotonic)


class LiveStreams:
    """ASGI: answers the live path itself and passes everything else on."""

    def __init__(self, application: Any) -> None:
        self._application = application
        self._streams: set[_Stream] = set()
        self._poller: asyncio.Task[None] | None = None
        self._starting = asyncio.Lock()
        self._seen = 0

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "lifespan":
            await self._lifespan(receive, send)
        elif scope["type"] == "http" and scope["path"] == PATH:
            await self._serve(scope, receive, send)
        elif scope["type"] == "http":
            await self._application(scope, receive, send)

    async def _lifespan(self, receive: Receive, send: Send) -> None:
        while True:
            message = await receive()
            if message["type"] == "lifespan.startup":
                await send({"type": "lifespan.startup.complete"})
            elif message["type"] == "lifespan.shutdown":
                for stream in list(self._streams):
                    _offer(stream, None)
                await send({"type": "lifespan.shutdown.complete"})
                return

    async def _serve(self, scope: Scope, receive: Receive, send: Send) -> None:
        watcher = await sync_to_async(_watcher_of, thread_sensitive=False)(_session_key(scope))
        if watcher is None or len(self._streams) >= _MAX_STREAMS:
            await _refuse(send, 401 if watcher is None else 503)
            return
        self._make_room(watcher.person_id)
        stream = _Stream(watcher)
        last_seen = _last_event_id(scope)
        await self._start_poller()
        self._streams.add(stream)
        leaving = asyncio.create_task(_wait_for_leave(receive))
        try:
            await send(_START)
            begin = self._seen if last_seen is None else last_seen
            await send(_chunk(f"retry: 2000\nid: {begin}\n\n".encode()))
            if last_seen is not None:
                await self._catch_up(stream, last_seen)
            await _pump(stream, leaving, send)
        finally:
            self._streams.discard(stream)
            leaving.cancel()

    def _make_room(self, person_id: int) -> None:
        """Somebody with very many pages open keeps the newest ones live."""
        theirs = [one for one in self._streams if one.watcher.person_id == person_id]
        for stream in sorted(theirs, key=lambda one: one.begun)[: -_MOST_OF_ONE + 1]:
            _offer(stream, None)

    async def _catch_up(self, stream: _Stream, last_seen: int) -> None:
        behind = await sync_to_async(_read_news, thread_sensitive=False)(last_seen, self._seen)
        if len(behind) == _MOST_BEHIND:
            # Too much to tell one by one: whoever comes back reads what it shows again.
            _offer(stream, f"id: {self._seen}\nevent: gap\ndata: {{}}\n\n".encode())
            return
        for news in behind:
            if stream.watcher.may_see(news):
                _offer(stream, news.as_sse(stream.watcher))

    async def _start_poller(self) -> None:
        async with self._starting:
            if self._poller is None or self._poller.done():
                self._seen = await sync_to_async(audit.latest, thread_sensitive=False)()
                self._poller = asyncio.create_task(self._poll())

    async def _poll(self) -> None:
        while self._streams or self._poller is not None:
            await asyncio.sleep(settings.LIVE_POLL_SECONDS)
            if not self._streams:
                self._poller = None
                return
            try:
                news = await sync_to_async(_read_news, thread_sensitive=False)(self._seen, None)
            except Exception:
                log.exception("the live stream could not read")
                continue
            for item in news:
                self._seen = max(self._seen, item.id)
                for stream in list(self._streams):
                    if stream.watcher.may_see(item):
                        _offer(stream, item.as_sse(stream.watcher))


def _offer(stream: _Stream, line: bytes | None) -> None:
    """Hand a line to a stream; one that does not keep up is ended and comes back."""
    try:
        stream.queue.put_nowait(line)
    except asyncio.QueueFull:
        while not stream.queue.empty():
            stream.queue.get_nowait()
        stream.queue.put_nowait(None)


async def _pump(stream: _Stream, leaving: "asyncio.Task[None]", send: Send) -> None:
    ends_at = asyncio.get_running_loop().time() + _LONGEST_SECONDS
    while not leaving.done() and asyncio.get_running_loop().time() < ends_at:
        getting = asyncio.create_task(stream.queue.get())
        done, _ = await asyncio.wait(
            {getting, leaving},
            timeout=_KEEP_ALIVE_SECONDS,
            return_when=asyncio.FIRST_COMPLETED,
        )
        if getting not in done:
            getting.cancel()
            if leaving in done:
                return
            await asyncio.wait_for(send(_chunk(b": still here\n\n")), _UNREAD_SECONDS)
            continue
        line = getting.result()
        if line is None:
            break
        await asyncio.wait_for(send(_chunk(line)), _UNREAD_SECONDS)
    with contextlib.suppress(RuntimeError):
        await send({"type": "http.response.body", "body": b"", "more_body": False})


async def _wait_for_leave(receive: Receive) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass


async def _refuse(send: Send, status: int) -> None:
    await send(
        {
            "type": "http.response.start",
            "status": status,
            "headers": [(b"content-type", b"text/plain"), (b"cache-control", b"no-store")],
        }
    )
    await send({"type": "http.response.body", "body": b"not now"})


_START = {
    "type": "http.response.start",
    "status": 200,
    "headers": [
        (b"content-type", b"text/event-stream; charset=utf-8"),
        (b"cache-control", b"no-store"),
        (b"x-content-type-options", b"nosniff"),
        (b"x-accel-buffering", b"no"),
    ],
}


def _chunk(body: bytes) -> dict[str, Any]:
    return {"type": "http.response.body", "body": body, "more_body": True}


def _session_key(scope: Scope) -> str | None:
    for name, value in scope["headers"]:
        if name == b"cookie":
            cookie = SimpleCookie(value.decode("latin-1")).get(settings.SESSION_COOKIE_NAME)
            if cookie is not None:
                return cookie.value
    return None


def _last_event_id(scope: Scope) -> int | None:
    headers = dict(scope["headers"])
    query = parse_qs(scope.get("query_string", b"").decode("latin-1"))
    said = headers.get(b"last-event-id", b"").decode("latin-1") or query.get("after", [""])[0]
    return whole_number(said)


def _watcher_of(session_key: str | None) -> Watcher | None:
    """The person of a session, checked as Django's own middleware checks it."""
    if not session_key:
        return None
    try:
        store = import_module(settings.SESSION_ENGINE).SessionStore(session_key)
        person = Person.objects.filter(pk=store.get(SESSION_KEY), is_active=True).first()
        known_backend = store.get(BACKEND_SESSION_KEY) in settings.AUTHENTICATION_BACKENDS
        if person is None or not known_backend:
            return None
        said = store.get(HASH_SESSION_KEY) or ""
        if not constant_time_compare(said, person.get_session_auth_hash()):
            return None
        teams = frozenset(team_ids(person)) if person.is_on_desk else frozenset()
        return Watcher(person.pk, reads_desk(person), teams)
    finally:
        close_old_connections()


def _read_news(after: int, until: int | None) -> list[News]:
    is_told = Q(ticket__isnull=False) | Q(kind=RulebookEvent.PUBLISHED)
    events = Event.objects.filter(is_told, id__gt=after).order_by("id")
    if until is not None:
        events = events.filter(id__lte=until)
    rows = list(
        events.values(
            "id",
            "kind",
            "audience",
            "ticket_id",
            "ticket__is_confidential",
            "ticket__is_announced",
            "ticket__requester_id",
            "ticket__holder_id",
            "ticket__team_id",
            "ticket__rank_s",
            "ticket__move",
            "ticket__is_open",
        )[:_MOST_BEHIND]
    )
    followers = _followers({row["ticket_id"] for row in rows if row["ticket_id"]})
    return [
        News(
            id=row["id"],
            kind=row["kind"],
            ticket_id=row["ticket_id"] or 0,
            audience=row["audience"],
            is_confidential=bool(row["ticket__is_confidential"]),
            is_announced=bool(row["ticket__is_announced"]),
            requester_id=row["ticket__requester_id"] or 0,
            holder_id=row["ticket__holder_id"],
            team_id=row["ticket__team_id"] or 0,
            followers=followers.get(row["ticket_id"], frozenset()),
            rank_s=row["ticket__rank_s"] if row["ticket__is_open"] else None,
            is_ours=row["ticket__move"] == MoveCode.OURS,
        )
        for row in rows
    ]


def _followers(tickets: Iterable[int]) -> dict[int, frozenset[int]]:
    found: dict[int, set[int]] = {}
    rows = Follower.objects.filter(ticket__in=list(tickets)).values_list("ticket_id", "person_id")
    for ticket_id, person_id in rows:
        found.setdefault(ticket_id, set()).add(person_id)
    return {ticket_id: frozenset(people) for ticket_id, people in found.items()}
