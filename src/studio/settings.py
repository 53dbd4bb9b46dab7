"""Settings. What differs between machines comes from the environment; the start command sets it."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

from csp.constants import NONE, SELF

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # threads make small products slower (measured)

ROOT = Path(__file__).resolve().parents[2]
VAR = Path(os.environ.get("KUNSTGRIFF_VAR", ROOT / "var"))


def _secret() -> str:
    """The signing key: from the environment, else made once and kept beside the data."""
    given = os.environ.get("KUNSTGRIFF_SECRET")
    if given:
        return given
    path = VAR / "secret"
    if not path.exists():
        VAR.mkdir(parents=True, exist_ok=True)
        path.touch(mode=0o600)
        path.write_text(secrets.token_urlsafe(48))
    return path.read_text()


SECRET_KEY = _secret()
DEBUG = False
ALLOWED_HOSTS = os.environ.get("KUNSTGRIFF_HOSTS", "127.0.0.1,localhost").split(",")
LOOPBACK_ONLY = set(ALLOWED_HOSTS) <= {"127.0.0.1", "localhost"}

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "django_tasks",
    "django_tasks_db",
    "studio.accounts",
    "studio.library",
    "studio.bench",
    "studio.deliveries",
]
MIDDLEWARE = [
    "studio.logs.SayWhichRequest",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "studio.middleware.SayDatabaseIsAway",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
ROOT_URLCONF = "studio.urls"
ASGI_APPLICATION = "studio.asgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [Path(__file__).parent / "templates"],
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ]
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.mysql",
        "NAME": "kunstgriff",
        "USER": "kunstgriff",
        "PASSWORD": os.environ.get("KUNSTGRIFF_DB_PASSWORD", ""),
        "HOST": os.environ.get("KUNSTGRIFF_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("KUNSTGRIFF_DB_PORT", "3306"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {"charset": "utf8mb4", "isolation_level": "read committed", "connect_timeout": 5},
        "TEST": {"CHARSET": "utf8mb4"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "accounts.User"
PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "login"
LOGIN_REDIRECT_URL = "library"
LOGOUT_REDIRECT_URL = "login"
# whether visitors may make accounts: by default only while nobody but this machine can reach the studio
SIGN_UP = os.environ.get("KUNSTGRIFF_SIGN_UP", "yes" if LOOPBACK_ONLY else "no") == "yes"
LOGIN_TRIES = 8  # wrong passwords from one address before it must wait, or for one name before it is slowed down
LOGIN_WAIT = 300  # s an address must wait
LOGIN_SLOW = 5  # s between two tries for a name that is slowed down; whoever signed in here before is not
SIGN_INS_AT_ONCE = 2  # a password's hash takes 100 MB
SIGN_IN_PATIENCE = 20.0  # s a sign-in waits for its turn
KNOWN_DAYS = 180  # for which a browser is known from which someone signed in

EMAIL_HOST = os.environ.get("KUNSTGRIFF_MAIL_HOST", "")
EMAIL_PORT = int(os.environ.get("KUNSTGRIFF_MAIL_PORT", "25"))
EMAIL_BACKEND = f"django.core.mail.backends.{'smtp' if EMAIL_HOST else 'console'}.EmailBackend"
DEFAULT_FROM_EMAIL = os.environ.get("KUNSTGRIFF_MAIL_FROM", "kunstgriff@localhost")
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = not LOOPBACK_ONLY
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SECURE_HSTS_SECONDS = 0 if LOOPBACK_ONLY else 31_536_000
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "img-src": [SELF, "blob:", "data:"],
        "font-src": [SELF],
        "media-src": [SELF, "blob:"],
        "connect-src": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
        "base-uri": [NONE],
    }
}

STATIC_URL = "/static/"
STATICFILES_DIRS = [
    Path(__file__).parent / "static",
    ("shaders", ROOT / "src" / "kunstgriff" / "paint" / "shaders"),
]
WHITENOISE_USE_FINDERS = True
WHITENOISE_MAX_AGE = 300
WHITENOISE_MIMETYPES = {".vert": "text/plain; charset=utf-8", ".frag": "text/plain; charset=utf-8"}
MEDIA_ROOT = VAR / "media"
UPLOADS = VAR / "uploads"
SOURCES = VAR / "sources"  # drawings that can be read again at another scale
UPLOAD_LIMIT = 512 * 1024 * 1024
DATA_UPLOAD_MAX_MEMORY_SIZE = 2 * 1024 * 1024
FILE_UPLOAD_MAX_MEMORY_SIZE = 2 * 1024 * 1024

TASKS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend"}}
JOB_SILENCE = float(
    os.environ.get("KUNSTGRIFF_JOB_SILENCE", "20")
)  # s without a sign of life after which a job is taken from its worker and begun anew
SWEEP_AFTER_DAYS = 7.0  # after which what only a deleted figure referred to is let go
LIVE_MESSAGE_LIMIT = 64 * 1024
LIVE_MESSAGES_PER_SECOND = 300
LIVE_RIGHTS_SECONDS = 0.4  # after which an open bench is asked again whether its user may see it

CHANNEL_LAYERS = {"default": {"BACKEND": "channels.layers.InMemoryChannelLayer"}}
CACHES = {"default": {"BACKEND": "django.core.cache.backends.db.DatabaseCache", "LOCATION": "cache"}}
USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"of_request": {"()": "studio.logs.OfRequest"}},
    "formatters": {
        "plain": {"format": "%(levelname)s %(name)s [%(request_id)s] %(message)s"},
        "json": {"()": "studio.logs.AsJson"},
    },
    "handlers": {
        "console": {
            "class": "logging.StreamHandler",
            "filters": ["of_request"],
            "formatter": "json" if os.environ.get("KUNSTGRIFF_LOG_FORMAT") == "json" else "plain",
        }
    },
    "root": {"handlers": ["console"], "level": os.environ.get("KUNSTGRIFF_LOG", "WARNING")},
}
