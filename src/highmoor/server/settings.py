"""Django settings; what differs between installations comes from the environment.

HIGHMOOR_DATA            folder of the database and the secret key (default: ./data)
HIGHMOOR_SECRET_KEY      overrides the key kept in the data folder
HIGHMOOR_ALLOWED_HOSTS   names the server answers to, with commas (default: loopback only)
HIGHMOOR_HTTPS           1 behind a TLS proxy: secure cookies, HSTS
HIGHMOOR_DEMO            1 in demo mode: loopback visitors are signed in as the demo user
"""

from __future__ import annotations

import os
import secrets
from datetime import timedelta
from pathlib import Path

ROOT = Path(__file__).resolve().parents[3]
DATA = Path(os.environ.get("HIGHMOOR_DATA", ROOT / "data"))
DEMO = os.environ.get("HIGHMOOR_DEMO") == "1"
HTTPS = os.environ.get("HIGHMOOR_HTTPS") == "1"


def _secret_key() -> str:
    """The installation's own key, made once and readable by its owner only."""
    given = os.environ.get("HIGHMOOR_SECRET_KEY")
    if given:
        return given
    return kept_key(DATA / "secret-key")


def kept_key(file: Path) -> str:
    """The key in a file, made where there is none: written whole beside it, then put in its place in one step."""
    try:
        return file.read_text().strip()
    except FileNotFoundError:
        pass
    key = secrets.token_urlsafe(50)
    beside = file.with_name(f".{file.name}.{secrets.token_hex(8)}")
    try:
        file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        with os.fdopen(os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as stream:
            stream.write(key)
            stream.flush()
            os.fsync(stream.fileno())
        os.link(beside, file)
    except FileExistsError:
        # Another process was first, and its key is whole.
        return file.read_text().strip()
    except OSError:
        # Commands that need no database also run where nothing can be written.
        return key
    finally:
        beside.unlink(missing_ok=True)
    return key


SECRET_KEY = _secret_key()
# Shorter ones can be guessed; a file that was cut by a full disk is one.
SECRET_KEY_AT_LEAST = 32
DEBUG = False
ALLOWED_HOSTS = [
    name.strip() for name in os.environ.get("HIGHMOOR_ALLOWED_HOSTS", "127.0.0.1,localhost,[::1]").split(",")
]
INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "axes",
    "highmoor.server.apps.HighmoorServer",
]
MIDDLEWARE = [
    "highmoor.server.middleware.KnownHosts",
    "highmoor.server.static.StaticFiles",
    "django.middleware.security.SecurityMiddleware",
    "highmoor.server.middleware.SecureHeaders",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "highmoor.server.middleware.DemoUser",
]
ROOT_URLCONF = "highmoor.server.urls"
ASGI_APPLICATION = "highmoor.server.asgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [Path(__file__).parent / "templates"],
        "OPTIONS": {"context_processors": ["django.template.context_processors.request"]},
    }
]
# synchronous=FULL: an answered edit survives a power cut, at the cost of one fsync of the log an edit.
_PRAGMAS = (
    "PRAGMA journal_mode=WAL;PRAGMA synchronous=FULL;PRAGMA busy_timeout=5000;"
    "PRAGMA foreign_keys=ON;PRAGMA cache_size=-16000;"
)
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "highmoor.sqlite3",
        "OPTIONS": {"transaction_mode": "IMMEDIATE", "timeout": 5, "init_command": _PRAGMAS},
        "CONN_MAX_AGE": None,
        # A file, not memory: tests are to meet the log and its locks as well.
        "TEST": {"NAME": DATA / "test.sqlite3"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
_VALIDATION = "django.contrib.auth.password_validation"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"{_VALIDATION}.UserAttributeSimilarityValidator"},
    {"NAME": f"{_VALIDATION}.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": f"{_VALIDATION}.CommonPasswordValidator"},
    {"NAME": f"{_VALIDATION}.NumericPasswordValidator"},
]
PASSWORD_BACKEND = "django.contrib.auth.backends.ModelBackend"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", PASSWORD_BACKEND]
# Wrong passwords: counted in the database a name and place; see signing_in.py.
AXES_FAILURE_LIMIT = 10
AXES_COOLOFF_TIME = timedelta(minutes=5)
AXES_RESET_COOL_OFF_ON_FAILURE_DURING_LOCKOUT = False
AXES_RESET_ON_SUCCESS = True
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_DISABLE_ACCESS_LOG = True
AXES_ENABLE_ADMIN = False
AXES_VERBOSE = False
SILENCED_SYSTEM_CHECKS = ["axes.W002"]
TIME_ZONE = "UTC"
USE_TZ = True
LANGUAGE_CODE = "en"
STATIC_URL = "/static/"
WEB_DIST = ROOT / "web" / "dist"
DATA_UPLOAD_MAX_MEMORY_SIZE = 66 * 1024 * 1024
# Cookies know no ports: two servers on one machine would sign each other's users out.
_PORT = os.environ.get("HIGHMOOR_PORT", "")
SESSION_COOKIE_NAME = f"highmoor-session{_PORT and f'-{_PORT}'}"
CSRF_COOKIE_NAME = f"highmoor-csrf{_PORT and f'-{_PORT}'}"
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = HTTPS
SECURE_HSTS_SECONDS = 31_536_000 if HTTPS else 0
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if HTTPS else None
SECURE_REFERRER_POLICY = "same-origin"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    # Every wrong password is counted; only a name that is shut out is worth a line.
    "loggers": {"axes.handlers.database": {"level": "CRITICAL"}},
}
