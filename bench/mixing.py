"""Buses, controls and songs: `python -m bench.mixing`.

A full mix: 8 buses of three effects, two returns and a limiter over a pattern of 4 bars, 16 lanes and 512 hits: from an edit to
its first segment, on the server and in the browser, and how often a control that is turned is heard anew. A long song: 5 minutes,
24 lanes, 8 buses, 18,000 hits: from the space bar to the first sound from any bar, an edit while it plays, and its export.
"""

from __future__ import annotations

import json
import statistics
import tempfile
import time
from pathlib import Path
from typing import Any

import psutil
from playwright.sync_api import Page

from bench.browser import a_page
from bench.latency import Client, busy_pattern, without_buses
from bench.served import served
from grainpocket.demo.pocket import POCKET_ID, make_demo
from grainpocket.settings import Settings

ROUNDS = 24
CHAINS = (("eq", "compressor", "width"), ("eq", "compressor", "duck"), ("eq", "saturation", "compressor"), ("eq", "width", "duck"))


class Desk:
    """A pocket and its version, over one connection."""

    def __init__(self, client: Client, version: int) -> None:
        self.client, self.version = client, version

    def edit(self, edit: dict[str, Any], heard: str | None = None) -> dict[str, Any]:
        reply = self.client.edit(self.version, edit, heard)
        self.version = int(reply["version"])
        return reply

    @property
    def pocket(self) -> dict[str, Any]:
        return dict(json.loads(self.client.ask("GET", f"/api/pockets/{POCKET_ID}"))["pocket"])


def full_mix(desk: Desk) -> list[str]:
    """8 buses of three effects with two pads each, two returns that all send to, and a limiter. Returns the buses."""
    for name, kind in (("Hall", "reverb"), ("Echoes", "echo")):
        desk.edit({"type": "add_bus", "name": name, "is_return": True, "effects": [kind]})
    hall, echoes = list(desk.pocket["buses"])
    for n in range(8):
        desk.edit({"type": "add_bus", "name": f"Bus {n}", "pads": [2 * n, 2 * n + 1], "effects": list(CHAINS[n % len(CHAINS)])})
    buses = list(desk.pocket["buses"])[2:]
    for bus in buses:
        for to in (hall, echoes):
            desk.edit({"type": "set_send", "bus": bus, "to": to, "level": -14})
        for effect in desk.pocket["buses"][bus]["chain"]:
            if effect["kind"] == "duck":
                desk.edit({"type": "set_effect", "bus": bus, "effect": effect["id"], "listens_to": "pad:0"})
    desk.edit({"type": "add_effect", "bus": "master", "kind": "limiter"})
    return buses


def edits_on_the_server(desk: Desk, pattern: str) -> list[float]:
    """Milliseconds from an edit of a hit to the segment under it."""
    times = []
    for n in range(ROUNDS):
        beat = (n * 5 % 60) / 4 + 0.125
        start = time.perf_counter()
        reply = desk.edit({"type": "put_hits", "pattern": pattern, "hits": [{"pad": n % 16, "beat": beat}]}, pattern)
        loop = reply["sounds"]["loop"]
        at = beat * 60 / loop["tempo"] * loop["rate"]
        key = [s["key"] for s in loop["segments"] if s["start"] <= at][-1]
        desk.client.ask("GET", f"/api/sound/{key}")
        times.append((time.perf_counter() - start) * 1000)
        time.sleep(0.02)
    return times[4:]


def turning(desk: Desk, pattern: str, bus: str) -> float:
    """How often a second a control that is turned is heard anew: edit, and the segment that sounds."""
    effect = desk.pocket["buses"][bus]["chain"][0]["id"]
    rounds, start = 0, time.perf_counter()
    while time.perf_counter() - start < 3:
        change = {"type": "set_effect", "bus": bus, "effect": effect, "settings": {"peak2_db": (rounds % 40) / 4 - 5}}
        reply = desk.edit(change, pattern)
        desk.client.ask("GET", f"/api/sound/{reply['sounds']['loop']['segments'][3]['key']}")
        rounds += 1
    return rounds / (time.perf_counter() - start)


def edits_in_the_browser(page: Page) -> list[float]:
    """Milliseconds from a step of the level of a bus to the first new segment at the player."""
    page.get_by_role("tab", name="Mix").click()
    page.keyboard.press("Space")
    page.wait_for_function("() => window.grainpocket.useLoop.getState().playing")
    slider = page.get_by_role("slider", name="Level of Bus 1").first
    slider.focus()
    times = []
    count = "window.grainpocket.timings.filter((m) => m.what === 'loop scheduled').length"
    for n in range(ROUNDS):
        before = page.evaluate(f"() => {count}")
        at = page.evaluate("() => performance.now()")
        slider.press("ArrowDown" if n % 2 else "ArrowUp")
        page.wait_for_function(f"() => {count} > {before}")
        marks = page.evaluate("() => window.grainpocket.timings.filter((m) => m.what === 'loop scheduled').map(({at}) => at)")
        times.append(marks[before] - at)
        page.wait_for_timeout(200)
    page.keyboard.press("Escape")
    return times[4:]


def long_song(desk: Desk) -> tuple[str, int]:
    """5 minutes of 24 lanes and about 18,000 hits. Returns a pattern of it, and the hits."""
    bars = 4
    lanes = [int(pad) for pad in sorted(desk.pocket["pads"], key=int)[:24]]
    hits = [
        {"pad": pad, "beat": step / 4, "velocity": 60 + step % 60} for pad in lanes for step in range(bars * 16) if (step + pad) % 2
    ]
    reply = desk.edit({"type": "add_pattern", "name": "All", "bars": bars})
    pattern = next(iter(reply["changes"]["patterns"]))
    desk.edit({"type": "put_hits", "pattern": pattern, "hits": hits})
    times = round(5 * 60 * desk.pocket["tempo"] / 60 / 16)
    for section in desk.pocket["song"]:
        desk.edit({"type": "remove_section", "section": section})
    for n in range(times // 8 + 1):
        desk.edit({"type": "add_section", "name": f"Part {n}", "bars": 32, "patterns": [pattern]})
    bus = list(desk.pocket["buses"])[3]
    points = [{"beat": float(b), "value": -20.0 + b % 17} for b in range(0, 400, 8)]
    desk.edit({"type": "set_thread", "control": f"{bus}.level", "points": points})
    return pattern, len(hits) * 8 * (times // 8 + 1)


def song_in_the_browser(page: Page) -> tuple[list[float], list[float], float]:
    """(ms to the first sound from some bars, ms to a changed segment while it plays, MB that the player holds)."""
    page.get_by_role("tab", name="Song").click()
    first, edits, held = [], [], 0.0
    for bar in (1, 40, 77, 121, 160):
        page.evaluate(f"() => window.grainpocket.useView.getState().look({{songBeat: {(bar - 1) * 4}}})")
        page.keyboard.press("Space")
        page.wait_for_function("() => window.grainpocket.useSong.getState().playing", timeout=60000)
        marks = page.evaluate("() => window.grainpocket.timings.filter((m) => m.what.startsWith('song')).slice(-2)")
        first.append(marks[1]["at"] - marks[0]["at"])
        page.wait_for_timeout(3000)
        before = page.evaluate("() => window.grainpocket.timings.filter((m) => m.what === 'song heard').length")
        at = page.evaluate("() => performance.now()")
        page.get_by_role("banner").get_by_role("spinbutton", name="Master level").press("ArrowDown")
        page.wait_for_function(f"() => window.grainpocket.timings.filter((m) => m.what === 'song heard').length > {before}")
        marks = page.evaluate("() => window.grainpocket.timings.filter((m) => m.what === 'song heard').map(({at}) => at)")
        edits.append(marks[-1] - at)
        held = max(held, page.evaluate("() => window.grainpocket.songPlayer.held()") / 1e6)
        page.evaluate("() => document.activeElement.blur()")
        page.keyboard.press("Escape")
        page.wait_for_function("() => !window.grainpocket.useSong.getState().playing")
    return first, edits, held


def export(desk: Desk, memory: psutil.Process) -> tuple[float, float]:
    """(times real time, MB that the server's processes grew)."""
    before = sum(p.memory_info().rss for p in (memory, *memory.children(recursive=True)))
    most, start = before, time.perf_counter()
    job = json.loads(desk.client.ask("POST", f"/api/pockets/{POCKET_ID}/exports", {"what": "song"}))
    while job["state"] in ("queued", "running"):
        time.sleep(0.1)
        most = max(most, sum(p.memory_info().rss for p in (memory, *memory.children(recursive=True))))
        job = json.loads(desk.client.ask("GET", f"/api/jobs/{job['id']}"))
    taken = time.perf_counter() - start
    seconds = float(job["message"].split(" s,")[0])
    return seconds / taken, (most - before) / 1e6


def told(times: list[float]) -> str:
    return f"median {statistics.median(times):.0f} ms, worst {max(times):.0f} ms"


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder) / "data"
        make_demo(Settings(data=data), say=lambda text: None)
        with served(data) as running:
            client = Client(running.port)
            desk = Desk(client, without_buses(client))
            desk.version, pattern = busy_pattern(client)
            buses = full_mix(desk)
            client.ask("GET", f"/api/pockets/{POCKET_ID}/settled/{pattern}")
            # Before any tab follows what is done here, and has it rendered too.
            print(f"full mix, edit on the server      {told(edits_on_the_server(desk, pattern))}")
            print(f"full mix, a control turned        {turning(desk, pattern, buses[0]):.0f} times a second")
            with a_page(running.url) as page:
                page.wait_for_function("() => window.grainpocket.loopPlayer.loop() !== null")
                page.evaluate(f"() => window.grainpocket.useView.getState().look({{pattern: '{pattern}'}})")
                page.reload()
                page.wait_for_function(f"() => window.grainpocket.loopPlayer.loop()?.pattern === '{pattern}'")
                page.wait_for_timeout(6000)
                print(f"full mix, edit in the browser     {told(edits_in_the_browser(page))}")
            desk.version = int(json.loads(client.ask("GET", f"/api/pockets/{POCKET_ID}"))["version"])
            _, hits = long_song(desk)
            with a_page(running.url) as page:
                page.wait_for_timeout(3000)
                first, edits, held = song_in_the_browser(page)
            print(f"song of {hits} hits, first sound  {told(first)}")
            print(f"song, an edit while it plays      {told(edits)}; the player holds {held:.0f} MB")
            desk.version = int(json.loads(client.ask("GET", f"/api/pockets/{POCKET_ID}"))["version"])
            speed, grown = export(desk, psutil.Process(running.process.pid))
            print(f"song, export                      {speed:.1f} times real time; the server grew by {grown:.0f} MB")


if __name__ == "__main__":
    main()
