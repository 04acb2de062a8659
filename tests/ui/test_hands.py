"""A day's work with mouse and keys mixed: what was clicked never keeps the keyboard, and loops are cut by ear and eye."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Route, expect
from playwright.sync_api import TimeoutError as PlaywrightTimeout

from tests.files import wav
from tests.signals import RATE, drum_loop
from tests.ui.conftest import Opener, Ui
from tests.ui.test_chop import x_of

LOOP = drum_loop(bpm=120, bars=4, seed=6)
PLAYING = (
    "(gp.loopPlayer.place() > 0 || gp.useTape.getState().playing !== null || gp.usePreview.getState().preview !== null"
    " || gp.useSong.getState().playing || gp.useSong.getState().coming)"
)
SELECTION = "gp.useView.getState().selection"
# Pressed, these bring something in, take something away, or open a panel with fields of its own.
APART = r"^(Add|Record|Export|Undo|Redo|Cut$|Clear|Remove|Print|All to pads|Original|Cancel|Dismiss|Help|Connect|Make|Join|Credits)"


@pytest.fixture
def ui(opened: Opener) -> Ui:
    tab = opened()
    tab.bring_in_loop(LOOP)
    tab.live.edit(
        {
            "type": "slices_to_pads",
            "source": "s1",
            "cuts": [c["id"] for c in tab.live.state["pocket"]["sources"]["s1"]["cuts"][:16]],
        }
    )
    tab.live.edit({"type": "add_pattern", "name": "Steps"})
    pattern = next(iter(tab.live.state["pocket"]["patterns"]))
    tab.live.edit({"type": "put_hits", "pattern": pattern, "hits": [{"pad": 0, "beat": 0.0}]})
    tab.live.edit({"type": "add_bus", "name": "Drums", "pads": [0], "effects": ["eq"]})
    tab.live.edit({"type": "add_section", "name": "One", "bars": 2, "patterns": [pattern]})
    tab.wait("Object.keys(pocket.patterns).length === 1 && pocket.song.length === 1")
    tab.look("gp.useView.getState().look({ pattern: Object.keys(pocket.patterns)[0] })")
    tab.page.reload()
    tab.page.wait_for_selector("[data-testid=pad-grid]")
    tab.wait("gp.loopPlayer.loop() !== null")
    tab.ready()
    return tab


def plays_stops_and_hits(ui: Ui, after: str) -> None:
    page = ui.page
    try:
        if not ui.look(PLAYING):
            page.keyboard.press("Space")
            ui.wait(PLAYING)
        page.keyboard.press("Space")
        ui.wait(f"!{PLAYING}")
    except PlaywrightTimeout as error:
        raise AssertionError(f"Space neither plays nor stops after {after}") from error
    hits = ui.look("gp.timings.filter((m) => m.what === 'key down').length")
    page.keyboard.press("q")
    assert ui.look("gp.timings.filter((m) => m.what === 'key down').length") == hits + 1, f"no pad sounded after {after}"


_CONTROLS = """(wanted) => {
  const found = {};
  const kinds = ["button", ...["tab", "radio", "slider", "spinbutton", "option"].map((role) => `[role=${role}]`)];
  for (const one of document.querySelectorAll(kinds.join())) {
    const name = (one.getAttribute("aria-label") ?? one.textContent).trim();
    if (wanted ? name !== wanted || found[name] : found[name]) continue;
    const box = one.getBoundingClientRect();
    const x = box.x + Math.min(6, box.width / 2), y = box.y + box.height / 2;
    const top = box.width && document.elementFromPoint(x, y);
    if (name && !one.disabled && top && (top === one || one.contains(top) || top.contains(one))) found[name] ??= [x, y];
  }
  return found;
}"""


def controls(ui: Ui, own: bool, wanted: str = "") -> dict[str, tuple[float, float]]:
    """Where controls in view can be clicked, one of each kind, by name; own: of the station alone, not of what stands round it."""
    found = {name: (x, y) for name, (x, y) in ui.page.evaluate(_CONTROLS, wanted).items() if not re.match(APART, name)}
    main = ui.page.get_by_role("main").bounding_box()
    assert main is not None
    inside = (main["x"], main["x"] + main["width"], main["y"], main["y"] + main["height"])
    out: dict[str, tuple[str, float, float]] = {}
    for name, (x, y) in found.items():
        # Sixteen lanes have sixteen of the same: the first is tried.
        kind = re.sub(r"^(Mute|Solo|Play|Open|Slice|Cut) .+", r"\1 one", name)
        if not own or (inside[0] < x < inside[1] and inside[2] < y < inside[3]):
            out.setdefault(kind, (name, x, y))
    return {name: (x, y) for name, x, y in out.values()}


@pytest.mark.parametrize("station", ["Listen", "Chop", "Rhythm", "Mix", "Song"])
def test_after_any_click_space_plays_and_stops_and_a_key_hits_a_pad(ui: Ui, station: str) -> None:
    ui.station(station)
    plays_stops_and_hits(ui, station)
    # What stands round the stations is tried in the first ones.
    own = station in ("Mix", "Song")
    tried = 0
    for name in list(controls(ui, own)):
        # By now it may be gone, or somewhere else.
        place = controls(ui, own, name).get(name)
        if place is None:
            continue
        ui.page.mouse.click(*place)
        tried += 1
        # A menu has the keyboard while it is open, and gives it back to nobody as it closes.
        if ui.page.locator("[role=menu]").count():
            ui.page.keyboard.press("Escape")
        plays_stops_and_hits(ui, name)
        ui.page.keyboard.press("Escape")
        ui.page.keyboard.press("Escape")
        if ui.page.get_by_role("tab", name=station).get_attribute("data-state") != "active":
            ui.station(station)
    assert tried > 12


def test_after_a_menu_and_a_number_and_a_grid_click_the_keys_are_the_houses(ui: Ui) -> None:
    ui.station("Chop")
    ui.button("Select: beats ▾").click()
    ui.page.get_by_role("menuitem", name="bars", exact=True).click()
    plays_stops_and_hits(ui, "a closed menu")
    ui.button("Select: bars ▾").click()
    ui.page.keyboard.press("Escape")
    plays_stops_and_hits(ui, "a menu that was left")
    tempo = ui.page.get_by_role("spinbutton", name="Tempo", exact=True)
    tempo.click()
    tempo.fill("101")
    ui.page.keyboard.press("Shift+Space")
    ui.wait("pocket.tempo === 101 && gp.loopPlayer.place() > 0")
    ui.page.keyboard.press("Shift+Space")
    ui.wait(f"!{PLAYING}")
    ui.station("Rhythm")
    box = ui.grid()
    ui.page.mouse.click(box["x"] + box["width"] * 0.53, box["y"] + 24)
    ui.wait("Object.values(pocket.patterns)[0].hits.length === 2")
    plays_stops_and_hits(ui, "a step")
    ui.page.keyboard.press("Control+z")
    ui.wait("Object.values(pocket.patterns)[0].hits.length === 1")


def test_what_tab_leads_to_keeps_the_keyboard(ui: Ui) -> None:
    ui.station("Chop")
    ui.page.get_by_role("radio", name="Transients").click()
    for _ in range(30):
        ui.page.keyboard.press("Tab")
        if ui.page.evaluate("document.activeElement.textContent.trim() === 'Keep my cuts'"):
            break
    else:
        raise AssertionError("Tab never came to it")
    before = ui.look("gp.useView.getState().keepHand")
    ui.page.keyboard.press("Space")
    ui.wait("gp.useView.getState().keepHand === arg", not before)
    assert not ui.look(PLAYING)


def test_what_sounds_is_named_and_stopped_in_one_place(ui: Ui) -> None:
    ui.station("Listen")
    ui.button("▶ Play find").click()
    ui.wait("gp.useTape.getState().playing !== null")
    ui.station("Rhythm")
    expect(ui.page.get_by_test_id("sounding")).to_have_text("Test loop")
    expect(ui.page.get_by_test_id("play")).to_have_attribute("aria-label", "Stop Test loop")
    ui.page.get_by_test_id("play").click()
    ui.wait(f"!{PLAYING}")
    expect(ui.page.get_by_test_id("play")).to_have_attribute("aria-label", "Play the pattern")
    ui.page.keyboard.press("Space")
    expect(ui.page.get_by_test_id("sounding")).to_have_text("Steps")
    ui.page.keyboard.press("Space")
    expect(ui.page.get_by_test_id("sounding")).to_have_text("position")


def test_what_is_on_its_way_is_stopped_like_what_sounds(ui: Ui) -> None:
    held: list[Route] = []
    ui.station("Listen")
    ui.page.keyboard.press("Space")
    ui.wait(PLAYING)
    ui.page.keyboard.press("Space")
    ui.wait(f"!{PLAYING}")
    ui.look("gp.useView.getState().look({ inTempo: true })")
    ui.intercept("**/fit?*", lambda route: held.append(route))  # noqa: PLW0108 -- the library marks the function
    with ui.page.expect_request("**/fit?*"):
        ui.page.keyboard.press("Space")
    assert ui.look(PLAYING), "the second press is to stop it"
    ui.page.keyboard.press("Space")
    assert not ui.look(PLAYING)
    with ui.page.expect_response("**/fit?*"):
        held[0].continue_()
    # The answer has been read by the time that the page's own next one has.
    ui.look("fetch('/api/about').then((answer) => answer.json())")
    assert not ui.look(PLAYING), "what was stopped before it came is not heard after all"


def drag(ui: Ui, start: float, end: float, y: float = 90) -> None:
    top = ui.wave()["y"]
    ui.page.mouse.move(x_of(ui, start), top + y)
    ui.page.mouse.down()
    for share in (0.4, 0.8, 1.0):
        ui.page.mouse.move(x_of(ui, start + share * (end - start)), top + y)
    ui.page.mouse.up()


def test_a_loop_is_cut_by_ear_and_eye(ui: Ui) -> None:
    bar = 2 * RATE
    ui.station("Listen")
    # From near one bar line to near another, and it is the bars.
    drag(ui, bar + 900, 3 * bar - 1100)
    ui.wait(f"{SELECTION}?.start === arg[0] && {SELECTION}?.end === arg[1]", [bar, 3 * bar])
    expect(ui.page.get_by_test_id("selected")).to_have_text("2 bars, 4.000 s")
    expect(ui.button("2 bars at 120.0")).to_be_visible()
    # While it goes round its end is dragged to the next beat; the sound never stops.
    ui.page.keyboard.press("l")
    ui.page.keyboard.press("Space")
    ui.wait("gp.useTape.getState().playing !== null && gp.tapePlayer.place() > 0")
    drag(ui, 3 * bar, 3 * bar - RATE // 2 + 300)
    ui.wait(f"{SELECTION}?.end === arg", 3 * bar - RATE // 2)
    # Nudged by keys: the start by a millisecond, the end by a sample.
    ui.page.keyboard.press("ArrowRight")
    ui.wait(f"{SELECTION}?.start === arg", bar + 44)
    ui.page.keyboard.press("Control+Alt+ArrowLeft")
    ui.wait(f"{SELECTION}?.end === arg", 3 * bar - RATE // 2 - 1)
    ui.page.keyboard.press("ArrowLeft")
    ui.page.keyboard.press("Control+Alt+ArrowRight")
    ui.wait(f"{SELECTION}?.start === arg", bar)
    assert ui.look("gp.useTape.getState().playing !== null"), "it went on all the while"
    # The first Escape stops, the second lets go.
    ui.page.keyboard.press("Escape")
    ui.wait(f"!{PLAYING} && {SELECTION} !== null")
    ui.page.keyboard.press("Escape")
    ui.wait(f"{SELECTION} === null")
    # A bar by its number, and with Shift the stretch to another.
    top = ui.wave()["y"] + 6
    ui.page.mouse.dblclick(x_of(ui, bar) + 6, top)
    ui.wait(f"{SELECTION}?.start === arg[0] && {SELECTION}?.end === arg[1]", [bar, 2 * bar])
    ui.page.keyboard.down("Shift")
    ui.page.mouse.click(x_of(ui, 3 * bar) + 6, top)
    ui.page.keyboard.up("Shift")
    ui.wait(f"{SELECTION}?.start === arg[0] && {SELECTION}?.end === arg[1]", [bar, 4 * bar])
    ui.button("To 16 pads").click()
    ui.wait("Object.keys(pocket.pads).length === 32")
    placed = ui.look("Object.entries(pocket.pads).filter(([i]) => i >= 16).map(([, p]) => p.chop.start)")
    assert placed[0] == bar
    assert np.abs(np.diff(placed) - 3 * bar / 16).max() <= 1


def test_a_sure_tempo_is_changed_only_when_asked(ui: Ui) -> None:
    ui.station("Listen")
    ui.page.keyboard.down("Alt")
    drag(ui, 0, 3.9 * 2 * RATE)
    ui.page.keyboard.up("Alt")
    ui.wait(f"{SELECTION}?.end > 300000")
    ui.page.get_by_role("button", name=re.compile(r"^4 bars at 12[23]\.")).click()
    expect(ui.page.get_by_text("is at 120.00 BPM", exact=False).first).to_be_visible()
    assert ui.look("pocket.sources.s1.grid.bpm") == pytest.approx(120, abs=0.01)
    ui.page.get_by_role("button", name=re.compile("^Make it 12")).click()
    ui.wait("pocket.sources.s1.grid.bpm > 122")
    ui.page.keyboard.press("Control+z")
    ui.wait("Math.abs(pocket.sources.s1.grid.bpm - 120) < 0.01")


def test_a_drag_on_the_wave_of_chop_selects_and_only_a_flag_moves_a_cut(ui: Ui) -> None:
    ui.station("Chop")
    before = ui.look("pocket.sources.s1.cuts.map((c) => c.at)")
    drag(ui, before[2], before[2] + 2 * RATE)
    ui.wait(f"{SELECTION} !== null")
    assert ui.look("pocket.sources.s1.cuts.map((c) => c.at)") == before
    y = 21
    drag(ui, before[3] + 500, before[2] - 40_000, y)
    ui.wait("pocket.sources.s1.cuts[3].at < arg", before[3])
    gap = ui.look("pocket.sources.s1.cuts[3].at - pocket.sources.s1.cuts[2].at")
    assert gap == round(0.005 * RATE), "no slice is squeezed to nothing"
    ui.page.keyboard.press("Control+z")
    ui.wait("pocket.sources.s1.cuts[3].at === arg", before[3])
    # The grid goes along with the digits of a bar.
    drag(ui, 2 * RATE + 700, 2 * RATE + 700 + 2000, 6)
    ui.wait("pocket.sources.s1.grid.bar_one > 1000")


def test_pads_in_ranges_each_by_as_much_and_back(ui: Ui) -> None:
    page = ui.page
    page.locator("[data-pad='1']").click()
    page.locator("[data-pad='4']").click(modifiers=["Shift"])
    page.locator("[data-pad='9']").click(modifiers=["Control"])
    settings = page.get_by_test_id("pad-settings")
    expect(settings).to_contain_text("5 pads")
    ui.live.edit({"type": "set_pads", "pads": [2], "sound": {"level": -10.0}})
    ui.wait("pocket.pads[2].sound.level === -10")
    level = settings.get_by_role("spinbutton", name="Level")
    level.click()
    level.fill("-3")
    page.keyboard.press("Enter")
    ui.wait("Object.entries({0: 0, 1: -3, 2: -13, 9: -3}).every(([pad, level]) => (pocket.pads[pad].sound.level ?? 0) === level)")
    settings.get_by_role("button", name="Each by as much").click()
    level.click()
    level.fill("-6")
    page.keyboard.press("Enter")
    ui.wait("[1, 2, 3, 4, 9].every((i) => pocket.pads[i].sound.level === -6)")
    page.locator("[data-pad='3']").click(button="right")
    page.get_by_role("menuitem", name="Let 5 pads ring").click()
    ui.wait("[1, 2, 3, 4, 9].every((i) => pocket.pads[i].choke === 0) && pocket.pads[0].choke === 1")
    page.locator("[data-pad='3']").click(button="right")
    page.get_by_role("menuitem", name="Lock 5 pads").click()
    ui.wait("pocket.pads[9].locked")
    page.keyboard.press("u")
    expect(page.get_by_text("locked", exact=False).first).to_be_visible()


@pytest.mark.parametrize("where", ["find", "slice", "lane", "hit"])
def test_the_right_button_opens_the_menu_of_a_thing(ui: Ui, where: str) -> None:
    page = ui.page
    if where == "find":
        page.locator("[data-find]").first.click(button="right")
        page.get_by_role("menuitem", name="Open in Chop").click()
        expect(page.get_by_role("tab", name="Chop")).to_have_attribute("data-state", "active")
    elif where == "slice":
        ui.station("Chop")
        page.locator("tr[data-slice]").nth(2).click(button="right")
        page.get_by_role("menuitem", name="Set it aside in the tray").click()
        ui.wait("pocket.tray.length === 1")
    elif where == "lane":
        ui.station("Rhythm")
        page.get_by_role("button", name=re.compile(r"^Play (?!the pattern)")).first.click(button="right")
        page.get_by_role("menuitem", name="Remove all its hits").click()
        ui.wait("Object.values(pocket.patterns)[0].hits.length === 0")
    else:
        ui.station("Rhythm")
        box = ui.grid()
        page.mouse.click(box["x"] + 8, box["y"] + 34, button="right")
        page.get_by_role("menuitem", name="Ghost, 40").click()
        ui.wait("Object.values(pocket.patterns)[0].hits[0].velocity === 40")
    plays_stops_and_hits(ui, f"the menu of a {where}")


def test_the_rhythm_of_a_record_lies_in_groups_and_its_tempo_is_offered(ui: Ui) -> None:
    ui.bring_in("Quick.wav", wav(drum_loop(bpm=140, bars=4, seed=9).samples))
    ui.button("Open Quick").click()
    ui.station("Chop")
    ui.button("Original rhythm").click()
    ui.wait("Object.keys(pocket.patterns).length === 2")
    assert ui.look("pocket.tempo") == 94
    offer = ui.page.get_by_role("button", name=re.compile("^Play all at 1[34]"))
    expect(offer).to_be_visible()
    first = ui.look("Math.min(...Object.values(pocket.patterns).at(-1).hits.map((h) => h.pad))")
    assert ui.look("gp.useView.getState().page") == first // 16, "the pads show what it plays"
    group = ui.page.get_by_role("button", name=re.compile(r"^Unfold kick, \d+ pads"))
    expect(group).to_be_visible()
    lanes: Any = ui.page.get_by_role("button", name=re.compile("^Play "))
    folded = lanes.count()
    group.click()
    expect(ui.page.get_by_role("button", name=re.compile("^Fold kick"))).to_be_visible()
    assert lanes.count() > folded
    offer.click()
    ui.wait("Math.abs(pocket.tempo - 140) < 0.5")


def test_a_folder_is_opened_and_what_is_there_already_is_told(ui: Ui, tmp_path: Path) -> None:
    folder = tmp_path / "Breaks"
    (folder / "deeper").mkdir(parents=True)
    (folder / "one.wav").write_bytes(wav(drum_loop(bars=1, seed=21).samples))
    (folder / "deeper" / "two.wav").write_bytes(wav(drum_loop(bars=1, seed=22).samples))
    (folder / "notes.txt").write_text("no sound")
    # A folder cannot be dropped by a test; its entries can be handed to what opens them.
    ui.page.evaluate(
        """async (files) => {
          const entry = (name, bytes) => ({ name, isDirectory: false, file: (done) => done(new File([bytes], name)) });
          const dir = (name, some) => ({ name, isDirectory: true, createReader: () => {
            let left = some; return { readEntries: (done) => { const out = left; left = []; done(out); } };
          } });
          const of = (text) => Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
          const deeper = dir("deeper", [entry("two.wav", of(files.two))]);
          const all = dir("Breaks", [entry("one.wav", of(files.one)), entry("notes.txt", new Uint8Array(3)), deeper]);
          const data = { types: ["Files"], items: [{ webkitGetAsEntry: () => all }], files: [], getData: () => "" };
          const house = document.querySelector("[data-testid=pad-grid]").closest("div.grid.h-full");
          const drop = new Event("drop", { bubbles: true, cancelable: true });
          Object.defineProperty(drop, "dataTransfer", { value: data });
          house.dispatchEvent(drop);
        }""",
        {"one": b64(folder / "one.wav"), "two": b64(folder / "deeper" / "two.wav")},
    )
    ui.wait("Object.values(pocket.sources).filter((s) => ['one', 'two'].includes(s.name)).length === 2")
    count = ui.look("Object.keys(pocket.sources).length")
    ui.page.get_by_label("Add audio files").set_input_files(folder / "one.wav")
    expect(ui.page.get_by_text("The very same audio is among the finds, as one", exact=False).first).to_be_visible()
    assert ui.look("Object.keys(pocket.sources).length") == count
    ui.button("Add it all the same").click()
    ui.wait("Object.keys(pocket.sources).length === arg", count + 1)


def b64(path: Path) -> str:
    import base64

    return base64.b64encode(path.read_bytes()).decode()
