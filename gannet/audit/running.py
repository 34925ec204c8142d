"""Who uses the data: servers and workers share it, a restore has it alone."""

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from gannet.web.database import database_file


class InUse(Exception):
    """Somebody else uses the data."""


def data_folder() -> Path:
    return database_file().parent


@contextmanager
def using_data(*, alone: bool = False) -> Iterator[None]:
    """Hold the lock on the data folder, with others or alone; `InUse` when that cannot be.

    The system lets go of it when a process ends, however it ends.
    """
    folder = data_folder()
    folder.mkdir(parents=True, exist_ok=True)
    handle = os.open(folder / "in-use.lock", os.O_RDWR | os.O_CREAT, 0o600)
    try:
        try:
            fcntl.flock(handle, (fcntl.LOCK_EX if alone else fcntl.LOCK_SH) | fcntl.LOCK_NB)
        except OSError as error:
            raise InUse(
                "Gannet is running on this data: stop its servers and workers first."
                if alone
                else "A restore is under way on this data: wait until it is done."
            ) from error
        yield
    finally:
        os.close(handle)
