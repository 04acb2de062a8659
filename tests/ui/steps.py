"""What tests of Rhythm do again and again: a kit of a break, tools, steps, what is heard."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tests.signals import RATE
from tests.ui.conftest import Opener, Ui

TEMPO = 94.02
STEP = 60 / TEMPO / 4 * RATE


@pytest.fixture
def rhythm(opened: Opener) -> Ui:
    """Eight slices of a break on pads, and an empty pattern of two bars."""
    ui = opened()
    drums = ui.borrow("Dockside break")
    cuts = [cut["id"] for cut in ui.live.state["pocket"]["sources"][drums]["cuts"][:8]]
    ui.live.edit({"type": "slices_to_pads", "source": drums, "cuts": cuts})
    ui.live.edit({"type": "set_pocket", "tempo": TEMPO})
    ui.live.edit({"type": "add_pattern", "name": "P", "bars": 2})
    ui.wait("Object.keys(pocket.patterns).length === 1 && pocket.tempo === arg", TEMPO)
    ui.station("Rhythm")
    ui.wait("gp.loopPlayer.loop()?.segments.length > 0")
    ui.ready()
    return ui


P = "pocket.patterns[gp.useView.getState().pattern]"
HITS = f"{P}.hits"


def put(ui: Ui, *some: dict[str, Any]) -> None:
    pattern = ui.look(f"{P}.id")
    before = ui.look(f"{HITS}.length")
    ui.live.edit({"type": "put_hits", "pattern": pattern, "hits": list(some)})
    ui.wait(f"{HITS}.length === arg", before + len(some))


def tools(ui: Ui, name: str) -> None:
    ui.page.get_by_role("radio", name=name, exact=True).click()


def pick(ui: Ui, trigger: str, item: str) -> None:
    ui.page.get_by_role("button", name=trigger).click()
    ui.page.get_by_role("menuitem", name=item).first.click()


def number(ui: Ui, name: str, value: float) -> None:
    field = ui.page.get_by_role("tabpanel").get_by_role("spinbutton", name=name, exact=True)
    field.fill(str(value))
    field.press("Enter")


def spot(ui: Ui, pad: int, beat: float, beats: float = 8) -> tuple[float, float]:
    """Where a step of a lane is on the screen."""
    grid, name = ui.grid(), ui.page.locator(f"[data-lane='{pad}']").first.bounding_box()
    assert name is not None
    return grid["x"] + (beat + 0.06) / beats * grid["width"], name["y"] + name["height"] / 2


def heard(ui: Ui) -> list[tuple[float, int]]:
    """(sample, pad) of all that the loop strikes."""
    told = ui.look("gp.usePocket.getState().open.sounds.loop.hits")
    return list(zip(told[::2], told[1::2], strict=True))


def onsets(sound: np.ndarray, places: list[float], before: float = 0.004) -> np.ndarray:
    """How much louder it is just after places than just before, in dB."""
    x = np.abs(sound).max(axis=1)
    out = []
    for place in places:
        at = round(place)
        ahead = x[max(0, at - round(before * RATE)) : max(1, at - 45)].mean() if at > 60 else 0.0
        out.append(20 * np.log10((x[at : at + 700].max() + 1e-6) / (ahead + 1e-6)))
    return np.array(out)
