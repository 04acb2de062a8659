"""Focus, contrast, names and roles, checked by axe-core on every view; and the look of the tokens."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.ui.conftest import Opener

AXE = Path(__file__).parent.parent.parent / "frontend/node_modules/axe-core/axe.min.js"


def violations(page: Page) -> list[str]:
    page.evaluate(AXE.read_text())
    # Menus and panels hang at the end of the document, outside the landmarks, while they are open.
    options = "{resultTypes: ['violations'], rules: {region: {enabled: false}}}"
    found = page.evaluate(f"() => window.axe.run(document, {options})")
    return [f"{v['id']}: {v['help']} ({node['target']} {node['html'][:160]})" for v in found["violations"] for node in v["nodes"]]


@pytest.mark.parametrize("station", ["Listen", "Chop", "Rhythm"])
def test_stations(opened: Opener, station: str) -> None:
    ui = opened(demo=True)
    ui.station(station)
    ui.page.locator("[data-pad='1']").click()
    expect(ui.page.get_by_test_id("pad-settings")).to_be_visible()
    # No pad may be lit, whose colours are others.
    expect(ui.page.locator("[data-sounding]")).to_have_count(0)
    assert violations(ui.page) == []


def test_the_desk_under_the_wave(opened: Opener) -> None:
    ui = opened(demo=True)
    ui.station("Listen")
    ui.button("Open Lantern street").click()
    ui.page.get_by_role("group", name="Passages").wait_for()
    for panel in ("Tempo and key", "Worth taking", "Cleaning"):
        ui.page.get_by_role("tab", name=panel).click()
        expect(ui.page.get_by_role("tabpanel", name=panel)).to_be_visible()
        assert violations(ui.page) == []


def test_the_desk_of_chop(opened: Opener) -> None:
    ui = opened(demo=True)
    ui.station("Chop")
    ui.page.locator("tbody tr[data-slice]").first.click()
    ui.page.get_by_role("tab", name="All finds").click()
    ui.button("Sounds like this").click()
    expect(ui.page.get_by_role("listbox", name="Slices found")).to_be_visible()
    assert violations(ui.page) == []
    ui.page.get_by_role("tab", name="Tray").click()
    ui.page.keyboard.press("j")
    ui.button("Menu of the page").click()
    ui.page.get_by_role("menuitem", name="Pad controller").click()
    expect(ui.page.get_by_role("region", name="Pad controller")).to_be_visible()
    assert violations(ui.page) == []
    ui.page.get_by_role("tab", name="Repeats and null").click()
    for name in ("Grid", "Equal parts", "Phrases", "Copy"):
        ui.page.get_by_role("radio", name=name, exact=True).click()
    ui.page.get_by_role("button", name="Shelf").click()
    assert violations(ui.page) == []


def test_panels(opened: Opener) -> None:
    ui = opened(demo=True)
    ui.button("Export").click()
    expect(ui.button("Save WAV")).to_be_visible()
    assert violations(ui.page) == []
    # The first closes the hint that shows on focus, the second the panel.
    ui.page.keyboard.press("Escape")
    ui.page.keyboard.press("Escape")
    expect(ui.button("Save WAV")).to_have_count(0)
    ui.page.keyboard.press("?")
    expect(ui.page.get_by_role("dialog", name="Keys and hands")).to_be_visible()
    assert violations(ui.page) == []
    ui.page.keyboard.press("Escape")
    expect(ui.page.get_by_role("dialog")).to_have_count(0)
    ui.button("Patterns ▾").click()
    expect(ui.page.get_by_role("menu")).to_be_visible()
    assert violations(ui.page) == []


def test_an_empty_pocket(opened: Opener) -> None:
    ui = opened()
    for station in ("Listen", "Chop", "Rhythm"):
        ui.station(station)
        assert violations(ui.page) == []


def test_every_control_is_reached_by_tab_and_shows_it(opened: Opener) -> None:
    ui = opened(demo=True)
    names = set()
    for _ in range(140):
        ui.page.keyboard.press("Tab")
        seen = ui.page.evaluate(
            """() => { const at = document.activeElement; const style = getComputedStyle(at);
              return [at.getAttribute("aria-label") || at.textContent, style.outlineStyle, at.tagName]; }"""
        )
        if seen[2] != "BODY":
            names.add(seen[0])
            assert seen[1] != "none", f"no focus ring on {seen[0]!r}"
    for wanted in ("Play the pattern", "Add", "All to pads", "Original rhythm", "Sensitivity", "Patterns ▾"):
        assert any(wanted in (name or "") for name in names), wanted


def test_fonts_come_with_the_application(opened: Opener) -> None:
    ui = opened(demo=True)
    loaded = ui.page.evaluate(
        "() => document.fonts.ready.then((all) => [...all].filter((font) => font.status === 'loaded').map((font) => font.family))"
    )
    assert any("Fraunces" in name for name in loaded)
    assert any("Atkinson" in name for name in loaded)
    hosts = ui.page.evaluate("() => [...new Set(performance.getEntriesByType('resource').map((e) => new URL(e.name).host))]")
    assert hosts == [ui.page.evaluate("() => location.host")]
