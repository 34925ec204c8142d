"""Files that are there whole or not at all, whatever happens on the way."""

import os
from collections.abc import Callable
from hashlib import sha256
from pathlib import Path
from typing import IO

_PIECE = 1024 * 1024


def to_disk(file: IO[bytes]) -> None:
    file.flush()
    os.fsync(file.fileno())


def folder_to_disk(folder: Path) -> None:
    """A renamed file is there after a crash only when its folder has been written too."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def copied(source: IO[bytes], target: Path) -> tuple[int, str]:
    """Copy to a file that is complete once it has its name; returns bytes and SHA-256."""
    part = target.with_name(f"{target.name}.part")
    digest, size = sha256(), 0
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        with part.open("wb") as file:
            while piece := source.read(_PIECE):
                file.write(piece)
                digest.update(piece)
                size += len(piece)
            to_disk(file)
        part.replace(target)
        folder_to_disk(target.parent)
    except BaseException:
        part.unlink(missing_ok=True)
        raise
    return size, digest.hexdigest()


def digest_of(file: Path) -> tuple[int, str]:
    digest, size = sha256(), 0
    with file.open("rb") as content:
        while piece := content.read(_PIECE):
            digest.update(piece)
            size += len(piece)
    return size, digest.hexdigest()


def written(target: Path, write: Callable[[Path], object]) -> None:
    """Let something write a file under another name, and give it its own when it is whole."""
    part = target.with_name(f"{target.name}.part")
    try:
        write(part)
        with part.open("rb+") as file:
            to_disk(file)
        part.replace(target)
        folder_to_disk(target.parent)
    finally:
        part.unlink(missing_ok=True)
