"""A headless Chromium, set up as the tests and benchmarks need it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Page, sync_playwright

CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--autoplay-policy=no-user-gesture-required",
    "--use-fake-device-for-media-stream",
    "--use-fake-ui-for-media-stream",
]


@contextmanager
def a_page(url: str, width: int = 1280, height: int = 800) -> Iterator[Page]:
    """A page on the application, its pads on screen."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_context(viewport={"width": width, "height": height}).new_page()
        page.goto(url)
        page.wait_for_selector("[data-testid=pad-grid]")
        yield page
        browser.close()
