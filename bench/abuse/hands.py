"""A hand that clicks, drags and types at random in the real interface, on the demo pocket: nothing may fall over, every edit comes
through, what the page holds is what the server holds, silence is silence, and Space still plays."""

from __future__ import annotations

import collections
import json
import urllib.request
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import ConsoleMessage, Page, Response, TimeoutError

from bench.browser import a_page
from bench.served import served
from grainpocket.demo.pocket import make_demo
from grainpocket.settings import Settings

LOOK_EVERY = 40
PATIENCE_MS = 20_000
# What opens a dialog of the system, or leaves the page.
LEFT_OUT = ("Add", "Choose", "Open in", "New tab", "another tab", "model")
KEYS = [
    *("Space", "Shift+Space", "Escape", "Enter", "Delete", "Tab", "Control+z", "Control+Shift+z"),
    *("Control+c", "Control+v", "Control+a"),
    *("F1", "F2", "F3", "F4", "F5", "F6", "F7", "F9", "ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "Shift+ArrowUp"),
    *"1234qwerasdfzxcvtpnlbgijmuhk0+-,.?",
]  # fmt: skip
_POINTS = """() => {
  const kinds = 'button, input, canvas, tr, [role=tab], [role=slider], [role=radio], [role=menuitem], [role=switch]';
  const all = [...document.querySelectorAll(`${kinds}, [data-pad], [data-lane]`)];
  const some = [];
  for (const one of all) {
    const box = one.getBoundingClientRect();
    const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
    if (box.width < 3 || box.height < 3 || x < 0 || y < 0 || x >= innerWidth || y >= innerHeight || one.disabled) continue;
    const top = document.elementFromPoint(x, y);
    if (!top || !(one.contains(top) || top.contains(one))) continue;
    some.push({ x: box.x, y: box.y, w: box.width, h: box.height,
      name: (one.getAttribute('aria-label') || one.textContent || one.title || one.tagName).trim().slice(0, 60) });
  }
  return some;
}"""
_HELD = """() => {
  const gp = window.grainpocket;
  const open = gp.usePocket.getState().open;
  return open && { id: open.id, version: open.version, pocket: open.pocket };
}"""


class Hand:
    def __init__(self, page: Page, rng: np.random.Generator, url: str) -> None:
        self.page, self.rng, self.url = page, rng, url
        self.did: collections.deque[str] = collections.deque(maxlen=14)
        self.wrong: list[str] = []
        page.on("pageerror", lambda error: self.say(f"error in the page: {error}"))
        page.on("console", self._console)
        page.on("response", self._response)
        page.on("dialog", lambda dialog: dialog.accept())

    def say(self, what: str) -> None:
        line = f"{what} | after: {' ; '.join(self.did)}"
        print("WRONG:", line, flush=True)
        self.wrong.append(line)

    def _console(self, message: ConsoleMessage) -> None:
        if message.type == "error" and "status of 4" not in message.text:
            self.say(f"said in the console: {message.text[:200]}")

    def _response(self, response: Response) -> None:
        if response.status >= 500:
            self.say(f"{response.status} from {response.url}")

    def act(self) -> None:
        draw = self.rng.random()
        if draw < 0.3:
            key = KEYS[int(self.rng.integers(len(KEYS)))]
            self.did.append(key)
            self.page.keyboard.press(key)
            return
        points: list[dict[str, Any]] = self.page.evaluate(_POINTS)
        points = [one for one in points if not any(word in one["name"] for word in LEFT_OUT)]
        if not points:
            return
        one = points[int(self.rng.integers(len(points)))]
        x, y = one["x"] + one["w"] * self.rng.uniform(0.1, 0.9), one["y"] + one["h"] * self.rng.uniform(0.2, 0.8)
        if draw < 0.8:
            button = "right" if self.rng.random() < 0.1 else "left"
            self.did.append(f"{button} {one['name']!r}")
            self.page.mouse.click(x, y, button=button, click_count=2 if self.rng.random() < 0.05 else 1)  # type: ignore[arg-type]
        else:
            self.did.append(f"drag {one['name']!r}")
            self.page.mouse.move(x, y)
            self.page.mouse.down()
            self.page.mouse.move(x + self.rng.uniform(-200, 200), y + self.rng.uniform(-60, 60), steps=4)
            self.page.mouse.up()

    def look_over(self) -> None:
        """Escape, and all comes to rest: as it is on the server, and silent; then Space still plays something and stops it."""
        for _ in range(4):
            self.page.keyboard.press("Escape")
        try:
            self.page.wait_for_function("() => window.grainpocket.idle()", timeout=PATIENCE_MS)
        except TimeoutError:
            self.say("an edit never came back")
            return
        for _ in range(40):
            held = self.page.evaluate(_HELD)
            if not held:
                self.say("no pocket is open")
                return
            there = json.loads(urllib.request.urlopen(f"{self.url}api/pockets/{held['id']}").read())
            if there["version"] == held["version"] and there["pocket"] == held["pocket"]:
                break
            self.page.wait_for_timeout(250)
        else:
            differing = [key for key in there["pocket"] if there["pocket"][key] != held["pocket"].get(key)]
            self.say(f"the page holds another pocket than the server: {held['version']}, {there['version']}, {differing}")
        for what in ("gp.useLoop.getState().playing", "gp.voices.sounds()"):
            try:
                self.page.wait_for_function(f"() => {{ const gp = window.grainpocket; return !({what}); }}", timeout=PATIENCE_MS)
            except TimeoutError:
                self.say(f"not silent after Escape: {what}")


def run(data: Path, many: int, seed: int) -> list[str]:
    """many: things that the hand does."""
    make_demo(Settings(data=data), say=lambda text: None)
    rng = np.random.default_rng(seed)
    with served(data) as server, a_page(server.url) as page:
        hand = Hand(page, rng, server.url)
        page.set_default_timeout(PATIENCE_MS)
        for number in range(1, many + 1):
            try:
                hand.act()
                if number % LOOK_EVERY == 0:
                    hand.look_over()
            except TimeoutError as error:
                hand.say(f"the page does not answer: {str(error)[:200]}")
            if number % 200 == 0:
                print(number, "things done,", len(hand.wrong), "wrong", flush=True)
            if not page.url.startswith(server.url):
                page.goto(server.url)
    return hand.wrong
