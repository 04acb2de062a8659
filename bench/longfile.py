"""A ten-minute stereo file in the browser: import, memory, and frames while panning and zooming: `python -m bench.longfile`."""

from __future__ import annotations

import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
import psutil
import soundfile as sf
from playwright.sync_api import Page

from bench.browser import a_page
from bench.served import Served, served

MINUTES, RATE = 10, 44100


def write_song(path: Path) -> None:
    """Ten minutes of drums and a drone, never twice quite the same."""
    rng = np.random.default_rng(10)
    beat = np.zeros((RATE // 2, 2), np.float32)
    t = np.arange(RATE // 2) / RATE
    beat[:, :] = (np.sin(2 * np.pi * 60 * t) * np.exp(-t * 14))[:, None]
    with sf.SoundFile(str(path), "w", RATE, 2, subtype="PCM_16") as file:
        for number in range(MINUTES * 120):
            noise = rng.standard_normal((RATE // 2, 2)) * np.exp(-t * 25)[:, None] * (0.3 if number % 2 else 0.05)
            drone = 0.1 * np.sin(2 * np.pi * (110 + number % 7) * (t + number / 2))[:, None]
            file.write((beat * 0.5 + noise + drone).astype(np.float32))


def memory_mb(server: Served) -> float:
    """Resident memory of the launcher and all its processes."""
    launcher = psutil.Process(server.process.pid)
    return sum(p.memory_info().rss for p in (launcher, *launcher.children(recursive=True))) / 1e6


def brought_in(page: Page, server: Served, path: Path) -> tuple[float, float, int]:
    """(seconds, most memory in MB, steps of progress seen) of an import through the page."""
    page.get_by_label("Add audio files").set_input_files(str(path))
    start, most, steps = time.perf_counter(), 0.0, set()
    while True:
        most = max(most, memory_mb(server))
        bar = page.locator("[role=progressbar]")
        if bar.count():
            steps.add(bar.first.get_attribute("aria-valuenow"))
        if page.evaluate("() => Object.keys(window.grainpocket.usePocket.getState().open.pocket.sources).length"):
            return time.perf_counter() - start, most, len(steps)
        time.sleep(0.1)


def frame_times(page: Page) -> list[float]:
    """Milliseconds between frames while the wave is zoomed and moved, every frame another view."""
    page.get_by_role("tab", name="Chop").click()
    page.wait_for_selector("[data-wave]")
    return page.evaluate(  # type: ignore[no-any-return]
        """() => new Promise((done) => {
          const {useView, usePocket} = window.grainpocket;
          const source = Object.values(usePocket.getState().open.pocket.sources)[0];
          const times = []; let last = 0, n = 0;
          function step(now) {
            if (last) times.push(now - last);
            last = now;
            const length = source.frames * Math.pow(0.985, n % 400) + 200;
            const start = (source.frames - length) * (0.5 + 0.5 * Math.sin(n / 40));
            useView.getState().setWindow(source.id, {start, end: start + length});
            if (++n < 800) requestAnimationFrame(step); else done(times);
          }
          requestAnimationFrame(step);
        })"""
    )


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        song = Path(folder) / "ten minutes.wav"
        write_song(song)
        with served(Path(folder) / "data") as server, a_page(server.url) as page:
            print(f"memory before                                    {memory_mb(server):6.0f} MB")
            seconds, most, steps = brought_in(page, server, song)
            print(f"import of {MINUTES} minutes of stereo                     {seconds:6.1f} s, {steps} steps of progress seen")
            frames = sorted(frame_times(page)[5:])
            most = max(most, memory_mb(server))
            print(f"most memory, all of the server's processes       {most:6.0f} MB   goal under 600 MB")
            share = sum(f < 20 for f in frames) / len(frames)
            print(
                f"frames while panning and zooming                 median {statistics.median(frames):.1f} ms, "
                f"{share:.1%} under 20 ms   goal 95 %"
            )


if __name__ == "__main__":
    main()
