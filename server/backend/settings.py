"""Settings. Everything that differs between machines comes from the environment that ./start sets."""

import os
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
VAR = Path(os.environ.get("UPBEAT_VAR", ROOT / "var")).resolve()
MEDIA = VAR / "media"
WORDS = VAR / "words"
SAMPLE_RATE = 48000
ENGINE_CONTROL_PORT = int(os.environ.get("UPBEAT_ENGINE_CONTROL", "7801"))
ENGINE_STATE_PORT = int(os.environ.get("UPBEAT_ENGINE_STATE", "7802"))
HANDS_PORT = int(os.environ.get("UPBEAT_HANDS", "7803"))
HANDS_SIGNALS_PORT = int(os.environ.get("UPBEAT_HANDS_SIGNALS", "7804"))
WEB_PORT = int(os.environ.get("UPBEAT_WEB_PORT", "8800"))
STAGE_PORT = int(os.environ.get("UPBEAT_STAGE_PORT", "8801"))
#: Where phones of the local network find the pages (./start --network); empty for nowhere.
NETWORK_ADDRESS = os.environ.get("UPBEAT_NETWORK", "")
WEB_BUILD = ROOT / "web" / "dist"


def _secret() -> str:
    """A key of this installation, made once."""
    file = VAR / "secret-key"
    if not file.exists():
        VAR.mkdir(parents=True, exist_ok=True)
        part = file.with_suffix(f".{os.getpid()}")
        part.touch(mode=0o600)
        part.write_text(os.urandom(48).hex())
        try:
            os.link(part, file)
        except FileExistsError:
            pass
        part.unlink()
    return file.read_text()


SECRET_KEY = _secret()
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", *os.environ.get("UPBEAT_HOSTS", "").split()]
INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "rest_framework",
    "drf_spectacular",
    "procrastinate.contrib.django",
    "backend",
    "jobs",
    "people",
    "voices",
    "outputs",
    "devices",
    "songs",
    "setlists",
    "sounds",
    "screens",
    "hands",
    "shows",
    "stage",
    "uploads",
    "preview",
]
MIDDLEWARE = [
    # Before the static files, so that they have the headers too.
    "api.security.SafeAnswers",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
]
ROOT_URLCONF = "backend.urls"
ASGI_APPLICATION = "backend.asgi.application"
TEMPLATES: list = []
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.postgresql",
        "NAME": os.environ.get("UPBEAT_DB_NAME", "upbeat"),
        "USER": "upbeat",
        "HOST": "127.0.0.1",
        "PORT": os.environ.get("UPBEAT_DB_PORT", "5439"),
        "PASSWORD": os.environ.get("UPBEAT_DB_PASSWORD", ""),
        "CONN_MAX_AGE": 0,
        # Opening a connection takes longer than most answers: the web server keeps some.
        "OPTIONS": {"pool": {"min_size": 2, "max_size": 12}} if os.environ.get("UPBEAT_DB_POOL") else {},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = "UTC"
STATIC_URL = "/static/"
WHITENOISE_ROOT = str(WEB_BUILD) if WEB_BUILD.is_dir() else None
# The page itself comes from backend.urls.page, with the cookie that its requests need.
WHITENOISE_INDEX_FILE = False
WHITENOISE_ALLOW_ALL_ORIGINS = False
SESSION_COOKIE_AGE = 60 * 60 * 24 * 60
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
DATA_UPLOAD_MAX_MEMORY_SIZE = 20 << 20
UPLOAD_CHUNK = 8 << 20
UPLOAD_MAX = 8 << 30
REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["rest_framework.authentication.SessionAuthentication"],
    "DEFAULT_PERMISSION_CLASSES": ["people.access.InABand", "people.access.MayChange"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["api.parsers.KeepableJSONParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "api.problems.answer",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Upbeat Cue",
    "VERSION": "1",
    "SERVE_INCLUDE_SCHEMA": False,
    "COMPONENT_SPLIT_REQUEST": True,
    "ENUM_NAME_OVERRIDES": {
        "EndingKind": ["attacca", "repeat", "vamp", "fine", "cut"],
        "CheckState": ["ok", "look", "wrong"],
        "LayerKind": ["struck", "tonal", "held"],
        "PreparingState": ["ready", "working", "none", "refused"],
        "MusicGroup": ["effects", "rhythm", "tonal", "voices"],
    },
    "POSTPROCESSING_HOOKS": [
        "drf_spectacular.hooks.postprocess_schema_enums",
        "api.schema.answers_are_whole",
        "api.typed.add_components",
    ],
}
CHANNEL_LAYERS = {"default": {"BACKEND": "channels.layers.InMemoryChannelLayer"}}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler", "stream": sys.stderr}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}

# Worked-out figures (songs.seams), by what they depend on: nothing is lost with them.
CACHES = {"default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache", "OPTIONS": {"MAX_ENTRIES": 5000}}}
