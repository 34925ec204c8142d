"""The demo: Northmere Ferries on this machine, with one-click sign-in and stand-in mail."""

import os
import secrets

from gannet.settings.base import *  # noqa: F403
from gannet.settings.base import VAR
from gannet.settings.northmere import *  # noqa: F403

IS_DEMO = True
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "[::1]", "testserver"]
STANDIN_MAIL = True
MAIL_TRUSTED_SERVER = "mail.northmere.example"  # what the stand-in calls itself
PORT = int(os.environ.get("GANNET_PORT", "8000"))
EMAIL_PORT = int(os.environ.get("GANNET_MAIL_PORT", "8025"))
PUBLIC_URL = f"http://localhost:{PORT}"
HOOK_HOSTS = ["localhost"]
CHAT_URL = f"{PUBLIC_URL}/standin/chat"
CONFERENCE_URL = f"{PUBLIC_URL}/standin/call"

VAR.mkdir(exist_ok=True)
_key_file = VAR / "demo-secret"
if not _key_file.exists() or len(_key_file.read_text()) < 40:  # a crash may have cut it
    _part = _key_file.with_suffix(".part")
    _part.touch(0o600)
    _part.write_text(secrets.token_urlsafe(50))
    _part.replace(_key_file)
SECRET_KEY = _key_file.read_text()
