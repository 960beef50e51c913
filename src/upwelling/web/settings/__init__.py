"""Settings of the web application; everything that differs between machines comes from the environment."""

from __future__ import annotations

import datetime
import os
import secrets
from pathlib import Path as FilePath

PACKAGE = FilePath(__file__).resolve().parents[1]
_checkout = PACKAGE.parents[2]
DATA = FilePath(
    os.environ.get("UPWELLING_DATA")
    or ((_checkout if (_checkout / "pyproject.toml").exists() else FilePath.cwd()) / "var")
)
"""Everything stored: in a checkout under it, else under the folder the server is started in."""
DATA.mkdir(mode=0o700, parents=True, exist_ok=True)
FILES = DATA / "files"
"""Uploaded and baked files: outside the static root, sent only by views that check membership."""


def _secret() -> str:
    place = DATA / "secret"
    if not place.exists():
        place.touch(mode=0o600, exist_ok=True)
        place.write_text(secrets.token_urlsafe(50))
    return place.read_text()


SECRET_KEY = os.environ.get("UPWELLING_SECRET") or _secret()
DEBUG = False
ALLOWED_HOSTS = os.environ.get("UPWELLING_HOSTS", "localhost,127.0.0.1,[::1]").split(",")
ROOT_URLCONF = "upwelling.web.urls"
WSGI_APPLICATION = "upwelling.web.wsgi.application"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "whitenoise.runserver_nostatic",
    "django.contrib.staticfiles",
    "axes",
    "csp",
    "upwelling.web.common",
    "upwelling.web.care",
    "upwelling.web.showings",
    "upwelling.web.deliveries",
    "upwelling.web.bakes",
    "upwelling.web.wall",
    "upwelling.web.outputs",
    "upwelling.web.looks",
    "upwelling.web.cuts",
    "upwelling.web.matches",
    "upwelling.web.measuring",
    "upwelling.web.bench",
    "upwelling.web.footage",
    "upwelling.web.luts",
    "upwelling.web.productions",
    "upwelling.web.encodings",
    "upwelling.web.jobs",
]
MIDDLEWARE = [
    "upwelling.web.common.request_log.RequestLogMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "upwelling.web.common.this_browser.ThisBrowserMiddleware",
    "upwelling.web.common.sessions.SignedInMiddleware",
    "upwelling.web.common.limits.BodyLimitMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "upwelling.web.common.sign_in.SignInMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "upwelling.web.common.errors.DomainErrorMiddleware",
    "axes.middleware.AxesMiddleware",
]
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AXES_FAILURE_LIMIT, AXES_COOLOFF_TIME = 10, datetime.timedelta(minutes=15)
AXES_LOCKOUT_PARAMETERS = ["username", "ip_address"]
AXES_RESET_ON_SUCCESS, AXES_VERBOSE, AXES_DISABLE_ACCESS_LOG = True, False, True
AXES_LOCKOUT_CALLABLE = "upwelling.web.common.errors.too_often"
CSRF_FAILURE_VIEW = "upwelling.web.common.errors.foreign_form"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [PACKAGE / "templates"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "upwelling.web.common.this_browser.this_browser",
                "upwelling.web.productions.rights.of_production",
            ],
            "builtins": ["upwelling.web.common.templatetags.numbers"],
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "upwelling.sqlite3",
        "OPTIONS": {
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;",
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
        },
        "TEST": {"NAME": DATA / "test.sqlite3"},
    }
}
WORK_AT_ONCE = False
"""Whether work is done where it is asked for instead of by the worker; for tests."""
TASK_MEMORY = int(os.environ.get("UPWELLING_TASK_MB", "6144")) * 2**20
"""Bytes of address space that work in the background may have; 0 is no limit."""
TASK_SECONDS = int(os.environ.get("UPWELLING_TASK_SECONDS", "3600"))
"""Seconds that one piece of work may take; reading a file is given less, by its size."""
SWEEP_SECONDS = 3600
KEEP_DAYS = int(os.environ.get("UPWELLING_KEEP_DAYS", "30"))
"""Days that bakes of removed shots are kept."""
CACHES = {"default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache", "OPTIONS": {"MAX_ENTRIES": 10_000}}}
LANGUAGE_CODE = "en"
TIME_ZONE = "UTC"
USE_TZ = True
STATIC_URL = "static/"
STATICFILES_DIRS = [PACKAGE / "static"]
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = False

LOGIN_URL = "login"
LOGIN_REDIRECT_URL = "/"
LOGOUT_REDIRECT_URL = "login"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}Validator"}
    for name in ("UserAttributeSimilarity", "MinimumLength", "CommonPassword", "NumericPassword")
]

MEDIA_FOLDER = FilePath(os.environ.get("UPWELLING_MEDIA") or DATA / "media")
"""Footage that is registered where it lies must be under this folder."""
DELIVERIES = FilePath(os.environ.get("UPWELLING_DELIVERIES") or DATA / "deliveries")
"""Where delivered files go, a folder a production."""
SCHEDULER = os.environ.get("UPWELLING_SCHEDULER", "")
"""A Dask scheduler that renders, as tcp://host:8786; empty: processes of this machine."""
RENDER_PROCESSES = int(os.environ.get("UPWELLING_RENDER_PROCESSES", "0")) or os.cpu_count() or 1
"""Processes that render on this machine."""
FRAME_MEMORY = int(os.environ.get("UPWELLING_FRAME_MB", "768")) * 2**20
"""Bytes of decoded frames that are kept while they are worked on."""
WORKING_DISK = int(os.environ.get("UPWELLING_WORKING_MB", "8192")) * 2**20
"""Bytes on disk for decoded frames that are too large for memory."""
PREVIEW_MEMORY = int(os.environ.get("UPWELLING_PREVIEW_MB", "256")) * 2**20
"""Bytes of results up to the step in hand that are kept between previews."""
UPLOAD_LIMIT = 800 * 1024 * 1024
DISK_RESERVE = int(os.environ.get("UPWELLING_RESERVE_MB", "1024")) * 2**20
"""Bytes of the disk that uploads leave free, so that saving goes on."""
DATA_UPLOAD_MAX_MEMORY_SIZE = 2 * 1024 * 1024
DATA_UPLOAD_MAX_NUMBER_FIELDS = 20_000
FILE_UPLOAD_MAX_MEMORY_SIZE = 1024 * 1024
FILE_UPLOAD_HANDLERS = ["django.core.files.uploadhandler.TemporaryFileUploadHandler"]

SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
SESSION_ENGINE = "upwelling.web.common.sessions"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
_https = os.environ.get("UPWELLING_HTTPS") == "1"
TRUSTED_PROXY = os.environ.get("UPWELLING_PROXY", "127.0.0.1") if _https else None
"""The one address whose word on the scheme and the caller is taken: the TLS proxy's."""
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = _https
SECURE_HSTS_SECONDS = 31536000 if _https else 0
CSRF_TRUSTED_ORIGINS = (
    [f"https://{'*' if host.startswith('.') else ''}{host}" for host in ALLOWED_HOSTS if host != "*"] if _https else []
)
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'none'"],
        "script-src": ["'self'"],
        "style-src": ["'self'"],
        "img-src": ["'self'", "data:", "blob:"],
        "media-src": ["'self'"],
        "font-src": ["'self'"],
        "connect-src": ["'self'"],
        "form-action": ["'self'"],
        "base-uri": ["'none'"],
        "frame-ancestors": ["'none'"],
    }
}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "line": {
            "format": "{asctime} {levelname:7} {name} [{asked}]: {message}",
            "datefmt": "%Y-%m-%d %H:%M:%S",
            "style": "{",
        }
    },
    "filters": {"asked": {"()": "upwelling.web.common.request_log.Asked"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "line", "filters": ["asked"]}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        "upwelling": {"level": "INFO"},
        "django.request": {"level": "ERROR"},
        "django.security": {"level": "CRITICAL"},
        "axes": {"level": "ERROR"},
        "waitress.queue": {"level": "ERROR"},
    },
}
