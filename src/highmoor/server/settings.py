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
    file = DATA / "secret-key"
    try:
        return file.read_text()
    except FileNotFoundError:
        pass
    key = secrets.token_urlsafe(50)
    try:
        DATA.mkdir(parents=True, exist_ok=True)
        with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as stream:
            stream.write(key)
    except FileExistsError:
        return file.read_text()
    except OSError:
        # Commands that need no database also run where nothing can be written.
        return key
    return key


SECRET_KEY = _secret_key()
DEBUG = False
ALLOWED_HOSTS = [
    name.strip() for name in os.environ.get("HIGHMOOR_ALLOWED_HOSTS", "127.0.0.1,localhost,[::1]").split(",")
]
INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "highmoor.server.apps.HighmoorServer",
]
MIDDLEWARE = [
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
        # A file, not memory: tests are to meet the log and its locks as well.
        "TEST": {"NAME": DATA / "test.sqlite3"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}"}
    for name in ("UserAttributeSimilarityValidator", "MinimumLengthValidator", "CommonPasswordValidator")
]
TIME_ZONE = "UTC"
USE_TZ = True
LANGUAGE_CODE = "en"
STATIC_URL = "/static/"
WEB_DIST = ROOT / "web" / "dist"
DATA_UPLOAD_MAX_MEMORY_SIZE = 66 * 1024 * 1024
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
}
