"""From key to sound and from edit to loop: `python -m bench.latency`.

Server: one step edit of a pattern of 4 bars and 16 lanes, to the changed segments being there. Browser: the same from the
pointer on the step to the new loop being scheduled; and from a key's press to the voice's start.
"""

from __future__ import annotations

import http.client
import json
import socket
import statistics
import tempfile
import time
from pathlib import Path
from typing import Any

from playwright.sync_api import Page

from bench.browser import a_page
from bench.served import served
from grainpocket.demo.pocket import POCKET_ID, make_demo
from grainpocket.settings import Settings

ROUNDS = 40
_NOTE_POINTER = """() => addEventListener("pointerdown", () => {
  window.grainpocket.timings.push({what: "pointer", at: performance.now()});
}, {once: true, capture: true})"""
_NOTE_KEYS = """() => addEventListener("keydown", (event) => {
  window.grainpocket.timings.push({what: "event", at: event.timeStamp});
}, {capture: true})"""


class Client:
    def __init__(self, port: int) -> None:
        self._connection = http.client.HTTPConnection("127.0.0.1", port)
        self._connection.connect()
        # Or the kernel holds the body back until the header is acknowledged, as no browser's connection does.
        self._connection.sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

    def ask(self, method: str, path: str, body: object = None) -> bytes:
        text = json.dumps(body) if body is not None else None
        self._connection.request(method, path, text, {"Content-Type": "application/json"})
        return self._connection.getresponse().read()

    def edit(self, version: int, edit: dict[str, Any], heard: str | None = None) -> dict[str, Any]:
        body = {"version": version, "edit": edit, "heard": heard}
        return dict(json.loads(self.ask("POST", f"/api/pockets/{POCKET_ID}/edits", body)))


def without_buses(client: Client) -> int:
    """Take the demo's buses and the master's effects away; the version of the state."""
    state = json.loads(client.ask("GET", f"/api/pockets/{POCKET_ID}"))
    version, pocket = int(state["version"]), state["pocket"]
    away = [{"type": "remove_bus", "bus": bus} for bus in pocket["buses"]]
    for edit in (*away, *({"type": "remove_effect", "bus": "master", "effect": e["id"]} for e in pocket["chain"])):
        version = int(client.edit(version, edit)["version"])
    return version


def busy_pattern(client: Client) -> tuple[int, str]:
    """A pattern of 4 bars and 16 lanes, a hit on every other step; its state's version and its id."""
    version = json.loads(client.ask("GET", f"/api/pockets/{POCKET_ID}"))["version"]
    reply = client.edit(version, {"type": "add_pattern", "name": "Busy", "bars": 4})
    pattern = next(iter(reply["changes"]["patterns"]))
    hits = [{"pad": pad, "beat": step / 4 + (pad % 2) / 4, "velocity": 90} for pad in range(16) for step in range(0, 64, 2)]
    reply = client.edit(int(reply["version"]), {"type": "put_hits", "pattern": pattern, "hits": hits})
    return int(reply["version"]), pattern


def on_the_server(client: Client, version: int, pattern: str) -> list[float]:
    times = []
    known: set[str] = set()
    for n in range(ROUNDS):
        hit = {"pad": n % 16, "beat": (n % 60) / 4 + 0.125, "velocity": 60 + n % 40}
        start = time.perf_counter()
        reply = client.edit(version, {"type": "put_hits", "pattern": pattern, "hits": [hit]}, pattern)
        keys = [segment["key"] for segment in reply["sounds"]["loop"]["segments"]]
        if wanted := [key for key in keys if key not in known]:
            client.ask("GET", f"/api/sound/{'.'.join(wanted)}")
        if known:
            times.append((time.perf_counter() - start) * 1000)
        known.update(keys)
        version = int(reply["version"])
    return times


def marks(page: Page) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = page.evaluate("() => window.grainpocket.timings")
    return found


def last(found: list[dict[str, Any]], what: str) -> float:
    return float([m["at"] for m in found if m["what"] == what][-1])


def in_the_browser(page: Page, pattern: str) -> list[float]:
    page.get_by_role("tab", name="Rhythm").click()
    page.get_by_role("button", name="Patterns").click()
    page.get_by_role("menuitem", name="Busy").click()
    page.wait_for_function("(wanted) => window.grainpocket.loopPlayer.loop()?.pattern === wanted", arg=pattern)
    page.keyboard.press("Shift+Space")
    box = page.get_by_test_id("pattern-grid").bounding_box()
    assert box is not None
    row = (box["height"] - 16) / 16
    times = []
    for n in range(ROUNDS):
        lane, step = n % 16, (n * 5) % 64
        before = len([m for m in marks(page) if m["what"] == "loop scheduled"])
        page.evaluate(_NOTE_POINTER)
        page.mouse.click(box["x"] + (step + 0.5) * box["width"] / 64, box["y"] + 16 + (lane + 0.5) * row)
        page.wait_for_function(f"() => window.grainpocket.timings.filter((m) => m.what === 'loop scheduled').length > {before}")
        now = marks(page)
        times.append(last(now, "loop scheduled") - last(now, "pointer"))
    page.keyboard.press("Shift+Space")
    return times


def pace() -> float:
    """Milliseconds for a fixed piece of work, by the median: how quick the machine is while the figures are taken."""
    times = []
    for _ in range(60):
        start = time.perf_counter()
        sum(i * i for i in range(20000))
        times.append((time.perf_counter() - start) * 1000)
    return statistics.median(times)


def from_key_to_start(page: Page) -> tuple[list[float], list[float]]:
    page.wait_for_function("() => { const [here, all] = window.grainpocket.voices.ready(); return all > 0 && here === all; }")
    page.evaluate(_NOTE_KEYS)
    whole, ours = [], []
    for key in "1234qwerasdfzxcv" * 2:
        page.keyboard.press(key)
        # As fast as fingers are; without a pause the drawing of one press is measured as the delay of the next.
        page.wait_for_timeout(100)
        now = marks(page)
        whole.append(last(now, "voice start") - last(now, "event"))
        ours.append(last(now, "voice start") - last(now, "key down"))
    return whole, ours


def say(what: str, times: list[float], goal: float) -> None:
    ordered = sorted(times)
    print(
        f"{what:50s} median {statistics.median(ordered):6.1f} ms   95 % {ordered[int(len(ordered) * 0.95)]:6.1f} ms"
        f"   goal under {goal:g} ms"
    )


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        make_demo(Settings(data=Path(folder)), say=lambda text: None)
        with served(Path(folder)) as server:
            client = Client(server.port)
            print(f"fixed piece of work: {pace():.2f} ms (compare runs by it)")
            without_buses(client)
            version, pattern = busy_pattern(client)
            say("step edit to changed sound, server alone", on_the_server(client, version, pattern), 30)
            with a_page(server.url) as page:
                whole, ours = from_key_to_start(page)
                say("key down to the voice's start, ten a second", whole, 5)
                say("  of which in our code, not in the browser's queue", ours, 5)
                say("step edit to new loop scheduled, in the browser", in_the_browser(page, pattern), 100)


if __name__ == "__main__":
    main()
