"""The examples of docs/api.md, run as a script with a token would run them."""

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any
from urllib.parse import quote

import pytest

from gannet.people import tokens
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
PAGE = Path(__file__).parents[2] / "docs" / "api.md"
EXAMPLES = re.findall(
    r"```api\n(GET|POST) (/api/[^\n]+)\n(?:(\{.*\})\n)?(\d{3})\n```", PAGE.read_text("utf-8")
)


def test_every_example_does_what_it_says(
    client: Any, log: Callable[..., Any], person: Callable[[str], Any]
) -> None:
    assert len(EXAMPLES) >= 8, "the page has its examples"
    scopes = ["read", "write", "alerts"]
    _, secret = tokens.make_token(person("Signe"), NOW, name="x", scopes=scopes, days=1)
    number = str(log("Maeve", "Boarding gates").pk)
    for method, path, body, status in EXAMPLES:
        address, _, query = path.replace("{n}", number).partition("?")
        call = client.get if method == "GET" else client.post
        more = {} if method == "GET" else {
            "data": body.replace("{n}", number).replace('"requester": 1', f'"requester": {person("Maeve").pk}'),
            "content_type": "application/json",
        }  # fmt: skip
        asked = f"{address}?{quote(query, safe='=&,')}" if query else address
        got = call(asked, headers={"Authorization": f"Bearer {secret}"}, **more)
        assert got.status_code == int(status), (method, path, got.content)


@pytest.mark.parametrize("days", [0, 367])
def test_a_token_lasts_a_year_at_most(person: Callable[[str], Any], days: int) -> None:
    from gannet.web.errors import Invalid

    with pytest.raises(Invalid):
        tokens.make_token(person("Signe"), NOW, name="x", scopes=["read"], days=days)


def test_a_token_ends_with_its_time_its_person_and_its_revoking(
    client: Any, person: Callable[[str], Any]
) -> None:
    import time_machine

    from gannet.people.models import Token

    signe = person("Signe")
    token, secret = tokens.make_token(signe, NOW, name="x", scopes=["read"], days=1)
    headers = {"Authorization": f"Bearer {secret}"}
    assert secret not in str(Token.objects.values()), "only its digest is kept"
    assert client.get("/api/tickets", headers=headers).status_code == 200
    with time_machine.travel(NOW.replace(day=25)):
        assert client.get("/api/tickets", headers=headers).status_code == 401
    signe.is_active = False
    signe.save()
    assert client.get("/api/tickets", headers=headers).status_code == 401
    signe.is_active = True
    signe.save()
    tokens.revoke(signe, token.pk, NOW)
    assert client.get("/api/tickets", headers=headers).status_code == 401
    assert client.get("/api/tickets", headers={"Authorization": "Bearer x"}).status_code == 401
