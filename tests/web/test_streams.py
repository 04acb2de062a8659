"""Event streams: any number of them costs the other requests nothing, and those that are gone are let go."""

from __future__ import annotations

import http.client
import select
import socket
import time

import psutil
import pytest

from bench.served import Served
from tests.files import tone, wav
from tests.signals import RATE
from tests.web.live import Live, until
from tests.web.test_crash import child

MANY = 500


class Stream:
    """An event stream over a plain socket."""

    def __init__(self, server: Served, pocket: str, **headers: str) -> None:
        self.socket = socket.create_connection(("127.0.0.1", server.port), timeout=20)
        lines = [f"GET /api/pockets/{pocket}/events HTTP/1.1", f"Host: 127.0.0.1:{server.port}"]
        lines += [f"{name}: {value}" for name, value in headers.items()]
        self.socket.sendall("\r\n".join([*lines, "", ""]).encode())
        self.text = ""

    def read_until(self, wanted: str) -> str:
        while wanted not in self.text:
            piece = self.socket.recv(65536)
            assert piece, f"the stream ended: {self.text}"
            self.text += piece.decode()
        return self.text

    def close(self) -> None:
        self.socket.close()


def connections(web: psutil.Process) -> int:
    return sum(c.status == psutil.CONN_ESTABLISHED for c in web.net_connections("inet"))


def test_five_hundred_streams_leave_the_others_alone(server: Served) -> None:
    live = Live(server)
    web = child(server, "web")
    live.edit({"type": "set_pocket", "tempo": 100.0})
    until(lambda: connections(web) == 0)
    threads = web.num_threads()
    streams = [Stream(server, live.id) for _ in range(MANY)]
    for stream in streams:
        stream.read_until("event: version")
    assert connections(web) >= MANY
    assert web.num_threads() <= threads + 24, "as many threads as answer requests, and none for streams"
    status, reply = live.edit({"type": "set_pocket", "tempo": 111.0})
    assert status == 200
    for stream in streams:
        stream.read_until(f"data: {reply['version']}")
    for stream in streams:
        stream.close()
    until(lambda: connections(web) <= 1, seconds=10)
    assert live.edit({"type": "set_pocket", "tempo": 112.0})[0] == 200


def test_a_stream_tells_of_open_jobs_at_once_and_goes_on_by_itself(server: Served) -> None:
    live = Live(server)
    stream = Stream(server, live.id)
    stream.read_until(": still here")
    live.edit({"type": "set_pocket", "tempo": 100.0})
    text = stream.read_until("data: 2")
    assert text.index("data: 1") < text.index(": still here") < text.index("data: 2")
    stream.close()


@pytest.mark.parametrize(
    ("pocket", "headers", "status"),
    [("nobody", {}, 404), ("", {"Origin": "http://elsewhere.example"}, 403), ("", {"Sec-Fetch-Site": "cross-site"}, 403)],
)
def test_a_stream_is_refused_as_any_request_is(server: Served, pocket: str, headers: dict[str, str], status: int) -> None:
    live = Live(server)
    stream = Stream(server, pocket or live.id, **headers)
    text = stream.read_until("}")
    assert text.startswith(f"HTTP/1.1 {status}")
    assert '"message"' in text
    stream.close()


def test_nothing_is_told_twice_while_nothing_happens(server: Served) -> None:
    live = Live(server)
    stream = Stream(server, live.id)
    stream.read_until("event: version")
    stream.read_until(": still here")
    assert stream.text.count("event: version") == 1
    assert not select.select([stream.socket], [], [], 0)[0]
    stream.close()


def test_events_tell_of_edits_and_jobs(server: Served) -> None:
    live = Live(server)
    connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=30)
    connection.request("GET", f"/api/pockets/{live.id}/events")
    answer = connection.getresponse()
    assert answer.headers["Content-Type"].startswith("text/event-stream")
    seen: list[str] = []

    def read_until(wanted: str) -> None:
        end = time.monotonic() + 40
        while not any(wanted in line for line in seen):
            assert time.monotonic() < end, seen
            seen.append(answer.readline().decode())

    live.edit({"type": "set_pocket", "tempo": 123.0})
    read_until("data: 2")
    live.upload("a.wav", wav(tone(RATE / RATE)))
    read_until('"state":"done"')
    read_until("data: 3")
    connection.close()


def test_only_this_machine_is_listened_to(server: Served) -> None:
    Live(server)
    listening = {c.laddr.ip for c in child(server, "web").net_connections("inet") if c.status == psutil.CONN_LISTEN}
    assert listening == {"127.0.0.1"}
