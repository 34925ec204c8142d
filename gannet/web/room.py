"""Room on the disk: writing stops cleanly before there is none, and it is said before that."""

import shutil
import time
from dataclasses import dataclass

from django.conf import settings

from gannet.web.database import database_file

_LOOK_EVERY_SECONDS = 5.0
_looked_at = float("-inf")
_free = 0
_total = 1


@dataclass(frozen=True)
class Room:
    """What is free of the disk with the data, in bytes."""

    free: int
    total: int

    @property
    def is_short(self) -> bool:
        """Whether somebody should make room: below a twentieth, or what the settings say."""
        return self.free < max(settings.DISK_WARN_BYTES, min(self.total // 20, 5 * 2**30))

    @property
    def is_out(self) -> bool:
        """Whether nothing more is written: what is left lets what is under way end."""
        return self.free < settings.DISK_RESERVE_BYTES

    @property
    def sentence(self) -> str:
        megabytes = self.free // 2**20
        left = f"{megabytes:,} MB" if megabytes < 10_240 else f"{megabytes // 1024:,} GB"
        if self.is_out:
            return f"The disk is full ({left} left): nothing can be kept until there is room."
        return f"The disk is nearly full: {left} left of {self.total // 2**30:,} GB."


def room() -> Room:
    """How much room there is, looked at every few seconds."""
    global _looked_at, _free, _total
    now = time.monotonic()
    if now - _looked_at > _LOOK_EVERY_SECONDS:
        folder = database_file().parent
        found = shutil.disk_usage(folder if folder.exists() else "/")
        _free, _total, _looked_at = found.free, found.total, now
    return Room(_free, _total)


def look_again() -> None:
    """Forget what was seen."""
    global _looked_at
    _looked_at = float("-inf")
