"""Answers of the edge itself, as RFC 9457 problem details like every other."""

import json
from collections.abc import Awaitable, Callable, Mapping
from typing import Any

Scope = dict[str, Any]
Message = Mapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
Application = Callable[[Scope, Receive, Send], Awaitable[None]]

_TITLES = {
    400: ("bad-request", "That could not be read"),
    408: ("too-slow", "That came too slowly"),
    413: ("too-large", "That is too large"),
    429: ("too-often", "That was too often"),
    503: ("busy", "Gannet is busy"),
}


async def refuse(send: Send, status: int, detail: str, *, again_in: int | None = None) -> None:
    """Answer with a problem and close: what is left of the request is not read."""
    code, title = _TITLES[status]
    body = json.dumps(
        {
            "type": f"urn:gannet:problem:{code}",
            "title": title,
            "status": status,
            "code": code,
            "detail": detail,
        }
    ).encode()
    headers = [
        (b"content-type", b"application/problem+json"),
        (b"content-length", str(len(body)).encode()),
        (b"cache-control", b"no-store"),
        (b"x-content-type-options", b"nosniff"),
        (b"connection", b"close"),
    ]
    if again_in is not None:
        headers.append((b"retry-after", str(again_in).encode()))
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
