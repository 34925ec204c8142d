"""Windows in words, case by case."""

import pytest

from gannet_core.window_words import in_words
from gannet_core.windows import read_window


@pytest.mark.parametrize(
    ("rule", "says"),
    [
        (None, "once, 26 November 2026 01:30 to 04:30"),
        ("FREQ=DAILY", "every day, 01:30 to 04:30"),
        ("FREQ=DAILY;INTERVAL=3", "every 3 days, 01:30 to 04:30"),
        ("FREQ=WEEKLY", "every Thursday, 01:30 to 04:30"),
        ("FREQ=WEEKLY;BYDAY=SU,TH", "every Thursday and Sunday, 01:30 to 04:30"),
        ("FREQ=WEEKLY;INTERVAL=2;BYDAY=TU", "every 2 weeks on Tuesday, 01:30 to 04:30"),
        ("FREQ=MONTHLY", "on the 26th of each month, 01:30 to 04:30"),
        ("FREQ=MONTHLY;BYDAY=2TU", "on the second Tuesday of each month, 01:30 to 04:30"),
        ("FREQ=MONTHLY;BYDAY=-1FR", "on the last Friday of each month, 01:30 to 04:30"),
        ("FREQ=MONTHLY;BYDAY=1SU,FR",
         "on every Friday and the first Sunday of each month, 01:30 to 04:30"),
        ("FREQ=MONTHLY;BYMONTHDAY=1,-1",
         "on the 1st and the last day of each month, 01:30 to 04:30"),
        ("FREQ=MONTHLY;INTERVAL=3;BYMONTHDAY=22", "on the 22nd of every 3 months, 01:30 to 04:30"),
        ("FREQ=YEARLY", "on 26 November of each year, 01:30 to 04:30"),
        ("FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU",
         "on the last Sunday in March of each year, 01:30 to 04:30"),
        ("FREQ=WEEKLY;COUNT=4", "every Thursday, 01:30 to 04:30, 4 times"),
        ("FREQ=WEEKLY;UNTIL=20270131", "every Thursday, 01:30 to 04:30, until 31 January 2027"),
    ],
)  # fmt: skip
def test_a_window_in_words(rule: str | None, says: str) -> None:
    data = {"zone": "Europe/London", "from": "2026-11-26T01:30", "to": "2026-11-26T04:30"}

    assert in_words(read_window({**data, "rrule": rule})) == says


@pytest.mark.parametrize(
    ("ends", "rule", "says"),
    [
        ("2026-11-27T00:30", "FREQ=DAILY", "every day, 22:00 to 00:30"),
        ("2026-11-27T23:00", "FREQ=WEEKLY", "every Thursday, 22:00 to 23:00 the next day"),
        ("2026-11-30T06:00", None, "once, 26 November 2026 22:00 to 30 November 2026 06:00"),
        ("2026-11-30T06:00", "FREQ=YEARLY",
         "on 26 November of each year, 22:00 to 06:00 4 days later"),
    ],
)  # fmt: skip
def test_one_that_ends_on_another_day_says_so(ends: str, rule: str | None, says: str) -> None:
    data = {"zone": "Europe/London", "from": "2026-11-26T22:00", "to": ends, "rrule": rule}

    assert in_words(read_window(data)) == says


def test_days_on_which_it_falls_out_are_named() -> None:
    data = {
        "zone": "Europe/London",
        "from": "2026-11-26T01:30",
        "to": "2026-11-26T04:30",
        "rrule": "FREQ=WEEKLY",
        "except": ["2026-12-31", "2026-12-24"],
    }
    says = in_words(read_window(data))
    assert says.endswith("but not on 24 December 2026 and 31 December 2026")
