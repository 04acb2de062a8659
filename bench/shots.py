"""The pictures of the main views, from the demo data: `python -m bench.shots` writes docs/screenshots."""

from __future__ import annotations

import tempfile
from pathlib import Path

from playwright.sync_api import Page

from bench.browser import a_page
from bench.served import served
from grainpocket.demo.pocket import make_demo
from grainpocket.settings import Settings

_READY = """() => {
  const [here, all] = window.grainpocket.voices.ready();
  return here === all && window.grainpocket.loopPlayer.loop();
}"""
TARGET = Path(__file__).parent.parent / "docs" / "screenshots"


def settled(page: Page) -> None:
    """Fonts and waves are here, and nothing is on its way."""
    page.evaluate("() => document.fonts.ready")
    page.wait_for_function(_READY)
    page.evaluate("() => new Promise((done) => setTimeout(done, 500))")


def mix_and_song(page: Page) -> None:
    page.get_by_role("button", name="Patterns ▾").click()
    page.get_by_role("menuitem", name="Dockside, as played", exact=True).click()
    page.get_by_role("tab", name="Mix").click()
    page.get_by_role("region", name="Bus Drums").get_by_role("button", name="Compressor").click()
    page.wait_for_function("() => window.grainpocket.loopPlayer.loop()?.settled")
    settled(page)
    page.wait_for_timeout(2500)
    page.screenshot(path=TARGET / "mix.png")
    page.get_by_role("tab", name="Song").click()
    page.get_by_role("button", name="Thread").first.click()
    page.get_by_role("menuitem", name="Hum: Send to Reverb").click()
    page.keyboard.press("Space")
    page.wait_for_function("() => window.grainpocket.songPlayer.place() > 200000")
    page.screenshot(path=TARGET / "song.png")
    page.keyboard.press("Escape")


def shape(page: Page) -> None:
    page.get_by_role("tab", name="Shape").click()
    for _ in range(6):
        if page.get_by_role("button", name="Hum A").count():
            break
        page.keyboard.press("PageDown")
    page.locator("[data-pad][aria-label*='Hum A']").click()
    page.get_by_role("region", name="Filter", exact=True).get_by_role("button").first.click()
    page.get_by_test_id("shape-wave").wait_for()
    page.keyboard.press("i")
    page.wait_for_function("() => window.grainpocket.useNotes.getState().here > 12")
    page.wait_for_timeout(1500)
    page.screenshot(path=TARGET / "shape.png")
    page.keyboard.press("i")


def split(page: Page) -> None:
    page.get_by_role("button", name="Open Lantern street", exact=True).click()
    page.get_by_role("tab", name="Split").click()
    page.get_by_role("button", name="Take apart").click()
    page.get_by_role("region", name="Stem other").wait_for(timeout=120_000)
    page.get_by_role("button", name="Menu of bass").click()
    page.get_by_role("menuitem", name="Move a leak…").click()
    box = page.get_by_role("img", name="What is where in bass").bounding_box()
    page.wait_for_timeout(1000)
    if box:
        page.mouse.move(box["x"] + 230, box["y"] + 40)
        page.mouse.down()
        page.mouse.move(box["x"] + 330, box["y"] + 100, steps=3)
        page.mouse.up()
    settled(page)
    page.screenshot(path=TARGET / "split.png")


def by_night(page: Page) -> None:
    page.get_by_role("button", name="Open Dockside break", exact=True).click()
    page.get_by_role("tab", name="Chop").click()
    page.get_by_role("button", name="Pockets").click()
    page.get_by_role("menuitem", name="Night print").click()
    page.wait_for_timeout(1500)
    settled(page)
    page.screenshot(path=TARGET / "night.png")
    page.get_by_role("button", name="Pockets").click()
    page.get_by_role("menuitem", name="Day print").click()


def an_empty_pocket(page: Page) -> None:
    page.get_by_role("tab", name="Chop").click()
    page.get_by_role("button", name="Pockets").click()
    page.get_by_role("menuitem", name="New pocket").click()
    page.get_by_role("region", name="Begin").get_by_role("listitem").last.wait_for()
    page.wait_for_timeout(500)
    page.screenshot(path=TARGET / "start.png")


def main() -> None:
    TARGET.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        make_demo(Settings(data=Path(folder)), say=lambda text: None)
        with served(Path(folder)) as server, a_page(server.url) as page:
            settled(page)
            page.locator("tbody tr").nth(2).click()
            page.locator("[data-pad='4']").click()
            # What is known of the slices comes a moment later.
            page.wait_for_selector("tbody tr[data-slice] td:has-text('dB')")
            page.wait_for_timeout(1500)
            settled(page)
            page.screenshot(path=TARGET / "chop.png")
            page.get_by_role("radio", name="Grid", exact=True).click()
            page.get_by_role("tab", name="All finds").click()
            page.get_by_role("button", name="Sounds like this").click()
            page.get_by_role("listbox", name="Slices found").get_by_role("option").nth(3).wait_for()
            settled(page)
            page.screenshot(path=TARGET / "alike.png")
            page.keyboard.press("Escape")
            page.get_by_role("tab", name="Slices", exact=True).click()
            page.get_by_role("tab", name="Listen").click()
            page.get_by_role("button", name="Open Lantern street").click()
            settled(page)
            page.screenshot(path=TARGET / "listen.png")
            page.get_by_role("tab", name="Worth taking").click()
            page.get_by_role("listbox", name="Kicks").get_by_role("option").first.click()
            page.wait_for_timeout(1500)
            settled(page)
            page.screenshot(path=TARGET / "worth.png")
            page.get_by_role("tab", name="Cleaning").click()
            page.get_by_text("heard in it").or_(page.get_by_text("all else is quiet")).first.wait_for()
            page.get_by_role("button", name="Hiss").click()
            settled(page)
            page.screenshot(path=TARGET / "cleaning.png")
            page.get_by_role("tab", name="Rhythm").click()
            page.get_by_test_id("play").click()
            page.wait_for_function("() => window.grainpocket.loopPlayer.place() > 90000")
            page.screenshot(path=TARGET / "rhythm.png")
            page.get_by_test_id("play").click()
            shape(page)
            mix_and_song(page)
            page.get_by_role("tab", name="Rhythm").click()
            page.keyboard.press("?")
            page.wait_for_selector("[role=dialog]")
            settled(page)
            page.screenshot(path=TARGET / "keys.png")
            page.keyboard.press("Escape")
            split(page)
            by_night(page)
            an_empty_pocket(page)
    print(f"pictures in {TARGET}")


if __name__ == "__main__":
    main()
