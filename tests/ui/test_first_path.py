"""The whole path in the browser: a loop in, its hits cut, its rhythm on the pads, played, changed, exported."""

from __future__ import annotations

import base64
import itertools

import numpy as np
import pytest
from playwright.sync_api import Route, expect

from tests.signals import RATE, drum_loop
from tests.ui.conftest import Opener
from tests.ui.sound import BYTES, exported, floats


def residue_db(a: np.ndarray, b: np.ndarray) -> float:
    return float(10 * np.log10(((a - b) ** 2).sum() / (b**2).sum() + 1e-20))


def test_a_loop_comes_in_and_goes_out_again(opened: Opener) -> None:
    ui = opened()
    loop = drum_loop(bpm=101.7, bars=2, seed=21)
    ui.bring_in_loop(loop)
    cuts = np.array(ui.look("pocket.sources.s1.cuts.map((cut) => cut.at)"))
    assert len(cuts) == len(loop.at)
    assert np.abs(cuts - loop.at).max() < 0.005 * RATE
    ui.station("Chop")
    expect(ui.page.get_by_test_id("slice-count")).to_have_text(f"{len(loop.at)} slices")

    ui.button("Original rhythm").click()
    ui.wait("gp.loopPlayer.loop() !== null && Object.keys(pocket.pads).length > 0")
    ui.page.keyboard.press("Shift+Space")
    ui.wait("gp.loopPlayer.place() > 3000")
    out = exported(ui)
    assert residue_db(out, loop.samples) < -60
    scheduled = floats(ui, "gp.loopPlayer.scheduled()")
    assert np.abs(out - scheduled).max() <= 0.51 / 8388607
    assert np.array_equal(exported(ui), out)

    # Now change it while it plays: the loop goes on, and what is scheduled is again what is exported.
    before = ui.look("gp.loopPlayer.loop().segments.map(({key}) => key)")
    box = ui.grid()
    ui.page.mouse.click(box["x"] + 3, box["y"] + box["height"] - 8)
    ui.wait("gp.loopPlayer.loop().segments.some(({key}, i) => key !== arg[i])", before)
    assert ui.look("gp.loopPlayer.place()") > 0
    changed = exported(ui)
    assert residue_db(changed, loop.samples) > -40
    assert np.abs(changed - floats(ui, "gp.loopPlayer.scheduled()")).max() <= 0.51 / 8388607


def test_what_the_worklet_sounds_is_what_was_scheduled(opened: Opener) -> None:
    """The player itself, rendered by the browser's own engine: gapless, and swapped at the same place without a click."""
    ui = opened(demo=True)
    ui.wait("gp.loopPlayer.loop() !== null")
    rendered = ui.page.evaluate(
        """async () => {
          const gp = window.grainpocket;
          // As it is now: voices that come later are added to the player's own.
          const [left, right] = gp.loopPlayer.scheduled().map(side => side.slice());
          const length = left.length, seconds = (2 * length + 40000) / 44100, swapAt = Math.floor((length * 0.4) / 128) * 128;
          const context = new OfflineAudioContext(2, Math.round(seconds * 44100), 44100);
          await context.audioWorklet.addModule(gp.loopWorkletUrl);
          const node = new AudioWorkletNode(context, "grain-loop", {numberOfInputs: 0, outputChannelCount: [2]});
          node.connect(context.destination);
          const other = left.map((x, i) => 0.5 * x + 0.01 * Math.sin(i / 9));
          context.suspend(0).then(() => {
            node.port.postMessage({type: "load", left: left.slice(), right: right.slice(), scale: 1});
            node.port.postMessage({type: "start", place: 0});
            setTimeout(() => context.resume(), 150);
          });
          context.suspend(swapAt / 44100).then(() => {
            node.port.postMessage({type: "patch", patches: [{start: 0, left: other.slice(), right: right.slice()}]});
            setTimeout(() => context.resume(), 150);
          });
          const out = await context.startRendering();
          window.rendered = {out: [out.getChannelData(0), out.getChannelData(1)], was: [left, other]};
          return {length, swapAt};
        }"""
    )
    length, swap = rendered["length"], rendered["swapAt"]
    both = BYTES.replace("%s", "window.rendered.%s")
    sides = {name: [np.frombuffer(base64.b64decode(text), "<f4") for text in ui.look(both % name)] for name in ("out", "was")}
    out, old, new = sides["out"][0], *sides["was"]
    start = int(np.argmax(np.abs(out) > 0)) - int(np.argmax(np.abs(old) > 0))
    assert 0 <= start <= 512, "starts within a few blocks"
    body = out[start:]
    at = swap - start
    np.testing.assert_array_equal(body[:at], old[:at])
    fade = 256 + 128
    endless = np.tile(new, 3)
    np.testing.assert_allclose(body[at + fade : 2 * length], endless[at + fade : 2 * length], atol=1e-7)
    own = max(np.abs(np.diff(old)).max(), np.abs(np.diff(endless)).max())
    assert np.abs(np.diff(body[at - 10 : at + fade + 10])).max() <= own


def test_shift_space_plays_the_pattern_whatever_button_has_the_focus(opened: Opener) -> None:
    ui = opened(demo=True)
    ui.wait("gp.loopPlayer.loop() !== null")
    ui.station("Chop")
    before = ui.look("Object.keys(pocket.patterns).length")
    ui.reach(ui.button("Original rhythm"))
    ui.page.keyboard.press("Shift+Space")
    ui.wait("gp.loopPlayer.place() > 3000")
    ui.page.keyboard.press("Shift+Space")
    ui.wait("gp.loopPlayer.place() === 0")
    expect(ui.button("Original rhythm")).to_be_focused()
    assert ui.look("Object.keys(pocket.patterns).length") == before, "the button itself was not pressed"


def test_the_loop_follows_tempo_and_swing_without_stopping(opened: Opener) -> None:
    ui = opened()
    ui.bring_in_loop(drum_loop())
    ui.station("Chop")
    ui.button("Original rhythm").click()
    ui.wait("gp.loopPlayer.loop() !== null")
    ui.page.get_by_test_id("play").click()
    ui.wait("gp.loopPlayer.place() > 2000")
    length = ui.look("gp.loopPlayer.loop().length")
    tempo = ui.page.get_by_role("spinbutton", name="Tempo", exact=True)
    tempo.click()
    tempo.fill("120")
    tempo.press("Enter")
    ui.wait("gp.loopPlayer.loop().tempo === 120")
    assert ui.look("gp.loopPlayer.loop().length") == 2 * 4 * RATE // 2 != length
    expect(ui.page.get_by_test_id("play")).to_have_attribute("aria-label", "Stop the pattern")
    expect(ui.page.get_by_test_id("position")).not_to_have_text("1 · 1 · 1")
    ui.page.keyboard.press("Shift+Space")
    expect(ui.page.get_by_test_id("play")).to_have_attribute("aria-label", "Play the pattern")


def test_steps_by_hand(opened: Opener) -> None:
    ui = opened()
    ui.bring_in_loop(drum_loop())
    ui.station("Chop")
    ui.button("All to pads").click()
    ui.wait("Object.keys(pocket.pads).length > 16")
    ui.station("Rhythm")
    ui.button("New pattern").click()
    ui.wait("Object.keys(pocket.patterns).length === 1")
    lanes = 16
    ui.page.get_by_role("button", name="Page before").click() if ui.look("gp.useView.getState().page") else None
    box = ui.grid()
    row, step = (box["height"] - 16) / lanes, box["width"] / 32

    def spot(lane: int, at: int) -> tuple[float, float]:
        return box["x"] + (at + 0.4) * step, box["y"] + 16 + (lane + 0.7) * row

    ui.page.mouse.click(*spot(2, 5))
    ui.wait("Object.values(pocket.patterns)[0].hits.length === 1")
    hit = ui.look("Object.values(pocket.patterns)[0].hits[0]")
    assert (hit["pad"], hit["beat"]) == (2, 1.25)
    # Painting along a lane is one step of undo.
    ui.page.mouse.move(*spot(0, 8))
    ui.page.mouse.down()
    for at in range(9, 13):
        ui.page.mouse.move(*spot(0, at))
    ui.page.mouse.up()
    ui.wait("Object.values(pocket.patterns)[0].hits.length === 6")
    ui.page.keyboard.press("Control+z")
    ui.wait("Object.values(pocket.patterns)[0].hits.length === 1")
    # Up for louder, down for softer.
    x, y = spot(2, 5)
    ui.page.mouse.move(x, y)
    ui.page.mouse.down()
    for up in range(1, 14):
        ui.page.mouse.move(x, y + 2 * up)
    ui.page.mouse.up()
    ui.wait("Object.values(pocket.patterns)[0].hits[0].velocity < 75")
    ui.page.mouse.click(*spot(2, 5))
    ui.wait("Object.values(pocket.patterns)[0].hits.length === 0")
    # The same from the keyboard.
    ui.page.get_by_test_id("pattern-grid").focus()
    for key in ("Home", "ArrowDown", "ArrowRight", "ArrowRight", "Enter"):
        ui.page.keyboard.press(key)
    ui.wait("Object.values(pocket.patterns)[0].hits.length === 1")
    hit = ui.look("Object.values(pocket.patterns)[0].hits[0]")
    assert hit["beat"] == 0.5
    ui.page.keyboard.press("Shift+ArrowUp")
    ui.wait("Object.values(pocket.patterns)[0].hits[0].velocity === 108")


@pytest.mark.parametrize("bars", [1, 64])
def test_patterns_of_one_to_sixty_four_bars(opened: Opener, bars: int) -> None:
    ui = opened()
    ui.bring_in_loop(drum_loop(bars=1))
    ui.station("Chop")
    ui.button("Original rhythm").click()
    ui.wait("gp.loopPlayer.loop() !== null")
    field = ui.page.get_by_role("spinbutton", name="Length of the pattern in bars")
    field.click()
    field.fill(str(bars))
    field.press("Enter")
    ui.wait("gp.loopPlayer.loop().segments.length === arg", bars * 4)
    out = exported(ui)
    assert len(out) == ui.look("gp.loopPlayer.loop().length")
    assert np.abs(out).max() > 0.3
    assert all(a < b for a, b in itertools.pairwise([*ui.look("gp.loopPlayer.loop().segments.map(({start}) => start)"), len(out)]))


def test_play_that_is_pressed_before_the_loop_is_here_begins_when_it_is(opened: Opener) -> None:
    ui = opened()
    drums = ui.borrow("Dockside break")
    cuts = [cut["id"] for cut in ui.live.state["pocket"]["sources"][drums]["cuts"][:2]]
    ui.live.edit({"type": "slices_to_pads", "source": drums, "cuts": cuts})
    ui.wait("Object.keys(pocket.pads).length === 2")
    held: list[Route] = []
    ui.intercept("**/api/sound/**", lambda route: held.append(route))  # noqa: PLW0108 -- the library marks the function
    ui.live.edit({"type": "add_pattern", "name": "Late", "hits": [{"pad": 0, "beat": 0}]})
    ui.wait("Object.keys(pocket.patterns).length === 1")
    stop, play = ui.button("Stop the pattern"), ui.button("Play the pattern")
    ui.page.keyboard.press("Shift+Space")
    expect(stop).to_be_visible()
    assert not ui.look("gp.useLoop.getState().playing")
    # Taken back, it does not begin by itself later.
    ui.page.keyboard.press("Escape")
    expect(play).to_be_visible()
    ui.page.keyboard.press("Shift+Space")
    expect(stop).to_be_visible()
    ui.page.unroute("**/api/sound/**")
    for route in held:
        route.continue_()
    ui.wait("gp.useLoop.getState().playing && gp.loopPlayer.place() > 1000")
    ui.page.keyboard.press("Shift+Space")
    ui.wait("!gp.useLoop.getState().playing")
