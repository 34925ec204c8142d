"""How many queries each page takes: as many with forty tickets as with four, and no more."""

from collections.abc import Callable
from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from gannet.tickets import actions
from tests.conftest import NOW

pytestmark = pytest.mark.django_db

# Whose page, its address, and the most queries that it takes. `{ticket}` is one of them.
PAGES = [
    ("Signe", "/api/session", 8),
    ("Signe", "/api/notifications", 6),
    ("Signe", "/api/lookout", 12),
    ("Marit", "/api/lookout/{team}", 18),
    ("Signe", "/api/tickets", 6),
    ("Signe", "/api/tickets?sort=service,-opened&columns=tags,category", 6),
    ("Signe", "/api/tickets/figures?total=true", 7),
    ("Signe", "/api/tickets/groups?by=service", 6),
    ("Signe", "/api/tickets/{ticket}", 34),
    ("Maeve", "/api/portal", 12),
    ("Signe", "/api/find?q={ticket}", 7),
    ("Signe", "/api/find?q=gate", 10),
]


@pytest.mark.parametrize(("who", "path", "most"), PAGES, ids=[path for _, path, _ in PAGES])
def test_a_page_takes_so_many_queries_and_no_more(
    log: Any, person: Any, api: Callable[[str], Any], who: str, path: str, most: int
) -> None:
    def more(count: int) -> int:
        number = 0
        for n in range(count):
            ticket = log("Maeve", ["Boarding gates", None][n % 2], title=f"gate {n}")
            acting = actions.Acting(person=person("Signe"), now=NOW)
            actions.note(ticket.pk, acting, "seen")
            number = ticket.pk
        return number

    def count(number: int) -> int:
        team = person("Marit").memberships.first().team_id
        address = path.format(ticket=number, team=team)
        client = api(who)
        client.get(address)  # what is compiled and read once is
        with CaptureQueriesContext(connection) as asked:
            answer = client.get(address)
        assert answer.status_code == 200, answer.content[:200]
        return len(asked)

    few = count(more(4))
    many = count(more(36))
    assert many <= most, f"{many} queries"
    # What is prefetched for rows is asked for once there are any.
    assert many - few <= 1
