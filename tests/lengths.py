"""How long tests that try random things go on: short in `make test`, whole in `make test-long`."""

import os

IS_LONG = os.environ.get("GANNET_LONG_TESTS") == "1"


def up_to(usual: int, whole: int) -> int:
    """How many to try: as usual, or all of them when there is time."""
    return whole if IS_LONG else usual
