"""The pure logic of the front end, tested by the bundler's own runner: one test for each file."""

import json
import subprocess
from pathlib import Path
from typing import Any

import pytest

FRONT_END = Path(__file__).parents[1] / "frontend"
FILES = sorted(path.name for path in (FRONT_END / "tests").glob("*.test.ts"))


@pytest.fixture(scope="module")
def outcome() -> dict[str, Any]:
    """What the runner says of every file, by name."""
    ran = subprocess.run(
        ["npx", "--no-install", "vitest", "run", "--reporter=json"],
        cwd=FRONT_END, capture_output=True, text=True, timeout=300,
    )  # fmt: skip
    said = ran.stdout[ran.stdout.find("{") :]
    assert said, ran.stderr
    return {Path(one["name"]).name: one for one in json.loads(said)["testResults"]}


@pytest.mark.parametrize("name", FILES)
def test_the_front_ends_own_tests(name: str, outcome: dict[str, Any]) -> None:
    tests = outcome[name]["assertionResults"]
    failed = {one["fullName"]: one["failureMessages"] for one in tests if one["status"] != "passed"}
    assert tests and not failed, json.dumps(failed, indent=1)


def test_there_are_some() -> None:
    assert len(FILES) >= 4
