"""What tests of Chop do again and again: bring in a demo record, try a policy, cut, prove."""

from __future__ import annotations

import json

from playwright.sync_api import Locator, expect

from grainpocket.demo.pocket import AUDIO
from tests.ui.conftest import Ui

TRUTH = json.loads((AUDIO / "truth.json").read_text())


def bring_in_record(ui: Ui, name: str) -> None:
    """A demo record in this pocket, opened in Chop. It was heard already: bringing files in is tested elsewhere."""
    ui.borrow(name)
    ui.page.get_by_role("button", name=f"Open {name}", exact=True).click()
    ui.station("Chop")


def policy(ui: Ui, name: str) -> Locator:
    ui.page.get_by_role("radio", name=name, exact=True).click()
    would = ui.page.locator("[data-would]")
    expect(would).to_be_visible()
    return would


def cut(ui: Ui) -> list[int]:
    """Cut as shown; the cuts."""
    shown = int((ui.page.locator("[data-would]").text_content() or "").split()[0])
    ui.button("Cut").click()
    ui.wait("pocket.sources.s1.cuts.length === arg && !document.querySelector('[data-would]')", shown)
    return [int(at) for at in ui.look("pocket.sources.s1.cuts.map((c) => c.at)")]


def null_total(ui: Ui) -> str:
    ui.page.get_by_role("tab", name="Repeats and null").click()
    total = ui.page.get_by_test_id("null-total")
    expect(total).to_be_visible()
    return total.text_content() or ""
