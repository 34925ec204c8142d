"""Settings that every way of running shares. What differs is in demo, test, production."""

from datetime import timedelta
from pathlib import Path

from csp.constants import NONCE, NONE, SELF

ROOT = Path(__file__).resolve().parents[2]
VAR = ROOT / "var"
FRONTEND = ROOT / "frontend" / "dist"

DEBUG = False
IS_DEMO = False
ALLOWED_HOSTS: list[str] = []
INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "axes",
    "csp",
    "rest_framework",
    "drf_spectacular",
    "django_tasks",
    "django_tasks_db",
    "gannet.audit",
    "gannet.people",
    "gannet.estate",
    "gannet.knowledge",
    "gannet.rulebook",
    "gannet.jobs",
    "gannet.tickets",
    "gannet.incidents",
    "gannet.problems",
    "gannet.changes",
    "gannet.majors",
    "gannet.requests",
    "gannet.messages",
    "gannet.trials",
    "gannet.reports",
    "gannet.upkeep",
    "gannet.oncall",
    "gannet.web",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "gannet.web.middleware.PackedAnswers",
    "csp.middleware.CSPMiddleware",
    "gannet.web.middleware.SecurityHeaders",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "gannet.urls"
WSGI_APPLICATION = "gannet.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [ROOT / "gannet" / "web" / "templates"],
        "OPTIONS": {"context_processors": ["django.template.context_processors.request"]},
    }
]


def sqlite(name: Path | str) -> dict[str, object]:
    """A SQLite database as Gannet wants it.

    WAL lets readers go on while one writes; with it, synchronous=NORMAL keeps every
    committed write over a crash of the program and may lose the last ones only when the
    machine itself loses power. IMMEDIATE takes the write lock at the start of a
    transaction, so that a read in it cannot be stale by the time it writes.
    """
    return {
        "ENGINE": "gannet.web.sqlite",
        "NAME": str(name),
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
            "init_command": (
                "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; "
                "PRAGMA foreign_keys=ON; PRAGMA temp_store=MEMORY; PRAGMA cache_size=-32000; "
                "PRAGMA mmap_size=268435456"
            ),
        },
    }


DATABASES = {"default": sqlite(VAR / "gannet.sqlite3")}

AUTH_USER_MODEL = "people.Person"
AUTHENTICATION_BACKENDS = [
    "axes.backends.AxesStandaloneBackend",
    "gannet.people.signing.SignedInPeople",
]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {
        "NAME": "django.contrib.auth.password_validation.MinimumLengthValidator",
        "OPTIONS": {"min_length": 12},
    },
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
AXES_FAILURE_LIMIT = 5
AXES_COOLOFF_TIME = timedelta(minutes=15)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_ENABLE_ADMIN = False
AXES_SENSITIVE_PARAMETERS = ["password"]
AXES_USERNAME_FORM_FIELD = "username"
AXES_VERBOSE = False
AXES_LOCKOUT_CALLABLE = "gannet.web.views.locked_out"

SESSION_ENGINE = "gannet.people.signing"
SESSION_COOKIE_NAME = "gannet_session"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_AGE = 12 * 3600  # a shift and a half
CSRF_COOKIE_NAME = "gannet_csrf"
CSRF_COOKIE_SAMESITE = "Lax"
CSRF_FAILURE_VIEW = "gannet.web.views.csrf_failure"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF, NONCE],
        "font-src": [SELF],
        "img-src": [SELF, "blob:"],
        "connect-src": [SELF],
        "form-action": [SELF],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
        "manifest-src": [SELF],
    }
}

LANGUAGE_CODE = "en-gb"
TIME_ZONE = "UTC"
USE_TZ = True
USE_I18N = False

STATIC_URL = "/static/"
STATIC_ROOT = None
WHITENOISE_ROOT = FRONTEND
WHITENOISE_INDEX_FILE = False
WHITENOISE_MAX_AGE = 0


def immutable_file_test(path: str, url: str) -> bool:
    """Vite puts a content hash into the names of what it builds."""
    return url.startswith("/assets/")


WHITENOISE_IMMUTABLE_FILE_TEST = immutable_file_test
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "whitenoise.storage.CompressedStaticFilesStorage"},
}
MEDIA_ROOT = VAR / "files"
EXPORTS_ROOT = VAR / "exports"
FILE_UPLOAD_PERMISSIONS = 0o600
DATA_UPLOAD_MAX_MEMORY_SIZE = 2 * 1024 * 1024

REST_FRAMEWORK: dict[str, object] = {
    "DEFAULT_AUTHENTICATION_CLASSES": [
        "gannet.people.tokens.TokenAuthentication",
        "gannet.web.auth.SignedIn",
    ],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_RENDERER_CLASSES": ["gannet.web.rendering.Renderer"],
    "DEFAULT_PARSER_CLASSES": ["gannet.web.parsers.JSONReader"],
    "DEFAULT_SCHEMA_CLASS": "gannet.web.schema.GannetSchema",
    "EXCEPTION_HANDLER": "gannet.web.problems.exception_handler",
    "UNAUTHENTICATED_USER": None,
    "DEFAULT_THROTTLE_RATES": {},
    # Addresses are those of the connection, which the server takes from trusted proxies only.
    "NUM_PROXIES": 0,
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Gannet",
    "DESCRIPTION": "The API of the Gannet service desk. Errors are RFC 9457 problem details.",
    "VERSION": "1",
    "OAS_VERSION": "3.1.0",
    "SERVE_INCLUDE_SCHEMA": False,
    "SCHEMA_PATH_PREFIX": "/api",
    "COMPONENT_SPLIT_REQUEST": True,
    "COMPONENT_SPLIT_PATCH": False,  # what a change needs is said of it
    "ENUM_GENERATE_CHOICE_DESCRIPTION": False,
    "POSTPROCESSING_HOOKS": [
        "drf_spectacular.hooks.postprocess_schema_enums",
        "gannet.web.schema.as_it_is_meant",
    ],
    "PATH_CONVERTER_OVERRIDES": {
        "number": {"type": "integer", "minimum": 0, "maximum": 10**18 - 1},
    },
}

# Mail: where to send, and the address people write to.
EMAIL_HOST = "127.0.0.1"
EMAIL_PORT = 8025
MAIL_STARTTLS = False  # production turns it on
EMAIL_HOST_USER = EMAIL_HOST_PASSWORD = ""
DESK_ADDRESS = "help@example.org"
DESK_NAME = "IT help"
# Whose desk it is, as pages name it, in full and in short; and the sign of its currency.
ORGANISATION = "Your organisation"
ORGANISATION_SHORT = "your organisation"
CURRENCY_SIGN = "£"
# The runbooks that can be run here: the path of a mapping of `gannet.tickets.outward.Runbook`.
RUNBOOKS = ""
# The demo's one-click sign-in: address -> what that person is.
DEMO_PEOPLE: dict[str, str] = {}
MAIL_DELAY_SECONDS = 10  # what can be undone must not have left yet
STANDIN_MAIL = False
# The mail server whose Authentication-Results are believed, by the name it gives itself
# there. It must take such headers of others away. Empty: no header is believed.
MAIL_TRUSTED_SERVER = ""
PUBLIC_URL = "http://localhost:8000"
# Addresses of proxies whose X-Forwarded-For and -Proto are believed; of nobody else's.
TRUSTED_PROXIES: list[str] = []

# Long work (replays, re-applying an edition) is done by `gannet work`.
TASKS = {
    "default": {
        "BACKEND": "django_tasks_db.DatabaseBackend",
        "QUEUES": ["default", "slow"],
    }
}

# Hosts that webhooks may post to; a rulebook cannot name any other.
HOOK_HOSTS: list[str] = []

# An outside chat that open channels of rooms may be connected to, and where calls are held.
CHAT_URL = ""
CONFERENCE_URL = ""
ORGANISATION_ZONE = "Europe/London"
# Mail from addresses that nobody here has: "keep aside", or "log" it for a guest.
UNKNOWN_SENDERS = "keep aside"
# Outside the database: the key that signs heads of the event log, and what it has signed.
CHAIN_KEY_FILE = VAR / "chain-key.pem"
CHAIN_HEADS_FILE = VAR / "heads.jsonl"
MAIL_MOST_ATTACHED_BYTES = 8 * 1024 * 1024  # what is bigger goes as a link
MAX_UPLOAD_BYTES = 10 * 1024 * 1024
# Below the first, administrators are told; below the second, nothing more is written.
DISK_WARN_BYTES = 512 * 1024 * 1024
DISK_RESERVE_BYTES = 48 * 1024 * 1024
LIVE_POLL_SECONDS = 0.5

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "{levelname} {name}: {message}", "style": "{"}},
    "handlers": {"stderr": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "root": {"handlers": ["stderr"], "level": "WARNING"},
    "loggers": {
        "gannet": {"level": "INFO"},
        "django.request": {"level": "ERROR"},
        "axes": {"level": "ERROR"},
    },
}

# Where inventory files of scans arrive for the worker to read; empty: nowhere.
SCAN_FOLDER: Path | str = ""
