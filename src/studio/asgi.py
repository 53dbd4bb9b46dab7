"""HTTP by Django, the live socket by Channels: signed-in users only, from our own pages only."""

from __future__ import annotations

import os
import warnings
from typing import Any, cast

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
# WhiteNoise hands out small static files as plain iterators; Django reads them whole, which is right for them
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
django_application = get_asgi_application()

from channels.auth import AuthMiddlewareStack  # noqa: E402 - Django must be set up first
from channels.routing import ProtocolTypeRouter, URLRouter  # noqa: E402
from channels.security.websocket import AllowedHostsOriginValidator  # noqa: E402
from django.urls import path  # noqa: E402

from studio.bench.live import LiveBench  # noqa: E402
from studio.bodies import LimitBodies  # noqa: E402

application = ProtocolTypeRouter(
    {
        "http": LimitBodies(cast(Any, django_application)),
        "websocket": AllowedHostsOriginValidator(
            AuthMiddlewareStack(URLRouter([path("live/<int:figure_id>/", cast(Any, LiveBench.as_asgi()))]))
        ),
    }
)
