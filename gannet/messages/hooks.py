"""Webhooks: posts to other systems, signed, retried, and kept with what was answered.

The signature is HMAC-SHA256 over the time and the body, with a key of the hook's own that
is derived from the installation's secret, so that no secret stands in the rulebook. Only
hosts that the settings name are ever posted to, and redirects are not followed.
"""

import hashlib
import hmac
import json
import urllib.error
import urllib.request
from collections.abc import Mapping
from functools import partial
from http.client import HTTPException
from typing import Any
from urllib.parse import urlsplit

from django.conf import settings

from gannet.knowledge.links import EVERYBODY
from gannet.knowledge.models import Article
from gannet.messages.models import HookCall, HookState
from gannet.tickets.models import MoveCode, Ticket
from gannet.tickets.states import state_name
from gannet.web.isolation import attempt
from gannet.web.network import speaking
from gannet_core.instants import format_instant, instant_of

_MAX_ATTEMPTS = 8
_TIMEOUT_SECONDS = 8
_BATCH = 20


class _NoRedirects(urllib.request.HTTPRedirectHandler):
    """A redirect could lead anywhere, the inside of the network included."""

    def redirect_request(self, *args: Any, **kwargs: Any) -> None:
        return None


_opener = urllib.request.build_opener(_NoRedirects, urllib.request.ProxyHandler({}))


def key_of(hook: str) -> str:
    """The signing key of a hook, to be given to the receiver."""
    return hmac.new(settings.SECRET_KEY.encode(), f"hook:{hook}".encode(), "sha256").hexdigest()


def signature(hook: str, at: str, body: bytes) -> str:
    return hmac.new(key_of(hook).encode(), at.encode() + b"." + body, hashlib.sha256).hexdigest()


def refusal(url: str) -> str | None:
    """Why an address may not be posted to; None when it may."""
    parts = urlsplit(url)
    if parts.scheme not in ("http", "https") or not parts.hostname:
        return "A webhook needs an address that begins with http:// or https://."
    if parts.username or parts.password:
        return "The address may not carry a name or a password."
    if parts.hostname not in settings.HOOK_HOSTS:
        return "Only hosts that the settings name may be posted to."
    return None


def queue(hook: Mapping[str, Any], ticket: Ticket, by: str, now_s: int) -> HookCall:
    """Queue a post about a ticket in the caller's transaction."""
    body = {
        "hook": hook["key"],
        "by": by,
        "at": format_instant(instant_of(now_s)),
        "ticket": {
            "number": ticket.pk,
            "kind": ticket.kind,
            "title": "" if ticket.is_confidential else ticket.title,
            "state": state_name(ticket.state),
            "move": MoveCode(ticket.move).label,
            "priority": f"P{ticket.priority}",
            "service": ticket.service.name if ticket.service else None,
            "place": ticket.place,
            "team": ticket.team.name,
            "link": f"{settings.PUBLIC_URL}/desk/tickets/{ticket.pk}",
        },
    }
    return _queued(hook, body, now_s, ticket=ticket)


def queue_article(hook: Mapping[str, Any], article: Article, by: str, now_s: int) -> HookCall:
    """Queue a post about an article; what is not for everybody keeps its title here."""
    is_open = article.for_everybody == EVERYBODY
    body = {
        "hook": hook["key"],
        "by": by,
        "at": format_instant(instant_of(now_s)),
        "article": {
            "number": article.pk,
            "title": article.title if is_open else "",
            "state": article.state,
            "kind": article.kind,
            "version": article.version,
            "language": article.language,
            "service": article.service.name if article.service else None,
            "category": article.category,
            "link": f"{settings.PUBLIC_URL}/desk/articles/{article.pk}",
        },
    }
    return _queued(hook, body, now_s, article=article)


def queue_post(
    hook: Mapping[str, Any], body: Mapping[str, Any], ticket: Ticket, now_s: int
) -> HookCall:
    """Queue a post of an app's own about a record, in the caller's transaction."""
    return _queued(hook, body, now_s, ticket=ticket)


def _queued(
    hook: Mapping[str, Any], body: Mapping[str, Any], now_s: int, **about: Ticket | Article
) -> HookCall:
    return HookCall.objects.create(
        hook=hook["key"],
        name=hook["name"],
        url=hook["url"],
        body=json.dumps(body, ensure_ascii=False),
        made_s=now_s,
        next_at_s=now_s,
        **about,
    )


def send_due(now_s: int) -> int:
    """Post what is due; returns how many posts were settled."""
    due = HookCall.objects.filter(state=HookState.WAITING, next_at_s__lte=now_s)
    sent = 0
    for call in due.order_by("next_at_s", "id")[:_BATCH]:
        sent += attempt("webhooks", call.pk, partial(_send_one, call, now_s), now_s)
    return sent


def _send_one(call: HookCall, now_s: int) -> int:
    _post(call, now_s)
    return int(call.state != HookState.WAITING)


def _post(call: HookCall, now_s: int) -> None:
    call.attempts += 1
    refused = refusal(call.url)
    if refused:
        call.state, call.answer, call.done_s = HookState.GIVEN_UP, refused, now_s
        call.save()
        return
    body, at = call.body.encode(), str(now_s)
    request = urllib.request.Request(  # noqa: S310 - the scheme was checked above
        call.url,
        data=body,
        method="POST",
        headers={
            "Content-Type": "application/json",
            "User-Agent": "Gannet",
            "Gannet-Hook": call.hook,
            "Gannet-Delivery": str(call.pk),
            "Gannet-Time": at,
            "Gannet-Signature": signature(call.hook, at, body),
        },
    )
    try:
        with (
            speaking("another system"),
            _opener.open(request, timeout=_TIMEOUT_SECONDS) as response,
        ):
            call.status = response.status
            call.answer = response.read(500).decode("utf-8", "replace")
    except urllib.error.HTTPError as error:
        call.status, call.answer = error.code, str(error.reason)[:500]
    except (OSError, HTTPException) as error:
        call.status, call.answer = None, str(error)[:500]
    if call.status is not None and 200 <= call.status < 300:
        call.state, call.done_s = HookState.DONE, now_s
    elif call.attempts >= _MAX_ATTEMPTS:
        call.state, call.done_s = HookState.GIVEN_UP, now_s
    else:
        call.next_at_s = now_s + 15 * 2**call.attempts
    call.save()
