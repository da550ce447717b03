"""Settings. Everything that differs between machines comes from the environment, which ./fendo sets.

FENDO_DATA: the one folder with all data. DATABASE_URL: PostgreSQL. FENDO_SECRET: signing key. FENDO_HOSTS: host names.
FENDO_MOST_GB, FENDO_MOST_TAKES_AN_HOUR, FENDO_MOST_HOURS: what each account may have (productions/quotas.py).
"""

from pathlib import Path

import environ
from csp.constants import NONCE, NONE, SELF

env = environ.Env()
ROOT = Path(__file__).resolve().parents[2]
DATA = Path(env("FENDO_DATA", default=str(ROOT / "data"))).resolve()
MEDIA = DATA / "media"
DERIVED = DATA / "derived"

SECRET_KEY = env("FENDO_SECRET", default="only-for-checks-that-store-nothing")
DEBUG = False
ALLOWED_HOSTS = env.list("FENDO_HOSTS", default=["127.0.0.1", "localhost", "testserver"])
# What each account may have; 0: no limit.
MOST_BYTES = int(env.float("FENDO_MOST_GB", default=0.0) * 1e9)
MOST_TAKES_AN_HOUR = env.int("FENDO_MOST_TAKES_AN_HOUR", default=0)
MOST_HOURS = env.float("FENDO_MOST_HOURS", default=0.0)
USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en"

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "axes",
    "csp",
    "rest_framework",
    "drf_spectacular",
    "procrastinate.contrib.django",
    "fendo_server.accounts",
    "fendo_server.productions",
    "fendo_server.picture",
    "fendo_server.script",
    "fendo_server.voice",
    "fendo_server.takes",
    "fendo_server.booth",
    "fendo_server.polish",
    "fendo_server.handover",
    "fendo_server.work",
]
MIDDLEWARE = [
    "fendo_server.media.IsolationMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
LOGIN_URL = "/sign-in"
LOGIN_REDIRECT_URL = "/"

ROOT_URLCONF = "fendo_server.urls"
WSGI_APPLICATION = "fendo_server.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {"context_processors": ["django.template.context_processors.request", "csp.context_processors.nonce"]},
    }
]
DATABASES = {
    "default": {
        **env.db("DATABASE_URL", default="postgres://fendo@127.0.0.1:5432/fendo"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

STATIC_URL = "/static/"
WEB_BUILD = ROOT / "web" / "dist"
STATICFILES_DIRS = [WEB_BUILD] if WEB_BUILD.exists() else []
STATIC_ROOT = DATA / "static"
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "whitenoise.storage.CompressedStaticFilesStorage"},
}
DEVELOPING = env.bool("FENDO_DEV", False)
# Without a laid-out copy (tests), and while somebody works on it, the built files are served where they lie.
WEB_SERVED = STATIC_ROOT if STATIC_ROOT.exists() and not DEVELOPING else WEB_BUILD
WHITENOISE_USE_FINDERS = WEB_SERVED == WEB_BUILD
WHITENOISE_AUTOREFRESH = DEVELOPING
WHITENOISE_IMMUTABLE_FILE_TEST = r"^.+-[\w-]{8}\.\w+$"

SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
DATA_UPLOAD_MAX_MEMORY_SIZE = 4 << 20

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF, NONCE],
        "style-src": [SELF, NONCE],
        "font-src": [SELF],
        "img-src": [SELF, "blob:"],
        "media-src": [SELF],
        "connect-src": [SELF],
        "worker-src": [SELF],
        "manifest-src": [SELF],
        "base-uri": [NONE],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
        "object-src": [NONE],
    }
}

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["rest_framework.authentication.SessionAuthentication"],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_RENDERER_CLASSES": ["fendo_server.bodies.QuickJSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["fendo_server.bodies.StrictJSONParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "fendo_server.problems.handle",
    "UNAUTHENTICATED_USER": "django.contrib.auth.models.AnonymousUser",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Fendo",
    "VERSION": "1",
    "SERVE_INCLUDE_SCHEMA": False,
    "COMPONENT_SPLIT_REQUEST": True,
    "ENUM_NAME_OVERRIDES": {
        "JobStateEnum": "fendo_server.work.models.Job.State",
        "TakeStateEnum": "fendo_server.voice.models.Recording.State",
        "SourceStateEnum": "fendo_server.picture.models.Source.State",
        "VoiceKindEnum": "fendo_server.takes.serializers.VOICE_KINDS",
        "RepairKindEnum": "fendo_core.voice.repair.REPAIR_KINDS",
        "MarkKindEnum": "fendo_core.polish.places.MARKED",
        "StageKindEnum": "fendo_core.voice.chain.STAGE_KINDS",
        "TakeMarkEnum": "fendo_core.takes.edits.MARKS",
        "FindingKindEnum": "fendo_core.handover.checks.FINDING_KINDS",
        "FormEnum": "fendo_core.handover.forms.FORM_KEYS",
        "BoothStateEnum": "fendo_server.booth.screen.STATES",
        "BedModeEnum": "fendo_core.picture.reel.BED_MODES",
    },
}

PROCRASTINATE_AUTODISCOVER_MODULE_NAME = "tasks"
PROCRASTINATE_WORKER_DEFAULTS = {"update_heartbeat_interval": 2.0, "stalled_worker_timeout": 10.0}

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "{asctime} {levelname} {name}: {message}", "style": "{"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {"fendo": {"level": "INFO"}, "procrastinate": {"level": "WARNING"}, "axes": {"level": "WARNING"}},
}
