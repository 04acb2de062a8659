"""A calm screen: what is in view in small and large windows, and what is folded away."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.ui.conftest import Opener

# Text that is drawn smaller than anyone can read, and controls that reach out of the window or lie under another.
_SMALL = """() => [...document.querySelectorAll("body *")].filter((one) =>
  [...one.childNodes].some((node) => node.nodeType === 3 && node.textContent.trim()) && one.getClientRects().length
  && parseFloat(getComputedStyle(one).fontSize) < 11).map((one) => one.textContent)"""
_CUT_OFF = """() => [...document.querySelectorAll(
  "header button, header [role=spinbutton], [role=tab], main button, [data-pad]")].filter((one) => {
  const box = one.getBoundingClientRect();
  if (!box.width || !one.checkVisibility()) return false;
  return box.left < 0 || box.right > window.innerWidth + 0.5;
}).map((one) => one.getAttribute("aria-label") ?? one.textContent)"""
_OVERLAID = """() => [...document.querySelectorAll("header button, main button")].filter((one) => {
  const box = one.getBoundingClientRect();
  const list = one.closest(".thin-scroll")?.getBoundingClientRect();
  const y = box.y + box.height / 2;
  if (!box.width || !one.checkVisibility() || one.disabled || y > window.innerHeight) return false;
  if (list && (y < list.top || y > list.bottom)) return false;
  const top = document.elementFromPoint(box.x + box.width / 2, y);
  return !(top && (top === one || one.contains(top)));
}).map((one) => one.getAttribute("aria-label") ?? one.textContent)"""


_TEN_ROWS = """() => {
  const rows = [...document.querySelectorAll("tbody tr[data-slice]")];
  const list = rows[0]?.closest(".thin-scroll").getBoundingClientRect();
  const boxes = rows.map((row) => row.getBoundingClientRect());
  const seen = boxes.filter((box) => box.top >= list.top && box.bottom <= list.bottom + 0.5);
  return seen.length >= 10;
}"""


@pytest.mark.parametrize("station", ["Listen", "Chop", "Rhythm", "Mix", "Song"])
def test_nothing_is_cut_off_or_too_small(opened: Opener, station: str) -> None:
    ui = opened(demo=True)
    page = ui.page
    page.locator("[data-pad='0']").click()
    ui.station(station)
    expect(page.get_by_role("tab", name=station)).to_have_attribute("data-state", "active")
    ui.ready()
    try:
        for width, height in ((1024, 700), (1280, 800), (2560, 1440)):
            page.set_viewport_size({"width": width, "height": height})
            page.wait_for_function("(size) => innerWidth === size[0] && innerHeight === size[1]", arg=[width, height])
            # What follows the window's size has been laid out anew.
            page.evaluate("() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
            assert page.evaluate(_SMALL) == []
            assert page.evaluate(_CUT_OFF) == []
            assert page.evaluate(_OVERLAID) == []
            assert page.evaluate("document.documentElement.scrollWidth") <= width
            if station == "Chop" and height >= 800:
                page.wait_for_function(_TEN_ROWS)
            if height == 1440:
                pad = page.locator("[data-pad='0']").bounding_box()
                assert pad is not None
                assert pad["height"] > 120
    finally:
        page.set_viewport_size({"width": 1280, "height": 800})


def test_what_is_folded_away_stays_so_and_the_keys_go_on(opened: Opener) -> None:
    ui = opened(demo=True)
    page = ui.page
    steps = page.get_by_test_id("pattern-grid")
    expect(steps).to_have_count(0)
    page.get_by_role("button", name="▴ Steps").click()
    expect(steps).to_be_visible()
    page.get_by_role("button", name="Fold the finds away").click()
    page.get_by_role("button", name="Fold the pads away").click()
    expect(page.get_by_test_id("pad-grid")).to_have_count(0)
    # Folded away, the pads sound all the same, and Space plays.
    page.keyboard.press("Space")
    ui.wait("gp.useTape.getState().playing !== null")
    page.keyboard.press("Space")
    hits = ui.look("gp.timings.filter((m) => m.what === 'voice start').length")
    page.keyboard.press("q")
    ui.wait("gp.timings.filter((m) => m.what === 'voice start').length > arg", hits)
    page.reload()
    expect(steps).to_be_visible()
    expect(page.get_by_role("button", name="Pads", exact=True)).to_be_visible()
    page.get_by_role("button", name="Pads", exact=True).click()
    page.get_by_role("button", name="Finds", exact=True).click()
    expect(page.get_by_test_id("pad-grid")).to_be_visible()
    expect(page.locator("[data-find]").first).to_be_visible()
    page.get_by_role("button", name="▾ Fold steps").click()
    expect(steps).to_have_count(0)


def test_cutting_by_hand_lies_on_the_waves_edge(opened: Opener) -> None:
    ui = opened()
    ui.borrow("Tin roof rain")
    ui.station("Chop")
    count = ui.look("Object.values(pocket.sources)[0].cuts.length")
    ui.look("gp.useView.getState().look({ cursor: 5000, snap: 'off' })")
    edge = ui.page.get_by_role("toolbar", name="The wave")
    edge.get_by_role("button", name="Cuts ▾").click()
    ui.page.get_by_role("menuitem", name="Add a cut").click()
    ui.wait("Object.values(pocket.sources)[0].cuts.length === arg", count + 1)
    edge.get_by_role("button", name="Cuts ▾").click()
    ui.page.get_by_role("menuitem", name="They go to the grid").click()
    assert ui.look("gp.useView.getState().snap") == "grid"
    ui.page.keyboard.press("Space")
    ui.wait("gp.useTape.getState().playing !== null")
    ui.page.keyboard.press("Space")


def test_a_tall_window_has_room_for_more_of_a_pad(opened: Opener) -> None:
    """From any station, and heard as in Shape."""
    ui = opened(demo=True)
    ui.page.set_viewport_size({"width": 1600, "height": 1200})
    ui.station("Rhythm")
    ui.page.locator("[data-pad='4']").click()
    more = ui.page.get_by_test_id("pad-more")
    slider = more.get_by_role("slider", name="Pan", exact=True)
    expect(slider).to_be_visible()
    ui.reach(slider)
    ui.page.keyboard.press("ArrowRight")
    ui.wait("pocket.pads[4].sound.pan > 0")
    ui.page.keyboard.press("Control+z")
    ui.wait("pocket.pads[4].sound.pan === undefined")
    ui.wait("gp.useLoop.getState().ready")
    ui.page.keyboard.press("Space")
    ui.wait("gp.useLoop.getState().playing")
    ui.page.keyboard.press("Space")
    more.get_by_role("button", name="All of it in Shape").click()
    expect(ui.page.get_by_test_id("shape-wave")).to_be_visible()
    ui.page.set_viewport_size({"width": 1280, "height": 800})
    expect(more).to_have_count(0)
