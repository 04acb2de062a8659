"""The web process: one event loop, which carries the event streams, and threads, in which the Flask application answers."""

from __future__ import annotations

import re
import resource
import threading

import uvicorn
from a2wsgi import WSGIMiddleware

from grainpocket.core import effects
from grainpocket.core.pocket import RATE
from grainpocket.core.shape import warming
from grainpocket.settings import Settings
from grainpocket.web.app import create_app
from grainpocket.web.events import Events, Message, Receive, Send
from grainpocket.web.memory import keep_giving_back
from grainpocket.web.security import our_hosts

THREADS = 24
WARM_AFTER_S = 3.0
WANTED_FILES = 8192  # open files and connections; the soft limit is often 1,024
_STREAM = re.compile(r"^/api/pockets/([^/]+)/events$")


class Server:
    """ASGI: event streams here, all else in Flask."""

    def __init__(self, settings: Settings, extra_ports: tuple[int, ...] = ()) -> None:
        app = create_app(settings, extra_ports)
        desk = app.extensions["desk"]
        desk.audio.clear_parts()
        self.events = Events(desk.database, desk.jobs, our_hosts({settings.port, *extra_ports}))
        self._flask = WSGIMiddleware(app.wsgi_app, workers=THREADS)  # type: ignore[arg-type]

    async def __call__(self, scope: Message, receive: Receive, send: Send) -> None:
        stream = _STREAM.match(scope["path"]) if scope["type"] == "http" and scope["method"] == "GET" else None
        if stream:
            await self.events.serve(stream[1], scope, receive, send)
        else:
            await self._flask(scope, receive, send)  # type: ignore[arg-type]


def serve(settings: Settings, extra_ports: tuple[int, ...] = ()) -> None:
    """Answer on 127.0.0.1 until told to stop."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = WANTED_FILES if hard == resource.RLIM_INFINITY else min(WANTED_FILES, hard)
    resource.setrlimit(resource.RLIMIT_NOFILE, (max(soft, wanted), hard))
    # A little later: the first page comes first.
    warming = threading.Timer(WARM_AFTER_S, _warm)
    warming.daemon = True
    warming.start()
    keep_giving_back()
    uvicorn.run(
        Server(settings, extra_ports), host="127.0.0.1", port=settings.port, log_level="warning", access_log=False,
        server_header=False, timeout_keep_alive=60, timeout_graceful_shutdown=1, lifespan="off",
    )  # fmt: skip


def _warm() -> None:
    effects.warm(RATE)
    warming.warm(RATE)
