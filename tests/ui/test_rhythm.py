"""Rhythm under the hands: lanes, takes, feel, chosen hits, patterns that take over, chords."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.signals import RATE
from tests.ui.conftest import Ui
from tests.ui.sound import exported
from tests.ui.steps import HITS, STEP, TEMPO, P, heard, number, onsets, pick, put, rhythm, spot, tools

__all__ = ["rhythm"]


def test_lanes_at_their_own_rate_with_steps_left_out(rhythm: Ui) -> None:
    ui = rhythm
    ui.page.mouse.click(*spot(ui, 1, 0))
    ui.wait(f"{HITS}.length === 1")
    tools(ui, "Lane")
    pick(ui, "16ths ▾", "8th triplets")
    number(ui, "Length of the lane", 5)
    ui.wait(f"{P}.lanes[1]?.steps === 5 && Math.abs({P}.lanes[1].step - 1 / 3) < 1e-9")
    ui.page.mouse.click(*spot(ui, 1, 2 / 3), button="right")
    ui.page.get_by_role("menuitem", name="Leave this step out").click()
    ui.wait(f"{P}.lanes[1].skipped.join() === '2'")
    # Four steps of a third are left: it comes every four thirds, six times in eight beats.
    ui.wait("gp.loopPlayer.loop().hits.length === 12")
    beat = 4 * STEP
    assert [place for place, _ in heard(ui)] == pytest.approx([k * 4 / 3 * beat for k in range(6)], abs=1)
    sound = exported(ui)
    assert (onsets(sound, [k * 4 / 3 * beat for k in range(1, 6)]) > 12).all()
    # Muted it is silent; the space bar still plays.
    ui.button(ui.look("'Mute ' + pocket.pads[1].called")).click()
    ui.wait("gp.loopPlayer.loop().hits.length === 0")
    ui.page.keyboard.press("Space")
    ui.wait("gp.useLoop.getState().playing")
    ui.page.keyboard.press("Control+z")
    ui.wait("gp.loopPlayer.loop().hits.length === 12")
    # What does not come each time makes the loop as long as it needs.
    ui.page.mouse.click(*spot(ui, 0, 0))
    ui.wait(f"{HITS}.length === 2")
    ui.page.mouse.click(*spot(ui, 0, 0), button="right")
    ui.page.get_by_role("menuitem", name="Comes every 4th time").click()
    ui.wait("gp.loopPlayer.loop().passes === 4")
    assert [place for place, pad in heard(ui) if pad == 0] == pytest.approx([24 * beat], abs=2)
    ui.button("Write lanes out").click()
    ui.wait(f"{P}.bars === 8 && Object.keys({P}.lanes).length <= 1")
    assert ui.errors == []


def play_along(ui: Ui, beats: list[float], jitter_ms: list[float], pads: list[int]) -> list[float]:
    """Press pads of the controller while the loop plays, each when its beat is heard, give or take its jitter: where it was."""
    told = ui.page.evaluate(
        """([beats, jitter, pads]) => new Promise((done) => {
          const gp = window.grainpocket;
          const order = [48, 49, 50, 51, 44, 45, 46, 47];
          const loop = gp.loopPlayer.loop();
          const per = (60 / loop.tempo) * loop.rate;
          const told = [];
          let i = 0, rounds = 0, last = 0;
          function look() {
            const place = gp.loopPlayer.place();
            if (place < last - loop.length / 2) rounds++;
            last = place;
            while (i < beats.length && rounds * loop.length + place >= beats[i] * per + (jitter[i] * loop.rate) / 1000) {
              const pad = document.querySelector(`[data-note="${order[pads[i]]}"]`);
              const box = pad.getBoundingClientRect();
              const at = { bubbles: true, pointerId: 1, button: 0, clientX: box.x + 5, clientY: box.y + 8 };
              pad.setPointerCapture = () => {};
              // Where the hand really was: a busy page may be late with it.
              told.push((rounds * loop.length + gp.loopPlayer.place()) / per);
              pad.dispatchEvent(new PointerEvent('pointerdown', at));
              pad.dispatchEvent(new PointerEvent('pointerup', at));
              i++;
            }
            if (i < beats.length) setTimeout(look, 0); else done(told);
          }
          look();
        })""",
        [beats, jitter_ms, pads],
    )
    return list(told)


def test_what_the_hands_play_is_recorded_where_they_played_it(rhythm: Ui) -> None:
    """64 hits with known jitter from the stand-in controller; half of it goes with a quantise of one half; takes are kept."""
    ui = rhythm
    ui.button("Menu of the page").click()
    ui.page.get_by_role("menuitem", name="Pad controller").click()
    tools(ui, "Takes")
    number(ui, "Input delay", 20)
    ui.page.keyboard.press("F9")
    ui.wait("gp.useLoop.getState().playing")
    rng = np.random.default_rng(3)
    # The hand is late by what the delay takes off, and strays round it.
    late = (rng.uniform(-22, 22, 64) + 20).tolist()
    truth = play_along(ui, [0.25 + k * 0.12 for k in range(64)], late, [k % 4 for k in range(64)])
    ui.page.keyboard.press("F9")
    ui.wait(f"{HITS}.length === 64 && {P}.recordings.length === 1")
    ms = 60_000 / TEMPO
    hits = sorted(ui.look(HITS), key=lambda hit: hit["beat"])
    got = np.array([hit["beat"] for hit in hits])
    off = np.abs(got - np.sort(np.array(truth) - 20 / ms)) * ms
    assert np.percentile(off, 95) < 5, off.max()
    # Half of the way to the 32nds: half as far off.
    tools(ui, "Quantise")
    pick(ui, "16ths ▾", "32nds")
    number(ui, "Strength of quantise", 50)
    lines = lambda beats: np.abs(beats - np.rint(beats * 8) / 8)  # noqa: E731
    ui.button("Quantise").click()
    ui.wait(f"{HITS}[5].beat !== arg", hits[5]["beat"])
    after = np.array(sorted(ui.look(f"{HITS}.map(h => h.beat)")))
    assert lines(after).mean() == pytest.approx(lines(got).mean() / 2, rel=0.05)
    # The take is put away and comes back, quantised as it was.
    tools(ui, "Takes")
    ui.button("Take 1").click()
    ui.wait(f"{HITS}.length === 0")
    ui.button("Take 1").click()
    ui.wait(f"{HITS}.length === 64")
    assert sorted(ui.look(f"{HITS}.map(h => h.beat)")) == after.tolist()
    # Nothing armed, and still it can be kept.
    ui.page.keyboard.press("Shift")
    ui.page.keyboard.down("1")
    ui.page.keyboard.up("1")
    ui.button("Keep what I just played, 1 hit").click()
    ui.wait(f"{P}.recordings.length === 2")


def test_a_feel_is_lifted_from_a_record_and_laid_over_straight_hits(rhythm: Ui) -> None:
    ui = rhythm
    put(ui, *({"pad": 2, "beat": k / 4, "velocity": 100} for k in range(32)))
    ui.page.get_by_role("button", name="Open Dockside break", exact=True).click()
    tools(ui, "Feel")
    pick(ui, "Feel: none", "Lift it from Dockside break")
    ui.wait(f"{P}.feel !== null && Object.keys(pocket.feels).length === 1")
    ui.wait("gp.loopPlayer.loop().hits.length === 64")
    feel = ui.look("Object.values(pocket.feels)[0]")
    places = [place for place, _ in heard(ui)]
    wanted = [(k / 4 + feel["offsets"][k]) * 4 * STEP for k in range(32)]
    assert places == pytest.approx(wanted, abs=1)
    # Those of the record's own cuts, within 2 ms.
    source = ui.look("Object.values(pocket.sources)[0]")
    cuts = np.array([cut["at"] for cut in source["cuts"]]) - source["grid"]["bar_one"]
    near = [np.abs(cuts - place).min() for place in places]
    assert sum(off < 0.002 * RATE for off in near) >= 0.5 * len(near), "where the record strikes, there it lies"
    number(ui, "Timing of the feel", 0)
    ui.wait(f"{P}.feel.place === 0")
    ui.wait("gp.loopPlayer.loop().hits[2] === arg", round(STEP))
    number(ui, "Timing of the feel", 100)
    ui.wait("gp.loopPlayer.loop().hits[2] === arg", places[1])
    sound = exported(ui)
    assert (onsets(sound, places[1::4]) > 3).mean() > 0.8
    ui.button("Write in").click()
    ui.wait(f"{P}.feel === null && {HITS}[1].beat !== 0.25")
    ui.wait("gp.loopPlayer.loop().hits[2] === arg", places[1])
    ui.page.keyboard.press("Space")
    ui.wait("gp.useLoop.getState().playing")


def test_chosen_hits_are_moved_copied_and_swept(rhythm: Ui) -> None:
    ui = rhythm
    put(ui, *({"pad": pad, "beat": beat, "velocity": 100} for pad, beat in ((0, 0), (1, 1), (0, 2), (2, 3))))
    # A box round the first two beats; nothing is painted on the way.
    x0, y0 = spot(ui, 0, 0.5)
    x1, y1 = spot(ui, 1, 1.5)
    ui.page.keyboard.down("Shift")
    ui.page.mouse.move(x0, y0 - 6)
    ui.page.mouse.down()
    ui.page.mouse.move(x1, y1, steps=4)
    ui.page.mouse.up()
    ui.page.keyboard.up("Shift")
    ui.wait("gp.useView.getState().hits.length === 1")
    ui.page.keyboard.press("Control+a")
    ui.wait("gp.useView.getState().hits.length === 4")
    ui.page.keyboard.press("Alt+ArrowRight")
    ui.wait(f"{HITS}.map(h => h.beat).join() === '0.25,1.25,2.25,3.25'")
    ui.page.keyboard.press("Shift+ArrowDown")
    ui.wait(f"{HITS}.every(h => h.velocity === 92)")
    ui.page.keyboard.press("Control+d")
    ui.wait(f"{HITS}.length === 8 && {HITS}.some(h => h.beat === 7.25)")
    ui.page.keyboard.press("Alt+Shift+ArrowLeft")
    ui.wait(f"{HITS}.some(h => h.beat === 1.75)")
    ui.page.keyboard.press("Control+z")
    ui.page.keyboard.press("Control+z")
    ui.wait(f"{HITS}.length === 4")
    ui.page.keyboard.press("Escape")
    ui.wait("gp.useView.getState().hits.length === 0")
    # A hit is moved sideways by the hand, whole steps.
    x, y = spot(ui, 0, 0.25)
    ui.page.mouse.move(x, y)
    ui.page.mouse.down()
    ui.page.mouse.move(x + 40, y, steps=3)
    ui.page.mouse.move(spot(ui, 0, 1)[0], y, steps=3)
    ui.page.mouse.up()
    ui.wait(f"{HITS}.some(h => h.pad === 0 && h.beat === 1)")
    # Velocities drawn in one sweep, from soft to hard.
    ui.page.get_by_role("button", name=ui.look("'Play ' + pocket.pads[0].called")).click()
    box = ui.page.get_by_test_id("velocities").bounding_box()
    assert box is not None
    ui.page.mouse.move(box["x"] + 2, box["y"] + 40)
    ui.page.mouse.down()
    ui.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 4, steps=2)
    ui.page.mouse.up()
    ui.wait(f"{HITS}.filter(h => h.pad === 0 && h.velocity !== 92).length === 2")
    first, second = ui.look(f"{HITS}.filter(h => h.pad === 0).map(h => h.velocity)")
    assert first < second - 20
    ui.page.keyboard.press("Space")
    ui.wait("gp.useLoop.getState().playing")


def test_another_pattern_comes_at_the_next_bar_and_a_part_goes_round(rhythm: Ui) -> None:
    ui = rhythm
    put(ui, {"pad": 0, "beat": 0, "velocity": 127})
    ui.page.get_by_role("button", name="Patterns ▾").click()
    ui.page.get_by_role("menuitem", name="Variant that goes along").click()
    ui.wait(f"{P}.variant_of !== null")
    variant, first = ui.look(f"[{P}.id, {P}.variant_of]")
    # A change of the original is one of the variant too, until it goes its own way.
    ui.live.edit({"type": "put_hits", "pattern": first, "hits": [{"pad": 1, "beat": 4}]})
    ui.wait(f"{HITS}.length === 2")
    put(ui, {"pad": 3, "beat": 0.5})
    assert ui.look("pocket.patterns[arg].hits.length", first) == 2
    ui.wait("gp.loopPlayer.loop().hits.length === 6")
    ui.page.keyboard.press("Space")
    ui.wait("gp.loopPlayer.place() > 2000")
    ui.page.get_by_role("button", name="Patterns ▾").click()
    ui.page.get_by_role("menuitem", name="P", exact=True).click()
    # Until the bar ends, what was heard goes on; then the other one, from its beginning.
    ui.wait("gp.useLoop.getState().next === arg", first)
    assert ui.look("gp.loopPlayer.loop().pattern") == variant
    ui.wait("gp.loopPlayer.loop().pattern === arg && gp.useLoop.getState().next === null", first)
    assert ui.look("gp.loopPlayer.place()") < 2 * 4 * STEP
    # The second bar alone, by a drag on the bars.
    grid = ui.grid()
    ui.page.mouse.move(grid["x"] + grid["width"] * 0.52, grid["y"] + 8)
    ui.page.mouse.down()
    ui.page.mouse.move(grid["x"] + grid["width"] * 0.98, grid["y"] + 8, steps=3)
    ui.page.mouse.up()
    ui.wait("gp.useLoop.getState().part?.join() === '4,8'")
    ui.wait("gp.loopPlayer.place() >= arg", 4 * 4 * STEP - 10)
    ui.wait("gp.loopPlayer.place() > arg", 7 * 4 * STEP)
    ui.wait("gp.loopPlayer.place() < arg && gp.loopPlayer.place() >= arg * 2 / 3 - 10", 6 * 4 * STEP)
    ui.button("All of it").click()
    ui.wait("gp.useLoop.getState().part === null")
    ui.page.keyboard.press("Space")
    ui.wait("!gp.useLoop.getState().playing")


def test_chords_are_written_put_broken_up_and_followed(rhythm: Ui) -> None:
    ui = rhythm
    hum = ui.borrow("Marlo hum")
    tone = {"start": 2000, "end": 2000 + RATE, "name": "Hum", "role": "tonal"}
    ui.live.edit({"type": "stretches_to_pads", "source": hum, "stretches": [tone], "first": 8})
    ui.wait("pocket.pads[8]")
    ui.page.locator("[data-pad='8']").click()
    tools(ui, "Chords")
    line = ui.page.get_by_label("Chords of the pattern")
    line.fill("Dm | Bb")
    line.press("Enter")
    ui.wait(f"{P}.chords.length === 2")
    tools(ui, "Melody")
    ui.button("Rows of Hum").click()
    ui.button("Put chords").click()
    ui.page.mouse.click(*spot(ui, 8, 0))
    ui.wait(f"{HITS}.length === 3")
    root = ui.look("pocket.pads[8].sound.root ?? 60")
    classes = lambda: sorted((round(root) + hit["note"]) % 12 for hit in ui.look(HITS) if hit["beat"] < 4)  # noqa: E731
    assert classes() == [2, 5, 9]
    assert all(hit["length"] == 4 for hit in ui.look(HITS))
    tools(ui, "Chords")
    ui.button("Notes follow").click()
    line.fill("C | Bb")
    line.press("Enter")
    ui.wait(f"{P}.chords[0].tonic === 0")
    assert classes() == [0, 4, 7]
    tools(ui, "Melody")
    pick(ui, "Arpeggio ▾", "up, 8ths")
    ui.wait(f"{HITS}.length === 8")
    assert [hit["beat"] for hit in ui.look(HITS)] == [k / 2 for k in range(8)]
    notes = [hit["note"] for hit in ui.look(HITS)]
    assert notes[:3] == sorted(set(notes))
    tools(ui, "Chords")
    ui.button("Does Hum fit?").click()
    expect(ui.page.get_by_role("cell", name="bar 1")).to_be_visible()
    ui.page.keyboard.press("Escape")
    ui.wait("gp.loopPlayer.loop().hits.length === 16")
    assert np.abs(exported(ui)).max() > 0.05


def test_a_setting_moved_while_it_is_recorded_goes_into_the_hits_that_pass(rhythm: Ui) -> None:
    ui = rhythm
    put(ui, *({"pad": 0, "beat": k / 4, "velocity": 100} for k in range(32)))
    ui.page.locator("[data-pad='0']").click()
    ui.page.keyboard.press("F9")
    ui.wait("gp.useLoop.getState().playing && gp.loopPlayer.place() > 2000")
    level = ui.page.get_by_test_id("pad-settings").get_by_role("spinbutton", name="Level", exact=True)
    level.fill("-12")
    level.press("Enter")
    ui.wait(f"{HITS}.some(h => h.own.level === -12)")
    assert not ui.look(f"{HITS}.every(h => h.own.level === -12)"), "what had passed before stays as it was"
    assert ui.look("pocket.pads[0].sound.level ?? 0") == 0, "the pad itself was not moved"
    ui.page.keyboard.press("F9")
    ui.page.keyboard.press("Space")
    ui.wait("!gp.useLoop.getState().playing")


def test_a_loop_that_is_dropped_on_a_pad_fits_itself(rhythm: Ui) -> None:
    ui = rhythm
    find = ui.look("Object.keys(pocket.sources)[0]")
    ui.page.drag_and_drop(f"[data-find='{find}'] > button", "[data-pad='12']")
    ui.wait("pocket.pads[12]?.sound.time === 'fit'")
    assert ui.look("pocket.pads[12].sound.beats") == 16
    # Its hit is as long as its bars.
    ui.page.mouse.click(*spot(ui, 12, 0))
    ui.wait(f"{HITS}.length === 1 && {HITS}[0].length === 16")
