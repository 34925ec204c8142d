"""The catalogue of the draft, as the portal would show it."""

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.requests.api import LookedShape, LookShape, look_at
from gannet.trials.api.common import EditsRulebook, book_of
from gannet.web.base import GannetView


class LookAtDraftView(GannetView):
    """An item or bundle of the draft as the portal would show it."""

    permission_classes = [EditsRulebook]
    asks_only = True

    @extend_schema(operation_id="look_at_draft", request=LookShape, responses=LookedShape)
    def post(self, request: Request, key: str) -> Response:
        return Response(look_at(book_of("draft"), key, request, is_preview=True))
