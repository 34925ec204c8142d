"""The shared cases, through the JSON face, compared as their README says."""

import json
import math
import subprocess
import sys
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest

from gannet_core.json_lines import OPERATIONS, answer, answer_lines

# The shared cases, and those of this project in the same form.
FOLDERS = [Path(__file__).parent / name for name in ("vectors", "own_vectors")]
CASES = [
    json.loads(line)
    for folder in FOLDERS
    for path in sorted(folder.glob("*.jsonl"))
    for line in path.read_text(encoding="utf-8").splitlines()
]


def agrees(got: Any, wanted: Any, *, is_top: bool = False) -> bool:
    if isinstance(wanted, bool) or wanted is None or isinstance(got, bool) or got is None:
        return got is wanted
    if isinstance(wanted, (int, float)):
        return isinstance(got, (int, float)) and math.isclose(
            got, wanted, rel_tol=1e-9, abs_tol=1e-9
        )
    if isinstance(wanted, str):
        return isinstance(got, str) and (got == wanted or same_instant(got, wanted))
    if isinstance(wanted, list):
        return (
            isinstance(got, list)
            and len(got) == len(wanted)
            and all(agrees(a, b) for a, b in zip(got, wanted, strict=True))
        )
    if not isinstance(got, dict) or (not is_top and set(got) != set(wanted)):
        return False
    return all(key in got and agrees(got[key], value) for key, value in wanted.items())


def same_instant(got: str, wanted: str) -> bool:
    try:
        left, right = datetime.fromisoformat(got), datetime.fromisoformat(wanted)
        return left.tzinfo is not None and right.tzinfo is not None and left == right
    except ValueError:
        return False


@pytest.mark.parametrize("case", CASES, ids=[case["id"] for case in CASES])
def test_case(case: dict[str, Any]) -> None:
    out = answer(case)["out"]
    assert agrees(out, case["out"], is_top=True), f"{case['note']}: {out} != {case['out']}"


def test_every_shared_operation_is_answered_and_an_unknown_one_says_so() -> None:
    assert {case["op"] for case in CASES} <= set(OPERATIONS)
    unknown = answer({"id": 1, "op": "outlook.guess", "in": {}})
    assert unknown["out"] == {"error": "UnknownOperation"}


def test_the_comparison_can_fail() -> None:
    assert not agrees({"a": 1}, {"a": True})
    assert not agrees([{"a": 1, "b": 2}], [{"a": 1}])
    assert agrees({"at": "2026-11-23T10:00:00+01:00"}, {"at": "2026-11-23T09:00:00Z"})


def test_a_bad_line_does_not_stop_the_next_one() -> None:
    good = json.dumps(CASES[0], ensure_ascii=False)
    answers = [json.loads(line) for line in answer_lines(["{", "[1]", '{"op": 3}', "", good])]
    assert [a["out"].get("error") for a in answers[:3]] == [
        "ValueError",
        "ValueError",
        "UnknownOperation",
    ]
    assert answers[3]["id"] == CASES[0]["id"]


def test_the_command_speaks_utf8_and_ends_well() -> None:
    cases = "\n".join(json.dumps(case, ensure_ascii=False) for case in CASES)
    done = subprocess.run(
        [sys.executable, "-m", "gannet_core"],
        input=cases.encode(),
        capture_output=True,
        check=True,
        env={"LC_ALL": "C", "PATH": ""},
        cwd=Path(__file__).parents[2],
    )
    ids = [json.loads(line)["id"] for line in done.stdout.decode("utf-8").splitlines()]
    assert ids == [case["id"] for case in CASES]
    assert done.stderr == b""
