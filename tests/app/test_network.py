"""Nothing speaks to the network while it holds the write lock.

Beside what stands here, every test of the application opens connections only outside
transactions: see `nobody_speaks_while_holding_the_lock`.
"""

import ast
from pathlib import Path
from typing import Any

import pytest
from django.db import transaction

from gannet.messages.models import StandInMessage
from gannet.web.network import HoldsTheLock, speaking

ROOT = Path(__file__).parents[2] / "gannet"
# Modules that open connections; those that listen only are named with why.
LISTENS = {
    "serving.py": "tries whether its own port is free",
    "edge/protocol.py": "sets options of connections that came in",
    "demo/monitoring.py": "is a program of its own, a stand-in for monitoring",
}
SPEAKS = {"smtplib", "urllib.request", "http.client", "socket", "ftplib", "imaplib", "requests"}


def imports(file: Path) -> set[str]:
    found: set[str] = set()
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.Import):
            found.update(name.name for name in node.names)
        elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
            found.add(node.module)
            found.update(f"{node.module}.{name.name}" for name in node.names)
    return found


def test_every_module_that_speaks_says_so_where_the_lock_is_looked_for() -> None:
    speakers = {
        file.relative_to(ROOT).as_posix(): file
        for file in ROOT.rglob("*.py")
        if imports(file) & (SPEAKS - {"http.client"})
    }
    assert set(LISTENS) <= set(speakers), "no exception outlives its reason"
    for name, file in speakers.items():
        if name not in LISTENS:
            assert "gannet.web.network.speaking" in imports(file), name


@pytest.mark.django_db
def test_speaking_inside_a_transaction_is_a_fault() -> None:
    with speaking("somebody"):
        pass
    with transaction.atomic(), pytest.raises(HoldsTheLock, match="somebody"), speaking("somebody"):
        pass


@pytest.mark.django_db(transaction=True)
def test_writing_in_the_mail_room_arrives_at_once(server: int, northmere: None, api: Any) -> None:
    """The stand-in needs the lock to keep what it is sent; the view once held it meanwhile."""
    said = {"sender": "maeve.tarrant@northmere.example", "subject": "x", "body": "y"}
    client = api("Maeve")
    headers = {"Idempotency-Key": "once"}
    for _ in range(2):
        got = client.post("/api/mailroom", said, content_type="application/json", headers=headers)
        assert got.status_code == 204
    assert StandInMessage.objects.count() == 1
