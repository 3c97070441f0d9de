"""Settings. Everything that differs between machines comes from the launcher's environment."""

import os
import secrets
from pathlib import Path

from csp.constants import NONE, SELF

from ember_web.config.languages import languages

WEB = Path(__file__).resolve().parents[1]
TEST = os.environ.get("EMBER_TEST") == "1"
DEBUG = False


def _from_file(variable: str, default: str) -> str:
    name = os.environ.get(variable)
    return Path(name).read_text(encoding="utf-8").strip() if name else default


# the launcher keeps one in a file; a command without it signs nothing that outlives it
SECRET_KEY = _from_file("EMBER_SECRET_FILE", "") or secrets.token_urlsafe(50)
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", *os.environ.get("EMBER_HOSTS", "").split()]
CSRF_TRUSTED_ORIGINS = os.environ.get("EMBER_ORIGINS", "").split()
# reached by https only: behind a proxy that ends TLS, see docs/operations
TLS = bool(CSRF_TRUSTED_ORIGINS) and all(origin.startswith("https://") for origin in CSRF_TRUSTED_ORIGINS)

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "axes",
    "csp",
    "django_htmx",
    "procrastinate.contrib.django",
    "ember_web.ui",
    "ember_web.tenancy",
    "ember_web.jobs",
    "ember_web.kitchens",
    "ember_web.book",
    "ember_web.plans",
    "ember_web.line",
    "ember_web.eggs",
    "ember_web.logbook",
    "ember_web.api",
    "ember_web.machine",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "ember_web.config.private.PrivatePages",
    "csp.middleware.CSPMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.locale.LocaleMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "ember_web.config.senders.NoteSender",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "axes.middleware.AxesMiddleware",
]

ROOT_URLCONF = "ember_web.config.urls"
ASGI_APPLICATION = "ember_web.config.asgi.application"

TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "ember_web.ui.context.shell",
            ],
        },
    }
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": os.environ.get("EMBER_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("EMBER_DB_PORT", "5432"),
        "NAME": os.environ.get("EMBER_DB_NAME", "ember"),
        "USER": os.environ.get("EMBER_DB_USER", "ember"),
        "PASSWORD": _from_file("EMBER_DB_PASSWORD_FILE", ""),
        "CONN_MAX_AGE": 0 if TEST else 300,  # s; one for each of the threads that answer pages
        "CONN_HEALTH_CHECKS": True,  # one that a restarted database has lost is not handed out
        "ATOMIC_REQUESTS": False,
        "OPTIONS": {"connect_timeout": 5},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "tenancy.User"
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}"}
    for name in (
        "UserAttributeSimilarityValidator",
        "MinimumLengthValidator",
        "CommonPasswordValidator",
        "NumericPasswordValidator",
    )
]
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "home"
LOGOUT_REDIRECT_URL = "sign-in"
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25  # hours
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_VERBOSE = False
AXES_LOCKOUT_TEMPLATE = "ui/locked_out.html"
# the address is the connection's own; a proxy's word is taken by the server, and only from proxies it was told of
AXES_CLIENT_IP_CALLABLE = "ember_web.tenancy.access.address_of"

CACHES = {"default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache", "OPTIONS": {"MAX_ENTRIES": 5000}}}
# sessions are asked of the database each time: a sign-out, a new password and a removal hold in every process at once
SESSION_ENGINE = "django.contrib.sessions.backends.db"
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = LANGUAGE_COOKIE_SECURE = TLS
SECURE_HSTS_SECONDS = 60 * 60 * 24 * 365 if TLS else 0  # only ever sent over https
SESSION_COOKIE_AGE = 60 * 60 * 24 * 14
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "img-src": [SELF, "data:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "form-action": [SELF],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
    }
}

USE_TZ = True
TIME_ZONE = "UTC"
USE_I18N = True
LANGUAGE_CODE = "en"
# English is written in the source; every other language is a folder here (see docs/how-to, add a language)
LOCALE_PATHS = [Path(os.environ.get("EMBER_LOCALE", str(WEB / "locale")))]
LANGUAGES = languages(LOCALE_PATHS[0])
LANGUAGE_COOKIE_SAMESITE = "Lax"

STATIC_URL = "static/"
STATIC_ROOT = os.environ.get("EMBER_STATIC_ROOT", str(WEB.parent.parent / "staticfiles"))
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.InMemoryStorage"},
    "staticfiles": {
        "BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"
        if TEST
        else "ember_web.config.storage.ModulesToo"
    },
}
WHITENOISE_USE_FINDERS = TEST
DATA_UPLOAD_MAX_MEMORY_SIZE = 2_500_000
FILE_UPLOAD_MAX_MEMORY_SIZE = 2_500_000

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "%(asctime)s %(levelname)s %(name)s %(message)s"}},
    "filters": {"foreseen": {"()": "ember_web.config.logs.ForeseenInOneLine"}},
    "handlers": {"stderr": {"class": "logging.StreamHandler", "formatter": "line", "filters": ["foreseen"]}},
    "root": {"handlers": ["stderr"], "level": "WARNING"},
}

if TEST:
    PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    AXES_ENABLED = os.environ.get("EMBER_AXES") == "1"
