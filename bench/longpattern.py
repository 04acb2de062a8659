"""Sixty-four bars, 32 lanes, 8,000 hits: from an edit to the new sound at the playhead, and frames while steps are looked over and
painted: `python -m bench.longpattern`."""

from __future__ import annotations

import json
import statistics
import tempfile
from pathlib import Path

from playwright.sync_api import Page

from bench.browser import a_page
from bench.latency import _NOTE_POINTER, POCKET_ID, Client, last, marks, say, without_buses
from bench.served import served
from grainpocket.demo.pocket import make_demo
from grainpocket.settings import Settings

BARS, LANES, HITS, ROUNDS = 64, 32, 8000, 12


def long_pattern(client: Client) -> str:
    """Its id."""
    state = json.loads(client.ask("GET", f"/api/pockets/{POCKET_ID}"))
    version = int(state["version"])
    there = [int(pad) for pad in state["pocket"]["pads"]]
    for pad in range(LANES):
        if pad not in there:
            version = int(client.edit(version, {"type": "copy_pad", "pad": there[pad % len(there)], "to": pad})["version"])
    reply = client.edit(version, {"type": "add_pattern", "name": "Long", "bars": BARS})
    pattern = next(iter(reply["changes"]["patterns"]))
    steps = BARS * 16
    hits = [{"pad": n % LANES, "beat": (n * 37 // LANES % steps) / 4, "velocity": 40 + n % 80} for n in range(HITS * 2)]
    unique = list({(hit["pad"], hit["beat"]): hit for hit in hits}.values())[:HITS]
    client.edit(int(reply["version"]), {"type": "put_hits", "pattern": pattern, "hits": unique})
    return str(pattern)


def edits(page: Page) -> list[float]:
    """Milliseconds from a click on a step to the new sound of its segment being with the player, the first group."""
    box = page.get_by_test_id("pattern-grid").first.bounding_box()
    assert box is not None
    lanes = page.locator("[data-lane]")
    times = []
    for n in range(ROUNDS):
        lane = lanes.nth(n % 4).bounding_box()
        assert lane is not None
        step = (n * 7) % 96
        before = len([m for m in marks(page) if m["what"] == "loop scheduled"])
        page.evaluate(_NOTE_POINTER)
        page.mouse.click(box["x"] + (step + 0.5) * box["width"] / (BARS * 16), lane["y"] + 9)
        page.wait_for_function(f"() => window.grainpocket.timings.filter((m) => m.what === 'loop scheduled').length > {before}")
        now = marks(page)
        times.append(last(now, "loop scheduled") - last(now, "pointer"))
    return times


def frames(page: Page) -> list[float]:
    """Milliseconds between frames while the steps are scrolled through, every frame another view."""
    return page.evaluate(  # type: ignore[no-any-return]
        """() => new Promise((done) => {
          const box = document.querySelector('[data-testid=pattern-grid]').closest('.overflow-auto');
          const times = []; let last = 0, n = 0;
          function step(now) {
            if (last) times.push(now - last);
            last = now;
            box.scrollLeft = (box.scrollWidth - box.clientWidth) * (0.5 + 0.5 * Math.sin(n / 30));
            if (++n < 240) requestAnimationFrame(step); else done(times);
          }
          requestAnimationFrame(step);
        })"""
    )


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        make_demo(Settings(data=Path(folder)), say=lambda text: None)
        with served(Path(folder)) as server:
            client = Client(server.port)
            without_buses(client)
            pattern = long_pattern(client)
            with a_page(server.url) as page:
                page.get_by_role("tab", name="Rhythm").click()
                page.wait_for_function(
                    "(wanted) => window.grainpocket.loopPlayer.loop()?.pattern === wanted", arg=pattern, timeout=120_000
                )
                roles = ["kick", "snare", "hat", "perc", "tonal", "vocal", "none"]
                page.evaluate("(all) => window.grainpocket.useView.getState().look({unfolded: all})", roles)
                say(f"{HITS} hits: step edit to new sound", edits(page), 150)
                page.evaluate("() => window.grainpocket.useView.getState().look({zoom: 12})")
                page.wait_for_timeout(500)
                seen = sorted(frames(page)[5:])
                share = sum(frame < 20 for frame in seen) / len(seen)
                print(f"frames, 12 times as close: median {statistics.median(seen):.1f} ms, {share:.1%} under 20 ms (goal 95 %)")


if __name__ == "__main__":
    main()
