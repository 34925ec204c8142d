"""What others may open without the interface: the status page, and lines of an outside chat.

The status page has only what was written for it; it knows no person and no record.
"""

import hmac
from zoneinfo import ZoneInfo

from django.conf import settings
from django.db import transaction
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.cache import cache_control
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_POST, require_safe

from gannet.majors import chat, rooms, updates
from gannet.majors.models import RoomChannel
from gannet.messages.hooks import signature
from gannet.people.acting import Acting
from gannet.web.given import read_json, whole_number
from gannet.web.markdown import as_html
from gannet.web.shape import now_s
from gannet_core.instants import instant_of

_MOST_BYTES, _MOST_SECONDS_OLD = 64 * 1024, 300


@require_safe
@cache_control(public=True, max_age=20)
def status_page(request: HttpRequest) -> HttpResponse:
    """What everybody may know of what is down, newest first; readable without an account."""
    zone = ZoneInfo(settings.ORGANISATION_ZONE)
    found: dict[int, dict[str, object]] = {}
    for row in updates.told_in_public(now_s()):
        major = row.hearers.major
        at = instant_of(row.sent_s or 0).astimezone(zone)
        said = {"at": f"{at:%-d %B %H:%M}", "iso": at.isoformat(), "html": as_html(row.text)}
        one = found.setdefault(
            major.pk,
            {
                "title": row.title,
                "is_over": major.stood_down_s is not None,
                "next": _next(row.hearers.due_s, zone) if major.stood_down_s is None else "",
                "updates": [],
            },
        )
        listed = one["updates"]
        assert isinstance(listed, list)
        if len(listed) < 20:
            listed.append(said)
    running = [one for one in found.values() if not one["is_over"]]
    ended = [one for one in found.values() if one["is_over"]]
    now = timezone.now().astimezone(zone)
    return render(
        request,
        "status.html",
        {
            "organisation": settings.ORGANISATION,
            "running": running,
            "ended": ended,
            "as_of": f"{now:%-d %B %H:%M}",
        },
    )


def _next(due_s: int | None, zone: ZoneInfo) -> str:
    return f"{instant_of(due_s).astimezone(zone):%H:%M}" if due_s else ""


def _taken(request: HttpRequest) -> bool:
    """Whether a post is signed as the chat's hook is, and fresh."""
    at = request.headers.get("Gannet-Time", "")
    at_s = whole_number(at)
    given = request.headers.get("Gannet-Signature", "")
    is_fresh = at_s is not None and abs(now_s() - at_s) <= _MOST_SECONDS_OLD
    return is_fresh and hmac.compare_digest(given, signature(chat.HOOK, at, request.body))


@csrf_exempt  # another program posts here, known by its signature
@require_POST
def chat_in(request: HttpRequest) -> HttpResponse:
    """A line of the outside chat: said in the channel that is connected, once."""
    if len(request.body) > _MOST_BYTES:
        return HttpResponse(status=413)
    if not _taken(request):
        return JsonResponse({"detail": "The signature is not right."}, status=401)
    body = read_json(request.body)
    channel = (
        RoomChannel.objects.filter(
            pk=whole_number(str(body.get("channel", ""))) or 0,
            major=whole_number(str(body.get("room", ""))) or 0,
            in_chat=1,
            is_closed=0,
            major__ticket__is_open=True,
        )
        .select_related("major", "major__ticket")
        .first()
    )
    author, text = str(body.get("author", "")).strip(), str(body.get("text", "")).strip()
    key = str(body.get("key", "")).strip()[:80]
    if channel is not None and not chat.is_connected(channel.major, channel):
        channel = None
    if channel is None or not author or not text or not key:
        return JsonResponse({"detail": "There is no such channel, or nothing said."}, status=422)
    with transaction.atomic():
        if not channel.messages.filter(outside=key).exists():
            rooms.keep_said(
                channel.major,
                channel,
                Acting(person=None, now=timezone.now()),
                text[: rooms.MOST_TEXT],
                author=author,
                outside=key,
            )
    return JsonResponse({"taken": key})


@csrf_exempt  # the shipped stand-in of an outside chat, which the demo has only
@require_POST
def chat_standin(request: HttpRequest) -> HttpResponse:
    """The stand-in takes what a room said."""
    if not (settings.IS_DEMO and settings.STANDIN_MAIL):
        return HttpResponse(status=404)
    if len(request.body) > _MOST_BYTES:
        return HttpResponse(status=413)
    if not _taken(request):
        return JsonResponse({"detail": "The signature is not right."}, status=401)
    line = chat.keep_line(read_json(request.body), now_s())
    return JsonResponse({"taken": line.key})


@require_safe
def call_standin(request: HttpRequest, key: str) -> HttpResponse:
    """The stand-in of a conference: a page that says whose call it would be."""
    if not (settings.IS_DEMO and settings.STANDIN_MAIL and request.user.is_authenticated):
        return HttpResponse(status=404)
    return render(request, "call.html", {"call_sign": key.replace("-", " ").title()})
