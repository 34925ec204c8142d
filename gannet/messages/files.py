"""The link of a mail to a file that was too big for it."""

from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_safe

from gannet.messages.enclosed import of_link
from gannet.tickets.api.records import whole_file


@require_safe
def linked_file(request: HttpRequest, key: str) -> HttpResponse:
    """The file, to whoever holds the link; what is wrong with a link is not told apart."""
    file = of_link(key)
    if file is None:
        words = "This link has expired, or the file was removed. Ask the desk for it again."
        return HttpResponse(words, status=404, content_type="text/plain; charset=utf-8")
    answer = whole_file(file)
    answer["Cache-Control"] = "private, no-store"
    answer["Referrer-Policy"] = "no-referrer"
    return answer  # type: ignore[return-value]
