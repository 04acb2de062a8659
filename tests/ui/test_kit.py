"""From records to a kit: live cuts, families, lanes, harvest, shelf, the controller."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.files import wav
from tests.signals import RATE, drum_loop
from tests.ui.chopping import bring_in_record, null_total
from tests.ui.conftest import Opener, Ui


@pytest.fixture
def ui(opened: Opener) -> Ui:
    tab = opened()
    bring_in_record(tab, "Dockside break")
    return tab


def test_split_by_drum_has_the_right_lanes_and_cancels(ui: Ui) -> None:
    ui.button("Lay out ▾").click()
    ui.page.get_by_role("menuitem", name="Split by drum").click()
    ui.wait("Object.keys(pocket.patterns).length === 1")
    lanes = ui.look("Object.values(pocket.pads).map((p) => [p.role, p.takes.length + 1])")
    assert [role for role, _ in lanes] == ["kick", "snare", "hat", "perc"]
    assert sum(count for _, count in lanes) == ui.look("pocket.sources.s1.cuts.length")
    assert "It cancels" in null_total(ui)
    ui.button("▶ Hear what is left").click()
    ui.wait("gp.timings.some((m) => m.what === 'preview start')")


def tap_along(ui: Ui, targets: list[int], jitter: list[float]) -> None:
    """Press pads of the controller while the find plays, each when its target is heard, give or take its jitter (ms)."""
    ui.page.evaluate(
        """([targets, jitter]) => new Promise((done) => {
          const gp = window.grainpocket;
          const order = [48, 49, 50, 51, 44, 45, 46, 47, 40, 41, 42, 43, 36, 37, 38, 39];
          let i = 0;
          function look() {
            const place = gp.tapePlayer.place();
            while (i < targets.length && place >= targets[i] + (jitter[i] * 44100) / 1000) {
              const pad = document.querySelector(`[data-note="${order[i]}"]`);
              const box = pad.getBoundingClientRect();
              const at = { bubbles: true, pointerId: 1, button: 0, clientX: box.x + 5, clientY: box.y + 8 };
              pad.setPointerCapture = () => {};
              pad.dispatchEvent(new PointerEvent('pointerdown', at));
              pad.dispatchEvent(new PointerEvent('pointerup', at));
              i++;
            }
            if (i < targets.length) setTimeout(look, 0); else done();
          }
          look();
        })""",
        [targets, jitter],
    )


def test_live_cuts_land_on_the_attacks_that_were_meant(ui: Ui) -> None:
    # Every beat of the loop but the first has a drum on it.
    cuts = [int(at) for at in ui.look("pocket.sources.s1.cuts.map((c) => c.at)")]
    beats = [round(k * 60 / 94.02 * RATE) for k in range(1, 16)]
    meant = [min(cuts, key=lambda at: abs(at - beat)) for beat in beats]
    ui.button("Menu of the page").click()
    ui.page.get_by_role("menuitem", name="Pad controller").click()
    ui.page.keyboard.press("j")
    expect(ui.button("Cut live")).to_have_attribute("aria-pressed", "true")
    ui.button("▶ Play find").click()
    ui.wait("gp.useTape.getState().playing !== null")
    rng = np.random.default_rng(8)
    tap_along(ui, meant, rng.uniform(-20, 20, len(meant)).tolist())
    ui.wait("Object.keys(pocket.pads).length === arg", len(meant))
    starts = [int(at) for at in ui.look("Object.values(pocket.pads).map((p) => p.chop.start)")]
    right = sum(abs(a - b) <= 0.005 * RATE for a, b in zip(starts, meant, strict=True))
    assert right >= 0.95 * len(meant), (starts, meant)
    ends = [int(at) for at in ui.look("Object.values(pocket.pads).map((p) => p.chop.end)")]
    order = np.argsort(starts)
    assert [ends[i] for i in order[:-1]] == [starts[i] for i in order[1:]], "each rings to the next press, over all cuts between"
    ui.page.keyboard.press("Escape")
    ui.wait("gp.useTape.getState().playing === null")
    ui.page.keyboard.press("Control+z")
    ui.wait("Object.keys(pocket.pads).length === arg", len(meant) - 1)


def test_sixteen_pads_change_from_the_mix_to_a_stem_and_back_in_one_step(opened: Opener) -> None:
    loop = drum_loop(bpm=96, bars=2, seed=4)
    ui = opened()
    ui.bring_in_loop(loop)
    ui.bring_in("Stem.wav", wav(loop.samples * np.float32(0.5)))
    stem = ui.look("Object.keys(pocket.sources)[1]")
    ui.live.edit({"type": "join_family", "source": stem, "root": "s1", "offset": 0})
    ui.wait("pocket.sources[arg].kin !== null", stem)
    ui.page.get_by_role("button", name="Open Test loop", exact=True).click()
    ui.station("Chop")
    ui.button("All to pads").click()
    ui.wait("Object.keys(pocket.pads).length >= 16")
    ui.button("Menu of the page").click()
    ui.page.get_by_role("menuitem", name="Choose all its pads").click()
    expect(ui.page.get_by_text("16 pads")).to_be_visible()
    ui.button("Test loop ▾").click()
    ui.page.get_by_role("menuitem", name="Stem").click()
    ui.wait("Object.values(pocket.pads).filter((p) => p.chop.source === arg).length === 16", stem)
    ui.ready()
    before = ui.look("Object.values(pocket.pads)[0].chop.start")
    # A cut moved on the stem moves for both.
    ui.page.get_by_role("button", name="Open Stem", exact=True).click()
    ui.page.locator("tbody tr[data-slice]").nth(1).click()
    ui.page.keyboard.press("Shift+ArrowRight")
    ui.wait("pocket.pads[1].chop.start - arg > 0 && pocket.sources.s1.cuts[1].at === pocket.pads[1].chop.start", before)
    ui.page.keyboard.press("Control+z")
    ui.page.keyboard.press("Control+z")
    ui.wait("Object.values(pocket.pads).every((p) => p.chop.source === 's1')")


def test_a_kit_of_sixteen_from_five_finds_in_under_thirty_actions(opened: Opener) -> None:
    ui = opened()
    for k in range(5):
        loop = drum_loop(bpm=90 + 7 * k, bars=1, seed=20 + k)
        ui.bring_in(f"Loop {k}.wav", wav(loop.samples))
    ui.station("Chop")
    actions = 0

    def act(do: Callable[[], Any]) -> None:
        nonlocal actions
        actions += 1
        do()

    rows = ui.page.locator("tbody tr[data-slice]")
    for k in range(5):
        act(lambda k=k: ui.page.get_by_role("button", name=f"Open Loop {k}", exact=True).click())
        ui.wait(
            "gp.useView.getState().source === arg",
            f"s{ui.look(f'Object.values(pocket.sources).find((s) => s.name === `Loop {k}`).id')[1:]}",
        )
        # Three of each, four of the last.
        act(lambda: rows.nth(0).click())
        act(lambda k=k: rows.nth(2 if k < 4 else 3).click(modifiers=["Shift"]))
        ui.wait("gp.useView.getState().cuts.length === arg", 3 if k < 4 else 4)
        act(lambda: ui.page.keyboard.press("t"))
        ui.wait("pocket.tray.length === arg", 3 * (k + 1) + (k == 4))
    act(lambda: ui.page.get_by_role("tab", name="Tray").click())
    act(lambda: ui.button("Tray to pads").click())
    ui.wait("Object.keys(pocket.pads).length === 16")
    assert actions < 30
    names = ui.look("Object.values(pocket.pads).map((p) => p.called)")
    assert len(set(names)) == 16, "no two of the kit are called the same"
    assert all(re.fullmatch(r"(Kick|Snare|Ghost|Hat) \d+", name) for name in names)
    assert len(set(ui.look("Object.values(pocket.pads).map((p) => p.chop.source)"))) == 5
    roles = ui.look("Object.values(pocket.pads).map((p) => p.role)")
    assert roles == ui.look(
        "Object.values(pocket.pads).map((p) => pocket.sources[p.chop.source].cuts.find((c) => c.id === p.chop.cut).role)"
    )
    ui.ready()


def test_what_sounds_alike_is_found_and_stepped_through(ui: Ui) -> None:
    # More than two pages are said first.
    ui.button("All to pads ▾").click()
    ui.page.get_by_role("menuitem", name=re.compile(r"^All \d+: 3 pages")).click()
    ui.wait("Object.keys(pocket.pads).length > 16")
    snare = ui.look("pocket.sources.s1.cuts.findIndex((c) => c.role === 'snare')")
    ui.page.locator("tbody tr[data-slice]").nth(snare).click()
    ui.page.get_by_role("tab", name="All finds").click()
    ui.button("Sounds like this").click()
    found = ui.page.get_by_role("listbox", name="Slices found").get_by_role("option")
    expect(found.first).to_contain_text("◆")
    found.first.click()
    ui.wait("gp.timings.some((m) => m.what === 'slice start')")
    ui.page.get_by_role("toolbar", name="Roles to find").get_by_role("button", name="hat").click()
    expect(found.first).to_contain_text("▲")
    # Step a pad to what sounds like it, and to the next slice, and back.
    ui.page.locator(f"[data-pad='{min(snare, 15)}']").click()
    pad = ui.look("gp.useView.getState().pads[0]")
    was = ui.look("pocket.pads[arg].chop.cut", pad)
    ui.page.keyboard.press("u")
    ui.wait("pocket.pads[arg[0]].chop.cut !== arg[1]", [pad, was])
    ui.page.keyboard.press("Shift+U")
    ui.wait("pocket.pads[arg[0]].chop.cut === arg[1]", [pad, was])
    ui.page.keyboard.press("y")
    ui.wait("pocket.pads[arg[0]].chop.start > 0 && pocket.pads[arg[0]].chop.cut !== arg[1]", [pad, was])


def test_a_favourite_goes_from_one_pocket_to_another(ui: Ui, opened: Opener) -> None:
    ui.page.locator("tbody tr[data-slice]").nth(0).click()
    ui.page.keyboard.press("p")
    ui.wait("Object.keys(pocket.pads).length === 1")
    ui.page.locator("[data-pad='0']").click()
    name = ui.look("pocket.pads[0].called")
    ui.button("Save to shelf").click()
    expect(ui.page.get_by_text("is on the shelf").first).to_be_visible()
    other = opened()
    other.page.get_by_role("button", name="Shelf").click()
    other.page.get_by_role("button", name=f"{name} to a pad").first.click()
    other.wait("Object.keys(pocket.pads).length === 1")
    made = other.look("Object.values(pocket.sources)[0]")
    assert made["origin"]["taken"]["record"] == "Dockside break"
    assert made["origin"]["taken"]["start"] == ui.look("pocket.pads[0].chop.start")
    other.ready()


def test_pages_layers_locks_and_copies(ui: Ui) -> None:
    for i in (0, 2):
        ui.page.locator("tbody tr[data-slice]").nth(i).click()
        ui.page.keyboard.press("p")
    ui.wait("Object.keys(pocket.pads).length === 2")
    ui.page.locator("[data-pad='1']").click()
    ui.button("Lock").click()
    ui.wait("pocket.pads[1].locked")
    ui.page.locator("tbody tr[data-slice]").nth(4).click()
    ui.page.keyboard.press("t")
    ui.page.get_by_role("tab", name="Tray").click()
    ui.page.locator("[data-pad='0']").click()
    ui.button("Layer on chosen pads").click()
    ui.wait("pocket.pads[0].layers.length === 1")
    ui.page.get_by_role("tab", name="Slices", exact=True).click()
    ui.page.locator("tbody tr[data-slice]").nth(6).click()
    ui.button("Lay out ▾").click()
    ui.page.get_by_role("menuitem", name="Layer chosen slices").click()
    ui.wait("pocket.pads[0].layers.length === 2")
    level = ui.page.get_by_role("spinbutton", name="Level of the layer").first
    level.focus()
    level.press("ArrowDown")
    ui.wait("pocket.pads[0].layers[0].sound.level === -0.5")
    ui.button("Menu of the page").click()
    ui.page.get_by_role("menuitem", name="Copy as a kit of its own").click()
    ui.wait("Object.keys(pocket.pads).length === 4 && gp.useView.getState().page === 1")
    ui.button("Menu of the page").click()
    ui.page.get_by_role("menuitem", name="Name this page").click()
    field = ui.page.get_by_role("textbox", name="Name of the page")
    field.fill("Second kit")
    field.press("Enter")
    ui.wait("pocket.pages[1] === 'Second kit'")
    ui.ready()


def test_the_table_sorts_filters_and_trims(ui: Ui) -> None:
    rows = ui.page.locator("tbody tr[data-slice]")
    expect(rows.first.locator("td").nth(7)).to_contain_text("dB", timeout=30_000)
    ui.page.get_by_role("button", name="length").click()
    cuts = ui.look("pocket.sources.s1.cuts.map((c) => c.at)")
    lengths = np.diff([*cuts, ui.look("pocket.sources.s1.frames")])
    shortest = int(lengths.argmin()) + 1
    expect(rows.first.locator("td").first).to_have_text(str(shortest))
    ui.page.get_by_role("toolbar", name="Show roles").get_by_role("button", name="kick").click()
    for i in range(3):
        expect(rows.nth(i).locator("td").nth(4)).to_contain_text("kick")
    # The keys step through what is listed.
    ui.page.locator("[data-wave]:visible").focus()
    ui.page.keyboard.press(".")
    chosen = ui.look("gp.useView.getState().cuts[0]")
    assert ui.look("pocket.sources.s1.cuts.find((c) => c.id === arg).role", chosen) == "kick"
    place = ui.look("pocket.sources.s1.cuts.findIndex((c) => c.id === arg)", chosen)
    if place + 1 < ui.look("pocket.sources.s1.cuts.length"):
        end = ui.look("pocket.sources.s1.cuts[arg].at", place + 1)
        ui.button("End earlier").click()
        ui.wait("pocket.sources.s1.cuts[arg[0]].at === arg[1]", [place + 1, end - 44])


def test_what_was_asked_of_the_table_outlives_a_change_of_panel_and_a_reload(ui: Ui) -> None:
    ui.page.get_by_role("toolbar", name="Show roles").get_by_role("button", name="snare").click()
    rows = ui.page.locator("tbody tr[data-slice]")
    expect(rows.first.locator("td").nth(4)).to_contain_text("snare")
    ui.page.get_by_role("tab", name="All finds").click()
    ui.page.get_by_role("textbox", name="Search by name").fill("snare 2")
    found = ui.page.get_by_role("listbox", name="Slices found").get_by_role("option")
    expect(found).to_have_count(1)
    ui.button("Keep my cuts").click()
    for _ in range(2):
        ui.page.get_by_role("tab", name="Slices", exact=True).click()
        expect(rows.first.locator("td").nth(4)).to_contain_text("snare")
        expect(ui.button("Keep my cuts")).to_have_attribute("aria-pressed", "false")
        ui.page.get_by_role("tab", name="All finds").click()
        expect(ui.page.get_by_role("textbox", name="Search by name")).to_have_value("snare 2")
        expect(found).to_have_count(1)
        ui.page.reload()


def test_repeats_of_a_bar_are_found_and_looped(opened: Opener) -> None:
    bar = drum_loop(bpm=120, bars=1, seed=6).samples
    other = drum_loop(bpm=120, bars=1, seed=60).samples
    ui = opened()
    ui.bring_in("Song.wav", wav(np.concatenate([bar, bar, other, bar, other])))
    ui.page.get_by_role("button", name="Open Song", exact=True).click()
    ui.live.edit({"type": "set_grid", "source": "s1", "bars": 5})
    ui.wait("pocket.sources.s1.grid?.bars === 5")
    ui.station("Chop")
    ui.page.get_by_role("tab", name="Repeats and null").click()
    ui.look("gp.useView.getState().look({selection: {source: 's1', start: 0, end: arg}})", len(bar))
    ui.button("Find repeats").click()
    found = ui.page.get_by_role("listbox", name="Repeats found").get_by_role("option")
    expect(found).to_have_count(2)
    expect(found.first).to_contain_text("the same")
    ui.button("Repeat it").click()
    ui.wait("Object.values(pocket.patterns).length === 1")
    assert ui.look("Object.values(pocket.patterns)[0].hits.map((h) => h.beat)") == [0, 4, 8, 12]
    # The third bar of the record is another one: there it cannot cancel.
    expect(ui.page.get_by_test_id("null-total")).to_contain_text("It does not cancel")
    bars = ui.page.get_by_role("list", name="What is left of each bar").get_by_role("listitem")
    expect(bars.nth(1)).to_contain_text("dB")
    left = re.search(r"([-\u2212]?[\d.]+) dB", bars.nth(2).text_content() or "")
    assert left
    assert float(left[1].replace("\u2212", "-")) > -30


def test_the_controller_plays_by_note_and_velocity(ui: Ui) -> None:
    ui.page.locator("tbody tr[data-slice]").nth(0).click()
    ui.page.keyboard.press("p")
    ui.wait("Object.keys(pocket.pads).length === 1")
    ui.ready()
    ui.button("Menu of the page").click()
    ui.page.get_by_role("menuitem", name="Pad controller").click()
    box = ui.page.locator("[data-note='48']").bounding_box()
    assert box
    ui.page.mouse.click(box["x"] + 10, box["y"] + box["height"] * 0.75)
    ui.wait("gp.timings.some((m) => m.what === 'voice start')")
    expect(ui.page.get_by_text("note 48, velocity 3")).to_be_visible()
    expect(ui.page.locator("[data-pad='0']")).to_have_attribute("aria-pressed", "true")


def test_a_stem_that_comes_in_is_offered_to_its_mix(opened: Opener) -> None:
    loop = drum_loop(bpm=96, bars=2, seed=4)
    rng = np.random.default_rng(3)
    bass = np.repeat((0.06 * np.sin(2 * np.pi * 60 * np.arange(len(loop.samples)) / RATE))[:, None], 2, axis=1)
    ui = opened()
    ui.bring_in("Song.wav", wav(np.asarray(0.5 * loop.samples + bass, np.float32)))
    ui.bring_in("Hiss.wav", wav(np.asarray(0.1 * rng.standard_normal(loop.samples.shape), np.float32)))
    ui.bring_in("Drums.wav", wav(np.asarray(0.5 * loop.samples, np.float32)))
    expect(ui.page.get_by_text("Drums is in Song", exact=True)).to_be_visible()
    ui.button("Join them").click()
    ui.wait("Object.values(pocket.sources).find((s) => s.name === 'Drums').kin?.offset === 0")
    root = ui.look("Object.values(pocket.sources).find((s) => s.name === 'Drums').kin.root")
    assert ui.look("pocket.sources[arg].name", root) == "Song"
