"""The settings of servers and workers that the chaos bench kills: a folder and ports of its own."""

import os
from pathlib import Path

from gannet.settings.base import sqlite
from gannet.settings.test import *  # noqa: F403

_folder = Path(os.environ["GANNET_CHAOS_FOLDER"])
SECRET_KEY = "the same for all that are started one after the other"  # noqa: S105
DATABASES = {"default": sqlite(_folder / "gannet.sqlite3")}
MEDIA_ROOT = _folder / "files"
EXPORTS_ROOT = _folder / "exports"
CHAIN_KEY_FILE = _folder / "chain-key.pem"
CHAIN_HEADS_FILE = _folder / "heads.jsonl"
EMAIL_PORT = int(os.environ["GANNET_MAIL_PORT"])
MAIL_DELAY_SECONDS = 1
# The file system is small: what is kept free for ending cleanly is, too.
DISK_WARN_BYTES, DISK_RESERVE_BYTES = 24 * 1024 * 1024, 12 * 1024 * 1024
