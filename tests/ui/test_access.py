"""Focus, contrast, names and roles, checked by axe-core on every view; and the look of the tokens."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.ui.conftest import Opener

AXE = Path(__file__).parent.parent.parent / "frontend/node_modules/axe-core/axe.min.js"


def violations(page: Page, only: str = "") -> list[str]:
    if not page.evaluate("() => 'axe' in window"):
        page.evaluate(AXE.read_text())
    # Menus and panels hang at the end of the document, outside the landmarks, while they are open.
    rules = f"runOnly: ['{only}']" if only else "rules: {region: {enabled: false}}"
    options = f"{{resultTypes: ['violations'], {rules}}}"
    found = page.evaluate(f"() => window.axe.run(document, {options})")
    return [
        f"{v['id']}: {node['failureSummary'][:300]} ({node['target']} {node['html'][:160]})"
        for v in found["violations"]
        for node in v["nodes"]
    ]


STATIONS = ("Listen", "Split", "Chop", "Shape", "Rhythm", "Mix", "Song")


def test_every_station_by_day_and_by_night(opened: Opener) -> None:
    ui = opened(demo=True)
    ui.page.locator("[data-pad='1']").click()
    for station in STATIONS:
        ui.station(station)
        expect(ui.page.get_by_test_id("pad-settings")).to_be_visible()
        # No pad may be lit, whose colours are others; and what is being told anew is faded.
        expect(ui.page.locator("[data-sounding]")).to_have_count(0)
        expect(ui.page.get_by_role("tabpanel").locator("[aria-busy=true]")).to_have_count(0)
        assert violations(ui.page) == [], station
    ui.button("Pockets").click()
    ui.page.get_by_role("menuitem", name="Night print").click()
    expect(ui.page.locator("html")).to_have_attribute("data-print", "night")
    for station in STATIONS:
        ui.station(station)
        expect(ui.page.get_by_role("tabpanel").locator("[aria-busy=true]")).to_have_count(0)
        assert violations(ui.page, "color-contrast") == [], station
    # Canvases are painted with the inks that are on, and stay so after a reload.
    ui.page.reload()
    ui.page.wait_for_selector("[data-testid=pad-grid]")
    expect(ui.page.locator("html")).to_have_attribute("data-print", "night")
    lightest = """() => Math.max(...[...document.querySelectorAll('canvas')].map(canvas => {
      const data = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height).data;
      let top = 0;
      for (let at = 0; at < data.length; at += 4) if (data[at + 3] > 200) top = Math.max(top, data[at + 1]);
      return top;
    }))"""
    ui.page.wait_for_function(f"({lightest})() > 200", polling=100)


def test_the_print_follows_the_system_until_it_is_chosen(opened: Opener) -> None:
    ui = opened(demo=True)
    root = ui.page.locator("html")
    expect(root).to_have_attribute("data-print", "day")
    ui.page.emulate_media(color_scheme="dark")
    expect(root).to_have_attribute("data-print", "night")
    ui.button("Pockets").click()
    ui.page.get_by_role("menuitem", name="Day print").click()
    expect(root).to_have_attribute("data-print", "day")
    ui.page.emulate_media(color_scheme="light")


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
    for station in ("Listen", "Split", "Chop", "Shape", "Rhythm", "Mix", "Song"):
        ui.station(station)
        expect(ui.page.get_by_role("region", name="Begin")).to_be_visible()
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


def test_the_wave_is_worked_and_told_by_keys_alone(opened: Opener) -> None:
    ui = opened()
    ui.borrow("Dockside break")
    ui.page.get_by_role("button", name="Open Dockside break", exact=True).click()
    ui.station("Chop")
    said = ui.page.get_by_test_id("wave-said")
    wave = ui.page.locator("[data-wave]:visible")
    ui.reach(wave)
    beat = ui.look("60 / Object.values(pocket.sources)[0].grid.bpm * 44100")
    for _ in range(2):
        ui.page.keyboard.press("BracketRight")
    cursor = ui.look("gp.useView.getState().cursor")
    assert abs(cursor / beat - round(cursor / beat)) < 0.1
    expect(said).to_contain_text(re.compile(r"Cursor at 1 · [23] · 1"))
    # From a mark on, a bar is selected and heard.
    ui.page.keyboard.press("m")
    ui.page.keyboard.press("Shift+BracketRight")
    ui.page.keyboard.press("Shift+BracketRight")
    expect(said).to_contain_text("Selected from")
    selection = ui.look("gp.useView.getState().selection")
    assert selection["start"] == cursor
    assert selection["end"] > cursor + beat
    ui.page.keyboard.press("Space")
    ui.wait("gp.useTape.getState().playing !== null")
    ui.page.keyboard.press("Space")
    ui.page.keyboard.press("Escape")
    # A cut of one's own at the cursor, found again, moved and taken away.
    before = ui.look("Object.values(pocket.sources)[0].cuts.length")
    ui.page.keyboard.press("BracketLeft")
    ui.page.keyboard.press("m")
    ui.page.keyboard.press("Alt+ArrowRight")
    ui.page.evaluate("() => { window.grainpocket.useView.getState().look({cursor: 30000}); }")
    ui.page.keyboard.press("n")
    ui.wait("Object.values(pocket.sources)[0].cuts.length === arg", before + 1)
    ui.page.keyboard.press(".")
    expect(said).to_contain_text("Slice")
    at = ui.look("Object.values(pocket.sources)[0].cuts.find(c => c.id === gp.useView.getState().cuts[0]).at")
    ui.page.keyboard.press("Shift+ArrowRight")
    ui.wait("Object.values(pocket.sources)[0].cuts.find(c => c.id === gp.useView.getState().cuts[0]).at === arg", at + 441)
    ui.page.keyboard.press("Delete")
    ui.wait("Object.values(pocket.sources)[0].cuts.length === arg", before)
