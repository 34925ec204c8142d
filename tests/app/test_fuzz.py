"""The API's description, taken at its word: what it allows is tried, and what it does not.

`make test` tries about 300 cases, the same each time; `make test-fuzz` 2,000 others. Beside
what stands here, each answer is held to the description by `answers_are_as_published`: its
status is one that is described, and its shape is the one described for it.
"""

import json
import os
import time
import warnings
from collections.abc import Callable
from contextlib import nullcontext
from typing import Any
from urllib.parse import urlencode

import pytest
import schemathesis
from django.db import connection, transaction
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from schemathesis import GenerationMode

from gannet.people.models import Person
from gannet.people.tokens import make_token
from gannet.web import network
from tests.app.published import DESCRIPTION, description, pointer, validator
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
CASES = int(os.environ.get("GANNET_FUZZ_CASES", "300"))
# Of this thread's own work: an answer that runs away, not a machine that is busy elsewhere.
LONGEST_SECONDS = 20
OPERATIONS = {
    found.ok().label: found.ok()
    for found in schemathesis.openapi.from_path(DESCRIPTION).get_all_operations()
}
EACH = max(1, round(CASES / len(OPERATIONS)))
WHO = ("Anneke", "Signe", "Maeve", "token", "")
# Operations that speak to the network: nothing may be wrapped around them.
SPEAKS = {"POST /api/mailroom"}
_NOT_SAID = ("This field is required.", "There is no such field here.")


def cases_of(label: str) -> Any:
    """Cases of an operation: as described, or wrong in some place."""
    operation = OPERATIONS[label]
    kinds = [operation.as_strategy(generation_mode=GenerationMode.POSITIVE)]
    if operation.body or operation.query:
        kinds.append(operation.as_strategy(generation_mode=GenerationMode.NEGATIVE))
    return st.one_of(kinds)


def send(client: Any, case: Any, number: int | None) -> Any:
    """The case as a request; numbers in its path are those of something that exists."""
    parameters = dict(case.path_parameters or {})
    if number is not None:
        for name in parameters:
            if name in ("number", "approval", "task", "event"):
                parameters[name] = number
    path = case.path
    for name, value in parameters.items():
        path = path.replace(
            f"{{{name}}}", "".join(f"%{byte:02X}" for byte in str(value).encode("utf-8", "replace"))
        )
    query = urlencode(case.query or {}, doseq=True, errors="replace")
    headers = {
        name: value.encode("latin-1", "replace").decode("latin-1")
        for name, value in (case.headers or {}).items()
        if name.lower() not in ("authorization", "cookie")
    }
    body = case.body
    content: Any = b""
    kind = case.media_type or ""
    if isinstance(body, bytes):
        content = body
    elif kind == "multipart/form-data" and isinstance(body, dict):
        return client.post(
            f"{path}?{query}", {k: _part(v) for k, v in body.items()}, headers=headers
        )
    elif not isinstance(body, schemathesis.core.NotSet):
        content = json.dumps(body, default=str).encode("utf-8", "replace")
    return client.generic(
        case.method, f"{path}?{query}", content, content_type=kind or "application/json",
        headers=headers,
    )  # fmt: skip


def _part(value: Any) -> Any:
    return value if isinstance(value, (str, bytes)) else str(value)


def is_wrong(case: Any) -> bool:
    """Whether the body of a case is one that the description does not allow.

    Blanks around a text are taken away before it is looked at, which no description can say.
    """
    meta = case.meta
    body = [c for kind, c in (meta.components if meta else {}).items() if kind.value == "body"]
    if not any(one.mode == GenerationMode.NEGATIVE for one in body):
        return False
    place = ("paths", case.path, case.method.lower(), "requestBody", "content", case.media_type)
    return not validator(pointer(*place, "schema")).is_valid(stripped(case.body))


def stripped(value: Any) -> Any:
    if isinstance(value, str):
        return value.strip()
    if isinstance(value, dict):
        return {name: stripped(one) for name, one in value.items()}
    return [stripped(one) for one in value] if isinstance(value, list) else value


@pytest.fixture
def token(northmere: None, person: Callable[[str], Any]) -> str:
    return make_token(person("Signe"), NOW, name="fuzz", scopes=["read", "write"], days=30)[1]


@pytest.mark.parametrize("label", OPERATIONS)
def test_an_operation_answers_as_it_is_described(
    label: str, northmere: None, client: Any, person: Any, log: Any, token: str
) -> None:
    ticket = log("Maeve", "Boarding gates")
    description()  # read before the time counts
    people = {name: person(name) for name in WHO if name not in ("token", "")}
    network.tests_own_blocks = len(connection.atomic_blocks) + 1

    @settings(
        max_examples=EACH, deadline=None, database=None, derandomize=CASES <= 300,
        phases=[Phase.generate], suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(case=cases_of(label), who=st.sampled_from(WHO), is_known=st.booleans())
    def tried(case: Any, who: str, is_known: bool) -> None:
        client.raise_request_exception = False
        client.logout()
        client.defaults.pop("HTTP_AUTHORIZATION", None)
        if who == "token":
            client.defaults["HTTP_AUTHORIZATION"] = f"Bearer {token}"
        elif who:
            client.force_login(people[who], backend="gannet.people.signing.SignedInPeople")
        begun = time.thread_time()
        with nullcontext() if label in SPEAKS else transaction.atomic():
            answer = send(client, case, ticket.pk if is_known else None)
            if label not in SPEAKS:
                transaction.set_rollback(True)
        assert time.thread_time() - begun < LONGEST_SECONDS, case.as_curl_command()
        assert answer.status_code < 500, (case.as_curl_command(), answer.content[:500])
        if answer.status_code == 422 and not is_wrong(case):
            said = answer.json().get("fields", {})
            assert not [name for name, words in said.items() if words in _NOT_SAID], (
                said, case.body, "the description allows it",
            )  # fmt: skip
        if is_wrong(case):
            assert answer.status_code >= 400, (
                "taken, though the description does not allow it", case.body,
            )  # fmt: skip

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        tried()
    assert Person.objects.count() > 50, "what is tried is taken back"
