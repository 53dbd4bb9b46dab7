"""The web server as a process: ready with all its libraries, it waits to be told to serve on a socket it was handed.

So another one can stand by: where the one that serves is lost, the next answers at once, and whoever came meanwhile has
waited in the socket's queue.
"""

from __future__ import annotations

import os
import socket
import sys

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")


def main() -> int:
    """Serve on the socket that was handed over, as soon as the launcher says so."""
    import uvicorn

    from studio.asgi import application
    from studio.warmup import warm_up_behind_the_first_page

    warm_up_behind_the_first_page()
    if not sys.stdin.buffer.readline():
        return 0  # who would have told us is gone
    proxy = os.environ.get("KUNSTGRIFF_PROXY", "")  # its address; what others say of who they speak for does not count
    config = uvicorn.Config(
        application, ws_per_message_deflate=False, ws_max_size=65_536, log_level="warning", lifespan="off",
        timeout_graceful_shutdown=3, proxy_headers=bool(proxy), forwarded_allow_ips=proxy,
    )  # fmt: skip
    uvicorn.Server(config).run(sockets=[socket.socket(fileno=int(sys.argv[1]))])
    return 0


if __name__ == "__main__":
    sys.exit(main())
