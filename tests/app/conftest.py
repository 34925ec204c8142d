"""Application tests live at one instant, so that what the API calls now is what they mean."""

from collections.abc import Iterator

import pytest
import time_machine

from tests.conftest import NOW


@pytest.fixture(autouse=True)
def that_monday() -> Iterator[None]:
    with time_machine.travel(NOW, tick=True):
        yield
