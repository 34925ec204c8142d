"""The edge: slow senders and slow readers cost themselves, and nobody else."""

import asyncio
import http.client
import json
import socket
import time
from collections.abc import Awaitable, Callable, Sequence
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from hypothesis import given
from hypothesis import strategies as st

from gannet.edge.edge import Edge
from gannet.edge.limits import Limits
from gannet.edge.spool import Room, Spool, SpoolFull
from gannet.tickets.files import keep_upload
from tests.app.conftest import cookie_of
from tests.conftest import NOW

QUICK = Limits(
    body_bytes=1_000, upload_bytes=5_000, rest_seconds=0.2, bytes_per_second=10_000,
    at_once_from_one=3, at_once=5, memory_bytes=100, spool_bytes=20_000, unread_seconds=0.3,
)  # fmt: skip
Messages = list[dict[str, Any]]


async def echo(scope: dict[str, Any], receive: Any, send: Any) -> None:
    """Answers with what it was sent, in pieces of forty bytes."""
    body = b""
    while True:
        message = await receive()
        body += message["body"]
        if not message["more_body"]:
            break
    await send({"type": "http.response.start", "status": 200, "headers": []})
    for at in range(0, len(body), 40):
        await send({"type": "http.response.body", "body": body[at : at + 40], "more_body": True})
    await send({"type": "http.response.body", "body": b""})


def scope_of(method: str = "POST", **headers: str) -> dict[str, Any]:
    named = [(name.replace("_", "-").encode(), value.encode()) for name, value in headers.items()]
    return {
        "type": "http", "method": method, "path": "/api/x", "headers": named,
        "client": ("192.0.2.1", 5),
    }  # fmt: skip


def sends(*pieces: bytes, then: Callable[[], Awaitable[Any]] | None = None) -> Any:
    """A client that sends these pieces, and then whatever is wanted."""
    waiting = [
        {"type": "http.request", "body": piece, "more_body": at < len(pieces) - 1 or bool(then)}
        for at, piece in enumerate(pieces)
    ]

    async def receive() -> Any:
        if waiting:
            return waiting.pop(0)
        return await then() if then else {"type": "http.disconnect"}

    return receive


async def never() -> Any:
    await asyncio.sleep(60)


def answer_of(got: Messages) -> tuple[int, bytes]:
    return got[0]["status"], b"".join(one.get("body", b"") for one in got[1:])


async def ask(edge: Edge, scope: dict[str, Any], receive: Any) -> tuple[int, bytes]:
    got: Messages = []

    async def send(message: Any) -> None:
        got.append(dict(message))

    await edge(scope, receive, send)
    return answer_of(got)


def asked(receive: Any, limits: Limits = QUICK, **headers: str) -> tuple[int, bytes]:
    return asyncio.run(ask(Edge(echo, limits), scope_of(**headers), receive))


@given(
    st.lists(st.binary(max_size=300), min_size=1, max_size=6).filter(
        lambda p: sum(map(len, p)) <= 1_000
    )
)
def test_what_is_sent_comes_through_whole(pieces: Sequence[bytes]) -> None:
    assert asked(sends(*pieces)) == (200, b"".join(pieces))


@pytest.mark.parametrize(
    ("headers", "pieces", "status"),
    [
        ({"content_length": "1001"}, [b"x"], 413),
        ({"content_length": "99999999999999999999"}, [b"x"], 400),
        ({"content_length": "²"}, [b"x"], 400),
        ({"content_length": "-5"}, [b"x"], 400),
        ({}, [b"x" * 600, b"x" * 600], 413),
        ({"content_type": "multipart/form-data; boundary=b"}, [b"x" * 2_000, b"x" * 2_000], 200),
        ({"content_type": "multipart/form-data; boundary=b"}, [b"x" * 3_000, b"x" * 3_000], 413),
        ({"content_type": "application/json; x=multipart/form-data"}, [b"x" * 2_000], 413),
    ],
)
def test_a_body_is_as_large_as_its_kind_may_be(
    headers: dict[str, str], pieces: list[bytes], status: int
) -> None:
    found, body = asked(sends(*pieces), **headers)
    assert found == status
    if status != 200:
        assert json.loads(body)["status"] == status and json.loads(body)["detail"]


def test_a_body_that_never_comes_is_given_up() -> None:
    begun = time.monotonic()
    assert asked(sends(b"x", then=never))[0] == 408
    assert time.monotonic() - begun < 2


def test_a_body_that_trickles_is_given_up() -> None:
    """One byte every fifteenth of a second never rests, but would take for ever."""

    async def trickle() -> Any:
        await asyncio.sleep(0.015)
        return {"type": "http.request", "body": b"x", "more_body": True}

    begun = time.monotonic()
    assert asked(sends(b"x", then=trickle))[0] == 408
    assert time.monotonic() - begun < 2


def test_a_client_that_leaves_while_sending_is_not_answered() -> None:
    async def leaves() -> Any:
        return {"type": "http.disconnect"}

    async def nothing(message: Any) -> None:
        raise AssertionError("nobody is there to read it")

    asyncio.run(Edge(echo, QUICK)(scope_of(), sends(b"x", then=leaves), nothing))


def test_no_thread_waits_for_a_slow_reader() -> None:
    """The application is done with its answer long before its reader is."""
    done_at: list[float] = []

    async def application(scope: Any, receive: Any, send: Any) -> None:
        await echo(scope, receive, send)
        done_at.append(time.monotonic())

    got: Messages = []

    async def slowly(message: Any) -> None:
        await asyncio.sleep(0.05)
        got.append(dict(message))

    begun = time.monotonic()
    asyncio.run(Edge(application, QUICK)(scope_of(), sends(b"y" * 400), slowly))
    assert answer_of(got) == (200, b"y" * 400)
    assert done_at[0] - begun < 0.2 < time.monotonic() - begun


def test_a_reader_that_takes_nothing_is_cut() -> None:
    async def stuck(message: Any) -> None:
        await asyncio.sleep(60)

    begun = time.monotonic()
    with pytest.raises(ConnectionError):
        asyncio.run(Edge(echo, QUICK)(scope_of(), sends(b"y" * 400), stuck))
    assert time.monotonic() - begun < 2


def test_an_answer_for_which_there_is_no_room_is_a_problem_not_half_an_answer() -> None:
    async def too_much(scope: Any, receive: Any, send: Any) -> None:
        await send({"type": "http.response.start", "status": 200, "headers": []})
        for _ in range(30):
            await send({"type": "http.response.body", "body": b"z" * 1_000, "more_body": True})

    async def waits(message: Any) -> None:
        await asyncio.sleep(0.01)
        got.append(dict(message))

    got: Messages = []
    with pytest.raises(ConnectionError):
        asyncio.run(Edge(too_much, QUICK)(scope_of("GET"), sends(), waits))
    assert not any(m.get("more_body") is False for m in got[1:]), "it is not closed as if whole"


def test_one_address_holds_only_so_much_and_gives_it_back() -> None:
    async def several() -> list[int]:
        edge = Edge(echo, QUICK)
        hanging = [
            asyncio.create_task(ask(edge, scope_of(), sends(b"x", then=never))) for _ in range(3)
        ]
        await asyncio.sleep(0.05)
        during = (await ask(edge, scope_of(), sends(b"x")))[0]
        other = scope_of()
        other["client"] = ("192.0.2.2", 9)
        elsewhere = (await ask(edge, other, sends(b"x")))[0]
        await asyncio.gather(*hanging)
        after = (await ask(edge, scope_of(), sends(b"x")))[0]
        return [during, elsewhere, after]

    assert asyncio.run(several()) == [429, 200, 200]


def test_headers_with_an_underscore_do_not_reach_the_application() -> None:
    """WSGI would read X_Forwarded_Proto as X-Forwarded-Proto."""
    seen: list[bytes] = []

    async def application(scope: Any, receive: Any, send: Any) -> None:
        seen.extend(name for name, _ in scope["headers"])
        await echo(scope, receive, send)

    scope = scope_of()
    scope["headers"] += [(b"x_forwarded_proto", b"https"), (b"x-kept", b"1")]
    asyncio.run(ask(Edge(application, QUICK), scope, sends(b"x")))
    assert seen == [b"x-kept"]


@given(
    st.lists(st.one_of(st.binary(min_size=1, max_size=250), st.none()), max_size=25),
    st.integers(1, 400),
)
def test_a_spool_gives_back_what_it_was_given_in_order(
    acts: list[bytes | None], memory: int
) -> None:
    """Written and read in any order, over and under what is kept in memory."""

    async def through() -> bytes:
        room = Room(10_000)
        spool = Spool(memory, room)
        out, waiting = b"", 0
        for act in acts:
            if act is not None:
                await spool.write(act)
                waiting += len(act)
            elif waiting:
                piece = await spool.read()
                assert piece
                waiting -= len(piece)
                out += piece
        spool.end()
        while (piece := await spool.read()) is not None:
            out += piece
        assert room._held == 0
        spool.close()
        return out

    assert asyncio.run(through()) == b"".join(act for act in acts if act is not None)


def test_a_spool_that_is_full_says_so_and_gives_its_room_back() -> None:
    async def filled() -> int:
        room = Room(500)
        spool = Spool(10, room)
        with pytest.raises(SpoolFull):
            for _ in range(10):
                await spool.write(b"x" * 100)
        spool.close()
        return room._held

    assert asyncio.run(filled()) == 0


# A real server


def open_and_hang(port: int, head: bytes) -> socket.socket:
    made = socket.create_connection(("127.0.0.1", port), timeout=20)
    made.sendall(head)
    return made


def status(port: int) -> int:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
    connection.request("GET", "/api/session")
    return connection.getresponse().status


@pytest.mark.django_db(transaction=True)
def test_sockets_whose_body_or_head_never_comes_freeze_nobody(served: int) -> None:
    head = b"POST /api/session HTTP/1.1\r\nHost: localhost\r\nContent-Length: 100\r\n\r\n{"
    unfinished = b"GET /api/session HTTP/1.1\r\nHost: loc"
    hanging = [open_and_hang(served, head) for _ in range(60)]
    hanging += [open_and_hang(served, unfinished) for _ in range(60)]
    begun = time.monotonic()
    assert [status(served) for _ in range(5)] == [200] * 5
    assert time.monotonic() - begun < 5
    for one in hanging:
        one.close()


@pytest.mark.django_db(transaction=True)
def test_readers_that_do_not_read_freeze_nobody(served: int, person: Any) -> None:
    """Twice as many as there are threads ask for a large file and take nothing of it."""
    signe = person("Signe")
    file = keep_upload(SimpleUploadedFile("log.txt", b"x" * 9_000_000), signe, NOW)
    asks = (
        f"GET /api/attachments/{file.pk} HTTP/1.1\r\nHost: localhost\r\n"
        f"Cookie: {cookie_of(signe)}\r\n\r\n"
    )
    hanging = [open_and_hang(served, asks.encode()) for _ in range(16)]
    assert hanging[0].recv(15) == b"HTTP/1.1 200 OK"
    begun = time.monotonic()
    assert [status(served) for _ in range(5)] == [200] * 5
    assert time.monotonic() - begun < 5
    whole = b""
    while len(whole) < 9_000_000:
        whole += hanging[0].recv(1_000_000)
    assert whole.endswith(b"x" * 1_000), "who goes on reading gets it whole"
    for one in hanging:
        one.close()
