"""What the tests of Shape begin with, and shorthands for its cards."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.signals import RATE
from tests.ui.conftest import Opener, Ui


@pytest.fixture
def shape(opened: Opener) -> Ui:
    """A kick and a snare of a break, and a sung tone, on pads; an empty pattern."""
    ui = opened()
    drums, hum = ui.borrow("Dockside break"), ui.borrow("Marlo hum")
    cuts = [cut["id"] for cut in ui.live.state["pocket"]["sources"][drums]["cuts"][:2]]
    ui.live.edit({"type": "slices_to_pads", "source": drums, "cuts": cuts})
    tone = {"start": 2000, "end": 2000 + RATE, "name": "Hum", "role": "tonal"}
    ui.live.edit({"type": "stretches_to_pads", "source": hum, "stretches": [tone], "first": 4})
    ui.live.edit({"type": "add_pattern", "name": "Line", "bars": 2})
    ui.wait("Object.keys(pocket.patterns).length === 1")
    ui.page.locator("[data-pad='4']").click()
    ui.station("Shape")
    expect(ui.page.get_by_role("heading", name="Hum")).to_be_visible()
    return ui


def card(ui: Ui, name: str) -> None:
    button = ui.page.get_by_role("region", name=name, exact=True).get_by_role("button").first
    if button.get_attribute("aria-expanded") == "false":
        button.click()


def number(ui: Ui, name: str, value: float) -> None:
    field = ui.page.get_by_role("tabpanel").get_by_role("spinbutton", name=name, exact=True).first
    field.fill(str(value))
    field.press("Enter")


def sound(ui: Ui, pad: int = 4) -> str:
    return f"pocket.pads[{pad}].sound"


def hits(ui: Ui, *some: dict[str, float]) -> None:
    """Into the pattern, on the pad of the sung tone."""
    pattern = next(iter(ui.live.state["pocket"]["patterns"]))
    ui.live.edit({"type": "put_hits", "pattern": pattern, "hits": [{"pad": 4, "velocity": 127, **one} for one in some]})
    ui.wait("Object.values(pocket.patterns)[0].hits.length === arg", len(some))
