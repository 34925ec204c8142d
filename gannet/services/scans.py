"""Inventory files of scans: one by hand, or all that arrive in the watched folder."""

import logging
from pathlib import Path

from django.conf import settings
from django.utils import timezone

from gannet.changes import verifying
from gannet.estate import scanning
from gannet.people.acting import Acting
from gannet.rulebook.book import current
from gannet.web.errors import Problem

log = logging.getLogger(__name__)
READ, REFUSED = "read", "refused"


def scan_file(path: Path, progress: scanning.Progress | None = None) -> scanning.Scanned:
    """Read one inventory file and note what it saw."""
    scanned_s, things = scanning.read_file(path)
    done = scanning.note(things, scanned_s, current().item_types, progress)
    verifying.compare(done.items, Acting(person=None, now=timezone.now()))
    return done


def files_in(path: Path) -> list[Path]:
    """The inventory files of a folder by name, or the one file itself."""
    return sorted(path.glob("*.json")) if path.is_dir() else [path]


def read_folder(now_s: int) -> int:
    """Read what has arrived in the watched folder; a file that is none is laid aside with why."""
    folder = settings.SCAN_FOLDER
    if not folder or not Path(folder).is_dir():
        return 0
    done = 0
    for path in files_in(Path(folder)):
        aside = READ
        try:
            scan_file(path)
        except (Problem, OSError) as error:
            log.warning("an inventory file could not be read: %s", error)
            aside = REFUSED
            path.with_suffix(".why.txt").write_text(f"{error}\n", encoding="utf-8")
        target = path.parent / aside
        target.mkdir(exist_ok=True)
        path.replace(target / path.name)
        done += 1
    return done
