"""Server-sent events (WHATWG HTML, section 9.2): `version` when a pocket moves, `job` when one of its jobs does.

One task of the event loop looks at the database for all streams of this process. A stream is a queue and a task of its own:
it holds no thread and no connection to the database, so that any number of them leaves the other requests alone.
"""

from __future__ import annotations

import asyncio
import json
import sqlite3
import time
from collections.abc import Awaitable, Callable, MutableMapping
from dataclasses import dataclass, field
from typing import Any

from grainpocket.store.database import Database
from grainpocket.store.jobs import JobStore
from grainpocket.web.schemas import Problem, job_reply
from grainpocket.web.security import why_not

WATCH_S = 0.1
HEARTBEAT_S = 2.0  # a stream whose other end is gone is noticed by then at the latest
MAX_WAITING = 1000  # events; a reader this far behind is let go and connects again
LOOK_BACK_S = 1.0  # jobs that changed while a stream began are told again rather than missed

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]


@dataclass(eq=False)
class Watched:
    """A pocket with open streams: what they were last told."""

    version: int
    since: float
    streams: set[asyncio.Queue[str | None]] = field(default_factory=set)


class Events:
    def __init__(self, database: Database, jobs: JobStore, hosts: set[str]) -> None:
        self._database, self._jobs, self._hosts = database, jobs, hosts
        self._watched: dict[str, Watched] = {}
        self._task: asyncio.Task[None] | None = None
        self._connection: sqlite3.Connection | None = None

    @property
    def count(self) -> int:
        return sum(len(one.streams) for one in self._watched.values())

    async def serve(self, pocket: str, scope: Message, receive: Receive, send: Send) -> None:
        """One stream, until its reader goes or its pocket does."""
        headers = {name.decode("latin1"): value.decode("latin1") for name, value in scope["headers"]}
        refused = why_not(self._hosts, scope["path"], headers.get("host", ""), headers.get("origin"), headers.get("sec-fetch-site"))
        if refused:
            await _answer(send, 403, Problem(code="forbidden", message=refused))
            return
        version = await asyncio.to_thread(self._version, pocket)
        if version is None:
            await _answer(send, 404, Problem(code="no-pocket", message="There is no such pocket here."))
            return
        queue: asyncio.Queue[str | None] = asyncio.Queue(MAX_WAITING)
        watched = self._watched.setdefault(pocket, Watched(version, time.time() - LOOK_BACK_S))
        watched.streams.add(queue)
        gone = asyncio.ensure_future(_disconnected(receive))
        try:
            if self._task is None or self._task.done():
                self._task = asyncio.create_task(self._watch())
            rows = await asyncio.to_thread(self._jobs.of_pocket, pocket)
            headers_out = [(b"content-type", b"text/event-stream"), (b"cache-control", b"no-store"), (b"x-accel-buffering", b"no")]
            await send({"type": "http.response.start", "status": 200, "headers": headers_out})
            first = _event("version", json.dumps(version)) + "".join(_event("job", job_reply(r).model_dump_json()) for r in rows)
            await send({"type": "http.response.body", "body": first.encode(), "more_body": True})
            await self._pass_on(queue, gone, send)
        finally:
            gone.cancel()
            watched.streams.discard(queue)
            if not watched.streams and self._watched.get(pocket) is watched:
                del self._watched[pocket]

    async def _pass_on(self, queue: asyncio.Queue[str | None], gone: asyncio.Future[None], send: Send) -> None:
        while not gone.done():
            waiting = asyncio.ensure_future(queue.get())
            await asyncio.wait((waiting, gone), timeout=HEARTBEAT_S, return_when=asyncio.FIRST_COMPLETED)
            if not waiting.done():
                waiting.cancel()
                text: str | None = ": still here\n\n"
            else:
                text = waiting.result()
            if text is None or gone.done():
                break
            await send({"type": "http.response.body", "body": text.encode(), "more_body": True})
        if not gone.done():
            await send({"type": "http.response.body", "body": b"", "more_body": False})

    async def _watch(self) -> None:
        """Look for what is new while there are streams, and tell them."""
        seen = -1
        while self._watched:
            pockets = {key: (one.version, one.since) for key, one in self._watched.items()}
            seen, news = await asyncio.to_thread(self._look, seen, pockets)
            for key, (version, since, events) in news.items():
                watched = self._watched.get(key)
                if watched is None:
                    continue
                watched.version, watched.since = version, max(watched.since, since)
                for queue in watched.streams:
                    for event in events:
                        _put(queue, event)
            await asyncio.sleep(WATCH_S)
        self._task = None

    def _look(self, seen: int, pockets: dict[str, tuple[int, float]]) -> tuple[int, dict[str, tuple[int, float, list[str | None]]]]:
        """(mark of what was seen, news by pocket: its version, time of its newest change of a job, events; None ends)."""
        if self._connection is None:
            self._connection = self._database.raw()
            self._connection.execute("PRAGMA query_only=1")
        now = self._connection.execute("PRAGMA data_version").fetchone()[0]
        news: dict[str, tuple[int, float, list[str | None]]] = {}
        if now == seen:
            # Streams that began since then have been told how things stand.
            return seen, news
        for key, (version, since) in pockets.items():
            found = self._version(key)
            if found is None:
                news[key] = (version, since, [None])
                continue
            events: list[str | None] = [_event("version", json.dumps(found))] if found != version else []
            rows = self._jobs.of_pocket(key, since)
            events += [_event("job", job_reply(row).model_dump_json()) for row in rows]
            news[key] = (found, max([since, *(row.updated for row in rows)]), events)
        return now, news

    def _version(self, pocket: str) -> int | None:
        with self._database.read() as session:
            found = session.connection().exec_driver_sql("SELECT version FROM pockets WHERE id = ?", (pocket,)).first()
            return None if found is None else int(found[0])


def _put(queue: asyncio.Queue[str | None], event: str | None) -> None:
    try:
        queue.put_nowait(event)
    except asyncio.QueueFull:
        # Too far behind: its end is all it is still told.
        queue.get_nowait()
        queue.put_nowait(None)


async def _disconnected(receive: Receive) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass


async def _answer(send: Send, status: int, problem: Problem) -> None:
    body = problem.model_dump_json().encode()
    headers = [(b"content-type", b"application/json"), (b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})


def _event(name: str, data: str) -> str:
    return f"event: {name}\ndata: {data}\n\n"
