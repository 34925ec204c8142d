"""The contracts of imports say no: to a circle, to an import upwards, wherever it stands."""

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
KEPT = ("gannet", "gannet_core", "pyproject.toml")
# A line added to a module, and the contract that breaks by it.
WRONG = [
    ("gannet/web/errors.py", "def later():\n    from gannet.people.models import Person\n",
     "Apps import in one direction"),
    ("gannet/tickets/models/ticket.py", "def later():\n    from gannet.requests import offers\n",
     "Apps import in one direction"),
    ("gannet/tickets/states.py", "import gannet.tickets.actions.talk\n",
     "No circle of imports anywhere"),
    ("gannet/incidents/kind.py", "import gannet.requests.models\n", "Apps import in one direction"),
    ("gannet_core/errors.py", "import gannet_core.clocks\n", "No circle of imports anywhere"),
    ("gannet_core/priority.py", "import django\n", "The core knows no framework and does no I/O"),
]  # fmt: skip


@pytest.fixture
def house(tmp_path: Path) -> Path:
    """A copy of the code, for building wrongly."""
    for name in KEPT:
        source = ROOT / name
        if source.is_dir():
            shutil.copytree(source, tmp_path / name, ignore=shutil.ignore_patterns("__pycache__"))
        else:
            shutil.copy(source, tmp_path / name)
    return tmp_path


def broken(house: Path) -> set[str]:
    """The contracts that the linter says are broken."""
    ran = subprocess.run(
        [Path(sys.executable).with_name("lint-imports"), "--no-cache"],
        cwd=house, capture_output=True, text=True, timeout=300, env={"PATH": "", "PYTHONPATH": str(house)},
    )  # fmt: skip
    assert "Contracts:" in ran.stdout, ran.stdout + ran.stderr
    lines = ran.stdout.splitlines()
    return {line.rsplit(" BROKEN", 1)[0] for line in lines if " BROKEN" in line}


def test_the_house_as_it_stands_is_sound(house: Path) -> None:
    assert broken(house) == set()


@pytest.mark.parametrize(("where", "line", "contract"), WRONG)
def test_what_is_built_wrongly_is_refused(
    house: Path, where: str, line: str, contract: str
) -> None:
    path = house / where
    path.write_text(f"{path.read_text()}\n\n{line}")
    assert contract in broken(house)
