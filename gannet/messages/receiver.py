"""The shipped receiver of webhooks: it checks the signature and keeps what it got."""

import hmac

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils import timezone
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_POST

from gannet.messages.hooks import signature
from gannet.messages.models import HookReceived
from gannet.web.given import read_json, whole_number

_MOST_BYTES = 64 * 1024
_MOST_SECONDS_OLD = 300


@csrf_exempt  # it is another program that posts here, known by its signature
@require_POST
def receive(request: HttpRequest) -> HttpResponse:
    """Take a post; one with a wrong or old signature is refused. The demo has it, only."""
    if not (settings.IS_DEMO and settings.STANDIN_MAIL):
        return HttpResponse(status=404)
    if len(request.body) > _MOST_BYTES:
        return HttpResponse(status=413)
    hook = request.headers.get("Gannet-Hook", "")[:60]
    at = request.headers.get("Gannet-Time", "")
    given = request.headers.get("Gannet-Signature", "")
    at_s = whole_number(at)
    is_fresh = at_s is not None and abs(timezone.now().timestamp() - at_s) <= _MOST_SECONDS_OLD
    is_genuine = is_fresh and hmac.compare_digest(given, signature(hook, at, request.body))
    if not is_genuine:
        return JsonResponse({"detail": "The signature is not right."}, status=401)
    HookReceived.objects.create(
        received_at=timezone.now(),
        hook=hook,
        delivery=request.headers.get("Gannet-Delivery", "")[:60],
        is_genuine=True,
        body=request.body.decode("utf-8", "replace"),
    )
    stale = HookReceived.objects.order_by("-id").values_list("id", flat=True)[500:501]
    HookReceived.objects.filter(id__lte=next(iter(stale), 0)).delete()
    number = read_json(request.body).get("ticket", {}).get("number")
    return JsonResponse({"taken": number})
