"""Settings of the tests: a file database, so that WAL and threads are real."""

import tempfile
from pathlib import Path

from gannet.settings.base import *  # noqa: F403
from gannet.settings.base import sqlite
from gannet.settings.northmere import *  # noqa: F403

SECRET_KEY = "only-for-tests"  # noqa: S105
IS_DEMO = True
# A kind of record of an app that does not ship: what it is in needs no other file.
INSTALLED_APPS = [*INSTALLED_APPS, "tests.experiments.ExperimentsConfig"]  # noqa: F405
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "testserver"]
STANDIN_MAIL = True
MAIL_TRUSTED_SERVER = "mail.northmere.example"  # what the stand-in calls itself
HOOK_HOSTS = ["localhost"]
CHAT_URL = "http://localhost:8000/standin/chat"
CONFERENCE_URL = "http://localhost:8000/standin/call"
_folder = Path(tempfile.mkdtemp(prefix="gannet-test-"))
DATABASES = {"default": {**sqlite(_folder / "main.sqlite3")}}
DATABASES["default"]["TEST"] = {"NAME": str(_folder / "test.sqlite3")}
DATABASES["default"]["CONN_MAX_AGE"] = 0
EXPORTS_ROOT = _folder / "exports"
CHAIN_KEY_FILE = _folder / "chain-key.pem"
CHAIN_HEADS_FILE = _folder / "heads.jsonl"
MEDIA_ROOT = _folder / "files"
# A real hasher with the least work: sign-in is tested, its cost is not.
PASSWORD_HASHERS = ["gannet.settings.test.QuickArgon2"]

from django.contrib.auth.hashers import Argon2PasswordHasher  # noqa: E402


class QuickArgon2(Argon2PasswordHasher):
    time_cost = 1
    memory_cost = 8
    parallelism = 1
