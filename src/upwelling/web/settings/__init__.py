"""Settings of the web application; everything that differs between machines comes from the environment."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

PACKAGE = Path(__file__).resolve().parents[1]
_checkout = PACKAGE.parents[2]
DATA = Path(os.environ.get("UPWELLING_DATA") or ((_checkout if (_checkout / "pyproject.toml").exists() else Path.cwd()) / "var"))
"""Everything stored: in a checkout under it, else under the folder the server is started in."""
DATA.mkdir(parents=True, exist_ok=True)
FILES = DATA / "files"
"""Uploaded and baked files: outside the static root, sent only by views that check membership."""


def _secret() -> str:
    place = DATA / "secret"
    if not place.exists():
        place.touch(mode=0o600)
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
    "csp",
    "huey.contrib.djhuey",
    "upwelling.web.bakes",
    "upwelling.web.outputs",
    "upwelling.web.looks",
    "upwelling.web.bench",
    "upwelling.web.footage",
    "upwelling.web.luts",
    "upwelling.web.productions",
    "upwelling.web.encodings",
    "upwelling.web.jobs",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.auth.middleware.LoginRequiredMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "upwelling.web.errors.DomainErrorMiddleware",
]
TEMPLATES = [{
    "BACKEND": "django.template.backends.django.DjangoTemplates",
    "DIRS": [PACKAGE / "templates"],
    "APP_DIRS": True,
    "OPTIONS": {"context_processors": [
        "django.template.context_processors.request",
        "django.contrib.auth.context_processors.auth",
        "django.contrib.messages.context_processors.messages",
    ]},
}]
DATABASES = {"default": {
    "ENGINE": "django.db.backends.sqlite3",
    "NAME": DATA / "upwelling.sqlite3",
    "OPTIONS": {
        "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL;",
        "transaction_mode": "IMMEDIATE",
        "timeout": 20,
    },
    "TEST": {"NAME": DATA / "test.sqlite3"},
}}
HUEY = {
    "huey_class": "huey.SqliteHuey",
    "name": "upwelling",
    "immediate": False,
    "filename": str(DATA / "queue.sqlite3"),
    "consumer": {"workers": 1, "worker_type": "thread"},
}
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
AUTH_PASSWORD_VALIDATORS = [{"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"}]

MEDIA_FOLDER = Path(os.environ.get("UPWELLING_MEDIA") or DATA / "media")
"""Footage that is registered where it lies must be under this folder."""
FRAME_MEMORY = int(os.environ.get("UPWELLING_FRAME_MB", "768")) * 2**20
"""Bytes of decoded frames that are kept while they are worked on."""
PREVIEW_MEMORY = int(os.environ.get("UPWELLING_PREVIEW_MB", "256")) * 2**20
"""Bytes of results up to the step in hand that are kept between previews."""
UPLOAD_LIMIT = 800 * 1024 * 1024
DATA_UPLOAD_MAX_MEMORY_SIZE = 2 * 1024 * 1024
FILE_UPLOAD_MAX_MEMORY_SIZE = 1024 * 1024
FILE_UPLOAD_HANDLERS = ["django.core.files.uploadhandler.TemporaryFileUploadHandler"]

SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
_https = os.environ.get("UPWELLING_HTTPS") == "1"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = _https
SECURE_HSTS_SECONDS = 31536000 if _https else 0
CONTENT_SECURITY_POLICY = {"DIRECTIVES": {
    "default-src": ["'none'"],
    "script-src": ["'self'"],
    "style-src": ["'self'"],
    "img-src": ["'self'", "data:", "blob:"],
    "font-src": ["'self'"],
    "connect-src": ["'self'"],
    "form-action": ["'self'"],
    "base-uri": ["'none'"],
    "frame-ancestors": ["'none'"],
}}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
