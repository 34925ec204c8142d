"""What goes over the wire: packed where that is safe, as it is where a secret stands in it."""

import gzip
import json
from typing import Any

import pytest

from gannet.tickets.models import Ticket

pytestmark = pytest.mark.django_db
PACKED = {"HTTP_ACCEPT_ENCODING": "gzip, br"}


def test_a_list_is_sent_packed_to_who_takes_it_so(log: Any, api: Any) -> None:
    for n in range(12):
        log("Maeve", "Boarding gates", title=f"gate {n}")
    plain = api("Signe").get("/api/tickets")
    packed = api("Signe").get("/api/tickets", **PACKED)
    assert "Content-Encoding" not in plain.headers
    assert packed.headers["Content-Encoding"] == "gzip"
    assert "Accept-Encoding" in packed.headers["Vary"]
    assert len(packed.content) < len(plain.content) / 4
    unpacked = json.loads(gzip.decompress(packed.content))
    assert [row["id"] for row in unpacked["rows"]] == [row["id"] for row in plain.json()["rows"]]
    assert packed.headers["Cache-Control"] == "no-store"


def test_what_holds_a_secret_is_never_packed(log: Any, api: Any) -> None:
    signe = api("Signe")
    assert "Content-Encoding" not in signe.get("/api/session", **PACKED).headers
    given = {"name": "a script " * 8, "scopes": ["read"], "days": 9}
    made = signe.post("/api/tokens", given, "application/json", **PACKED)
    assert made.status_code == 201 and "Content-Encoding" not in made.headers


def test_a_file_of_the_desk_is_sent_as_it_is(log: Any, api: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    Ticket.objects.filter(pk=ticket.pk).update(title="x")
    found = api("Signe").get("/api/tickets/999999", **PACKED)
    assert found.status_code == 404 and "Content-Encoding" not in found.headers, "too short"
