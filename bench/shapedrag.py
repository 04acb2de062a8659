"""A slider of Shape dragged up and down: how often a second the pad is rendered anew and its voice is with the player, without
stretching and with, and whether any other pad is rendered: `python -m bench.shapedrag`."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from playwright.sync_api import Page

from bench.browser import a_page
from bench.served import served
from grainpocket.demo.pocket import make_demo
from grainpocket.settings import Settings

SECONDS, A_SECOND = 4.0, 60


def voices(page: Page) -> dict[str, str]:
    """The key of each pad's voice, as far as it is with the player."""
    return page.evaluate(  # type: ignore[no-any-return]
        "() => Object.fromEntries(Object.entries(window.grainpocket.voices.known.voices).map(([pad, voice]) => [pad, voice.key]))"
    )


def tried(page: Page) -> int:
    """How often the pad was rendered under the hand, and is with the player, so far."""
    return int(page.evaluate("() => window.grainpocket.timings.filter((mark) => mark.what === 'tried').length"))


def dragged(page: Page, pad: int, name: str) -> tuple[float, int]:
    """Voices a second of the pad, and how many other pads were rendered meanwhile."""
    before = voices(page)
    before_marks = tried(page)
    slider = page.get_by_role("slider", name=name, exact=True).first
    slider.scroll_into_view_if_needed()
    box = slider.bounding_box()
    assert box is not None
    y = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + box["width"] / 2, y)
    page.mouse.down()
    start, step = time.perf_counter(), 0
    while (now := time.perf_counter() - start) < SECONDS:
        # Up and down in two seconds, never twice at one place.
        share = abs(now % 2 - 1)
        page.mouse.move(box["x"] + box["width"] * (0.1 + 0.8 * share) + step % 3 / 3, y)
        step += 1
        time.sleep(max(0.0, step / A_SECOND - (time.perf_counter() - start)))
    took = time.perf_counter() - start
    page.mouse.up()
    heard = tried(page) - before_marks
    page.wait_for_timeout(800)
    after = voices(page)
    return heard / took, sum(after[key] != before.get(key) for key in after if int(key) != pad)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder) / "data"
        make_demo(Settings(data=data), say=lambda text: None)
        with served(data) as running, a_page(running.url) as page:
            page.locator("[data-pad='4']").click()
            page.get_by_role("tab", name="Shape").click()
            for card, choose, name in (("Filter", "low pass", "Cutoff"), ("Pitch and time", "keeps its length", "Pitch")):
                region = page.get_by_role("region", name=card, exact=True)
                if region.get_by_role("button").first.get_attribute("aria-expanded") == "false":
                    region.get_by_role("button").first.click()
                page.get_by_role("radio", name=choose).click()
                page.wait_for_timeout(1500)
                rate, others = dragged(page, 4, name)
                print(f"{name} of a pad dragged: {rate:.1f} voices a second; other pads rendered: {others}")


if __name__ == "__main__":
    main()
