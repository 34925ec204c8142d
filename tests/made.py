"""The data that many tests begin with: made once, before all of them, where there is time for it.

`python -m tests.made FOLDER` makes them while the code is looked over; tests that are run by themselves
make their own.
"""

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]
_BEGIN = """
import django
django.setup()
from django.core.management import call_command
call_command("migrate", verbosity=0)
"""
_NORTHMERE = """
from tests.conftest import make_northmere
make_northmere()
"""
_DESK = """
from gannet.demo.command import fill, Progress
fill(Progress(), tickets=260, seed=20)
"""


def _run(code: str, **environment: str) -> None:
    done = subprocess.run(
        [sys.executable, "-c", _BEGIN + code], cwd=ROOT, capture_output=True, text=True,
        env={**os.environ, "GANNET_MADE": "", **environment},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr


def small(path: Path) -> None:
    """Northmere in small, as tests of the application begin with."""
    path.parent.mkdir(parents=True, exist_ok=True)
    _run(_NORTHMERE, DJANGO_SETTINGS_MODULE="tests.worker_settings", GANNET_TEST_DATABASE=str(path))


def fill(folder: Path) -> None:
    """A desk of 260 tickets with its files, as tests in a browser begin with."""
    folder.mkdir(parents=True, exist_ok=True)
    _run(
        _DESK, DJANGO_SETTINGS_MODULE="tests.browser_settings", GANNET_TEST_FOLDER=str(folder),
        GANNET_PORT="0", GANNET_MAIL_PORT="0",
    )  # fmt: skip


def main() -> int:
    folder = Path(sys.argv[1])
    small(folder / "northmere.sqlite3")
    fill(folder / "browser")
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
