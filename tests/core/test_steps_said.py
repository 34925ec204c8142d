"""When an escalation step fires, as people read it."""

from typing import Any

import pytest

from gannet_core.escalation import describe_step

HOUR = 3600


@pytest.mark.parametrize(
    ("step", "said"),
    [
        ({"clock": "fix", "moment": {"before_due": HOUR / 2}}, "resolution 30 min before"),
        ({"clock": "fix", "moment": {"after_due": 0}}, "resolution at due"),
        ({"clock": "fix", "moment": {"at_percent": 50}}, "resolution half gone"),
        ({"clock": "untouched", "moment": {"untouched": 3 * HOUR}}, "not worked on for 3 h"),
    ],
)
def test_a_step_is_said_with_its_clock_where_it_has_one(step: dict[str, Any], said: str) -> None:
    assert describe_step(step, "resolution") == said
