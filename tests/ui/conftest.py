"""The real interface in headless Chromium, against the running application."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Generator, Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Error, Locator, Page, Route, expect, sync_playwright

from bench.browser import CHROMIUM, FLAGS
from bench.served import Served, served
from grainpocket.demo.pocket import make_demo
from grainpocket.settings import Settings
from tests.files import wav
from tests.signals import Loop
from tests.web.live import Live

# Against what hangs, not what is slow: shorter while one test is being written.
TIMEOUT_MS = int(os.environ.get("UI_TIMEOUT_MS", "60000"))
expect.set_options(timeout=TIMEOUT_MS / 2)


@pytest.fixture(scope="session")
def demo_server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Served]:
    """The application with the demo pocket; tests that change things make pockets of their own."""
    data = tmp_path_factory.mktemp("demo") / "data"
    make_demo(Settings(data=data), say=lambda text: None)
    with served(data, GRAINPOCKET_MOST_MINUTES="12", GRAINPOCKET_MOST_BYTES="300000000") as running:
        yield running


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        running = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield running
        running.close()


_SEEN = """(arg) => {
  const gp = window.grainpocket;
  const pocket = gp.usePocket.getState().open?.pocket;
  return %s;
}"""


class Ui:
    """A tab on a pocket, and shorthands for what tests ask of it."""

    def __init__(self, page: Page, live: Live) -> None:
        self.page, self.live = page, live
        self.errors: list[str] = []
        page.on("pageerror", self.note_error)

    def note_error(self, error: Error) -> None:
        self.errors.append(str(error))

    def open(self) -> Ui:
        self.page.goto(self.live.server.url)
        self.page.wait_for_selector("[data-testid=pad-grid]")
        return self

    def look(self, expression: str, argument: Any = None) -> Any:
        """Evaluate with `gp` as what the application shows to tests, and `pocket` as the open pocket."""
        return self.page.evaluate(_SEEN % expression, argument)

    def wait(self, expression: str, argument: Any = None) -> None:
        self.page.wait_for_function(_SEEN % expression, arg=argument)

    def station(self, name: str) -> None:
        self.page.get_by_role("tab", name=name).click()

    def reach(self, locator: Locator) -> None:
        """Bring the keyboard to a control, as Tab does."""
        self.page.keyboard.press("Shift")
        locator.focus()

    def button(self, name: str) -> Any:
        return self.page.get_by_role("button", name=name, exact=True)

    def bring_in(self, name: str, data: bytes) -> None:
        """Add a file through the file picker and wait for its find."""
        count = self.look("Object.keys(pocket.sources).length")
        # By its path: bytes would go through the browser's debugging protocol, which is slow.
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / name
            file.write_bytes(data)
            self.page.get_by_label("Add audio files").set_input_files(file)
            self.wait("Object.keys(pocket.sources).length > arg", count)

    def bring_in_loop(self, loop: Loop, name: str = "Test loop.wav") -> None:
        self.bring_in(name, wav(loop.samples))
        self.page.get_by_role("button", name=f"Open {name.removesuffix('.wav')}", exact=True).click()

    def borrow(self, name: str) -> str:
        """A record of the demo as a find of this pocket, without bringing it in anew: its id."""
        demo = self.live.ask("GET", "/api/pockets/night-ferry-set")[1]["pocket"]["sources"].values()
        record = next(source for source in demo if source["name"] == name)
        known = {key: record[key] for key in ("name", "audio", "frames", "channels", "trim")}
        status, reply = self.live.edit({"type": "add_source", **known})
        assert status == 200, reply
        (key,) = reply["changes"]["sources"]
        self.wait("pocket.sources[arg]", key)
        return str(key)

    def ready(self) -> None:
        """All voices of the pads are here."""
        self.wait("gp.voices.ready()[0] === gp.voices.ready()[1] && gp.voices.ready()[1] > 0")

    def intercept(self, pattern: str, answer: Callable[[Route], Any]) -> None:
        """From now on `answer` says what becomes of the page's requests by this pattern.

        The browser says that it keeps them back a little before its pages do: what was asked for in between would go past."""
        self.page.route(pattern, answer)
        self.page.route("**/kept-back", lambda route: route.fulfill(status=204))
        while self.look("fetch('/kept-back').then((answer) => answer.status)") != 204:
            pass

    def wave(self) -> Any:
        box = self.page.locator("[data-wave]:visible").bounding_box()
        assert box is not None
        return box

    def grid(self) -> Any:
        box = self.page.get_by_test_id("pattern-grid").first.bounding_box()
        assert box is not None
        return box


Opener = Callable[..., Ui]


class Tabs:
    """A browser's tab that one test after the other uses: a tab of its own costs each as much as the whole application.

    What a test leaves behind in it (its storage, where the mouse is) is taken away before the next."""

    def __init__(self, browser: Browser) -> None:
        self.browser = browser
        self.kept: Page | None = None

    def fresh(self, script: str = "") -> Page:
        context = self.browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
        context.set_default_timeout(TIMEOUT_MS)
        if script:
            context.add_init_script(script)
        return context.new_page()

    def usual(self, url: str) -> Page:
        if self.kept is None or self.kept.is_closed():
            self.kept = self.fresh()
        self.kept.goto(f"{url}/icon.svg")
        self.kept.evaluate("() => { localStorage.clear(); sessionStorage.clear(); }")
        return self.kept

    def leave(self, tab: Ui, failed: bool) -> None:
        page = tab.page
        if page is self.kept and not failed:
            page.remove_listener("pageerror", tab.note_error)
            page.unroute_all(behavior="ignoreErrors")
            page.mouse.move(0, 0)
        else:
            page.context.close()
            self.kept = None if page is self.kept else self.kept


@pytest.fixture(scope="session")
def tabs(browser: Browser) -> Tabs:
    return Tabs(browser)


FAILED = pytest.StashKey[bool]()


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item) -> Generator[None, pytest.TestReport, pytest.TestReport]:
    report = yield
    item.stash[FAILED] = item.stash.get(FAILED, False) or report.failed
    return report


@pytest.fixture
def opened(tabs: Tabs, demo_server: Served, request: pytest.FixtureRequest) -> Iterator[Opener]:
    """opened() gives a tab on a fresh pocket; opened(live) one on a pocket that is there, opened(demo=True) on the demo."""
    open_now: list[Ui] = []

    def open_tab(live: Live | None = None, demo: bool = False, script: str = "") -> Ui:
        if live is None:
            live = Live(demo_server)
            if demo:
                live.id = "night-ferry-set"
        alone = bool(script) or bool(open_now) or live.server is not demo_server
        page = tabs.fresh(script) if alone else tabs.usual(live.server.url)
        tab = Ui(page, live)
        if alone:
            page.goto(f"{live.server.url}/icon.svg")
        kept = f"localStorage.setItem('grain-pocket-view', JSON.stringify({{state: {{pocketId: '{live.id}'}}, version: 0}}))"
        page.evaluate(kept)
        open_now.append(tab.open())
        return tab

    yield open_tab
    for tab in open_now:
        # What a failed test leaves behind is nobody's.
        tabs.leave(tab, bool(tab.errors) or request.node.stash.get(FAILED, False))
    for tab in open_now:
        assert tab.errors == []
