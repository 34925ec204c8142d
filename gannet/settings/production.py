"""Production: everything secret or local comes from the environment.

GANNET_SECRET_KEY, GANNET_HOSTS (comma separated), GANNET_DATA (folder), GANNET_URL,
GANNET_MAIL_HOST and _PORT, GANNET_MAIL_TRUSTED_SERVER, GANNET_DESK_ADDRESS and _NAME,
GANNET_ORGANISATION and _SHORT, GANNET_CURRENCY, GANNET_RUNBOOKS, GANNET_HOOK_HOSTS,
GANNET_CHAT_URL, GANNET_CONFERENCE_URL,
GANNET_PROXIES (addresses of proxies). `gannet check --deploy`
refuses what is unsafe, see `gannet.web.checks`.
"""

import os
from pathlib import Path

from gannet.settings.base import *  # noqa: F403
from gannet.settings.base import sqlite

SECRET_KEY = os.environ.get("GANNET_SECRET_KEY", "")
ALLOWED_HOSTS = [host for host in os.environ.get("GANNET_HOSTS", "").split(",") if host]
VAR = Path(os.environ.get("GANNET_DATA", "/var/lib/gannet"))
DATABASES = {"default": sqlite(VAR / "gannet.sqlite3")}
EXPORTS_ROOT = VAR / "exports"
MEDIA_ROOT = VAR / "files"
CHAIN_KEY_FILE = Path(os.environ.get("GANNET_CHAIN_KEY_FILE", VAR / "chain-key.pem"))
CHAIN_HEADS_FILE = Path(os.environ.get("GANNET_CHAIN_HEADS_FILE", VAR / "heads.jsonl"))
PUBLIC_URL = os.environ.get("GANNET_URL", "")
EMAIL_HOST = os.environ.get("GANNET_MAIL_HOST", "localhost")
EMAIL_PORT = int(os.environ.get("GANNET_MAIL_PORT", "25"))
HOOK_HOSTS = [host for host in os.environ.get("GANNET_HOOK_HOSTS", "").split(",") if host]
CHAT_URL = os.environ.get("GANNET_CHAT_URL", "")
CONFERENCE_URL = os.environ.get("GANNET_CONFERENCE_URL", "")
MAIL_STARTTLS = os.environ.get("GANNET_MAIL_STARTTLS", "1") == "1"
EMAIL_HOST_USER = os.environ.get("GANNET_MAIL_USER", "")
EMAIL_HOST_PASSWORD = os.environ.get("GANNET_MAIL_PASSWORD", "")
MAIL_TRUSTED_SERVER = os.environ.get("GANNET_MAIL_TRUSTED_SERVER", "")
DESK_ADDRESS = os.environ.get("GANNET_DESK_ADDRESS", "")
DESK_NAME = os.environ.get("GANNET_DESK_NAME", "IT help")
ORGANISATION = os.environ.get("GANNET_ORGANISATION", "Your organisation")
ORGANISATION_SHORT = os.environ.get("GANNET_ORGANISATION_SHORT", ORGANISATION)
CURRENCY_SIGN = os.environ.get("GANNET_CURRENCY", "£")
RUNBOOKS = os.environ.get("GANNET_RUNBOOKS", "")

SESSION_COOKIE_SECURE = True
CSRF_COOKIE_SECURE = True
CSRF_TRUSTED_ORIGINS = [PUBLIC_URL] if PUBLIC_URL else []
SECURE_SSL_REDIRECT = os.environ.get("GANNET_SSL_REDIRECT", "1") == "1"
SECURE_HSTS_SECONDS = 31_536_000
SECURE_HSTS_INCLUDE_SUBDOMAINS = True
# Whether a request came encrypted is believed of the proxies named, by way of the server.
TRUSTED_PROXIES = [one for one in os.environ.get("GANNET_PROXIES", "127.0.0.1").split(",") if one]
SCAN_FOLDER = os.environ.get("GANNET_SCAN_FOLDER", "")
