"""Five hundred slices on ten minutes of stereo: frames while a cut is dragged, while zooming, and while the table scrolls;
and how long it takes to cut anew: `python -m bench.manyslices`."""

from __future__ import annotations

import statistics
import tempfile
from pathlib import Path

from playwright.sync_api import Page

from bench.browser import a_page
from bench.longfile import brought_in, frame_times, write_song
from bench.served import served

SLICES, ROUNDS, SMOOTH_MS = 500, 7, 20
_WATCH = """() => {
  const times = (window.frameTimes = []);
  let last = 0;
  function step(now) {
    if (last) times.push(now - last);
    last = now;
    if (window.frameTimes === times) requestAnimationFrame(step);
  }
  requestAnimationFrame(step);
}"""


def cut(page: Page, parts: int) -> float:
    """Milliseconds from the press of Cut to the new cuts being in the page."""
    page.get_by_role("radio", name="Equal parts").click()
    field = page.get_by_role("spinbutton", name="Parts")
    field.click()
    field.fill(str(parts))
    field.press("Enter")
    page.wait_for_function(f"() => document.querySelector('[data-would]')?.textContent.startsWith('{parts} ')")
    return float(
        page.evaluate(
            """(parts) => new Promise((done) => {
              const {usePocket} = window.grainpocket;
              const source = () => Object.values(usePocket.getState().open.pocket.sources)[0];
              const begun = performance.now();
              const stop = usePocket.subscribe(() => {
                if (source().cuts.length !== parts) return;
                stop();
                requestAnimationFrame(() => done(performance.now() - begun));
              });
              [...document.querySelectorAll('button')].find((b) => b.textContent === 'Cut').click();
            })""",
            parts,
        )
    )


def dragged(page: Page) -> list[float]:
    """Milliseconds between frames while a cut is dragged to and fro."""
    page.evaluate("() => { const {useView} = window.grainpocket; useView.getState().setWindow('s1', {start: 0, end: 600000}); }")
    box = page.locator("[data-wave]:visible").bounding_box()
    assert box is not None
    at = page.evaluate("() => window.grainpocket.usePocket.getState().open.pocket.sources.s1.cuts[3].at")
    x, y = box["x"] + 1.5 + at / 600000 * (box["width"] - 3), box["y"] + 90
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate(_WATCH)
    for step in range(160):
        page.mouse.move(x + 25 * ((step % 40) / 20 - 1), y)
        page.wait_for_timeout(8)
    times = page.evaluate("() => { const t = window.frameTimes; window.frameTimes = null; return t; }")
    page.mouse.up()
    return list(times)


def scrolled(page: Page) -> list[float]:
    return list(
        page.evaluate(
            """() => new Promise((done) => {
              const box = document.querySelector('[aria-label=Slices]');
              const times = []; let last = 0, n = 0;
              function step(now) {
                if (last) times.push(now - last);
                last = now;
                box.scrollTop = (box.scrollHeight - box.clientHeight) * (0.5 - 0.5 * Math.cos(n / 60));
                if (++n < 500) requestAnimationFrame(step); else done(times);
              }
              requestAnimationFrame(step);
            })"""
        )
    )


def say(what: str, frames: list[float]) -> None:
    frames = sorted(frames[3:])
    share, rate = sum(f < SMOOTH_MS for f in frames) / len(frames), 1000 / statistics.mean(frames)
    print(f"{what:32s} {rate:4.1f} a second, {share:.1%} under {SMOOTH_MS} ms   goal: over 50 a second", flush=True)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        song = Path(folder) / "ten minutes.wav"
        write_song(song)
        with served(Path(folder) / "data") as server, a_page(server.url) as page:
            brought_in(page, server, song)
            page.get_by_role("tab", name="Chop").click()
            # Two hundred and fifty-six parts are the most at once: the grid makes five hundred.
            frames = page.evaluate("() => window.grainpocket.usePocket.getState().open.pocket.sources.s1.frames")
            state = page.evaluate("() => window.grainpocket.usePocket.getState().open.version")
            pocket = page.evaluate("() => window.grainpocket.usePocket.getState().open.id")
            edit = {"type": "set_grid", "source": "s1", "bpm": 120, "bar_one": 0}
            page.request.post(f"{server.url}api/pockets/{pocket}/edits", data={"version": state, "edit": edit})
            page.wait_for_function("() => window.grainpocket.usePocket.getState().open.pocket.sources.s1.grid?.bpm === 120")
            times = [cut(page, 200 + k) for k in range(ROUNDS)]
            step = frames / 44100 * 2 / SLICES
            edit = {"type": "recut", "source": "s1", "cutting": {"by": "grid", "step": step}, "keep_hand": False}
            state = page.evaluate("() => window.grainpocket.usePocket.getState().open.version")
            page.request.post(f"{server.url}api/pockets/{pocket}/edits", data={"version": state, "edit": edit})
            page.wait_for_function(
                f"() => Math.abs(window.grainpocket.usePocket.getState().open.pocket.sources.s1.cuts.length - {SLICES}) < 3"
            )
            count = page.evaluate("() => window.grainpocket.usePocket.getState().open.pocket.sources.s1.cuts.length")
            print(f"slices on {frames / 44100 / 60:.0f} minutes               {count}")
            print(f"a policy applied, browser and all   median {statistics.median(times):5.0f} ms   goal under 300 ms")
            page.wait_for_timeout(6000)
            say("frames while a cut is dragged", dragged(page))
            say("frames while panning and zooming", frame_times(page))
            say("frames while the table scrolls", scrolled(page))


if __name__ == "__main__":
    main()
