"""The settings of the server that browser tests drive: a database and ports of its own."""

import os
from pathlib import Path

from gannet.settings.base import sqlite
from gannet.settings.test import *  # noqa: F403

_folder = Path(os.environ["GANNET_TEST_FOLDER"])
DATABASES = {"default": sqlite(_folder / "browser.sqlite3")}
MEDIA_ROOT = _folder / "files"
EXPORTS_ROOT = _folder / "exports"
EMAIL_PORT = int(os.environ["GANNET_MAIL_PORT"])
MAIL_DELAY_SECONDS = 3
LIVE_POLL_SECONDS = 0.25
PUBLIC_URL = f"http://localhost:{os.environ['GANNET_PORT']}"
