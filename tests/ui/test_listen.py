"""The Listen station in the browser: ten records, each brought to a click that sits on its beats."""

from __future__ import annotations

import json
import os
from collections.abc import Callable

import numpy as np
import pytest
import soundfile as sf
from playwright.sync_api import expect
from scipy import signal

from grainpocket.demo.pocket import AUDIO
from tests import records
from tests.files import flac
from tests.records import Record
from tests.signals import RATE, drum_loop
from tests.ui.conftest import Opener, Ui

NEAR_S = 0.010


def demo(name: str) -> Record:
    truth = json.loads((AUDIO / "truth.json").read_text())[name]
    sound, _ = sf.read(AUDIO / f"{name}.flac", dtype="float32", always_2d=True)
    beats = np.arange(truth["bars"] * 4) * 60 / truth["bpm"]
    return Record(sound, beats, 0, truth["bpm"])


def looped() -> Record:
    loop = drum_loop(bpm=89.1, bars=4)
    return Record(loop.samples, np.arange(16) * 60 / loop.bpm, 0, loop.bpm)


def opened_record(opened: Opener, record: Record) -> Ui:
    ui = opened()
    ui.bring_in("Record.flac", flac(record.sound))
    ui.button("Open Record").click()
    ui.station("Listen")
    ui.page.wait_for_selector("section[aria-label='Tempo'] button:has-text('%'), section[aria-label='Tempo'] p")
    return ui


def lines(ui: Ui) -> np.ndarray:
    return np.array(ui.live.ask("GET", f"/api/pockets/{ui.live.id}/sources/s1/lines")[1]["beats"]) / RATE


def bar_lines(ui: Ui) -> np.ndarray:
    answer = ui.live.ask("GET", f"/api/pockets/{ui.live.id}/sources/s1/lines")[1]
    return np.array([answer["beats"][i] for i in answer["bars"]]) / RATE


def set_right(ui: Ui, record: Record) -> None:
    """What a musician does who hears the click: halve or double it, choose the metre, then put bar one where it belongs."""
    for _ in range(3):
        bpm = ui.look("pocket.sources.s1.grid?.bpm ?? 0")
        if bpm and abs(bpm / record.bpm - 1) < 0.02:
            break
        chip = next((i for i, text in enumerate(chips(ui)) if abs(float(text.split()[0]) / record.bpm - 1) < 0.01), None)
        version = ui.look("gp.usePocket.getState().open.version")
        if chip is not None:
            ui.page.locator("section[aria-label='Tempo'] button:has-text('%')").nth(chip).click()
        elif bpm:
            ui.button("Half" if bpm > record.bpm else "Double").click()
        else:
            select(ui, record.beats[record.one], record.beats[record.one + 4 * record.quarters])
            ui.page.get_by_role("button", name="Set as bars", exact=True).click()
        ui.wait("gp.usePocket.getState().open.version > arg", version)
    if ui.look("pocket.sources.s1.grid.beats_per_bar") != record.quarters:
        ui.button(f"{record.quarters}/4").click()
        ui.wait("pocket.sources.s1.grid.beats_per_bar === arg", record.quarters)
    near = lines(ui)
    one = near[np.argmin(np.abs(near - record.beats[record.one]))]
    if np.abs(bar_lines(ui) - record.beats[record.one]).min() > NEAR_S:
        ui.look("gp.useView.getState().look({selection: null, cursor: arg})", round(float(one) * RATE))
        ui.button("Bar one here").click()
        ui.wait("Math.abs(pocket.sources.s1.grid.bar_one - arg) < 2", round(float(one) * RATE))


def chips(ui: Ui) -> list[str]:
    return list(ui.page.locator("section[aria-label='Tempo'] > div:first-child button").all_inner_texts())


def select(ui: Ui, start: float, end: float) -> None:
    span = [round(start * RATE), round(end * RATE)]
    ui.look("gp.useView.getState().look({selection: {source: 's1', start: arg[0], end: arg[1]}})", span)


RECORDS: dict[str, Callable[[], Record]] = {
    "a demo break": lambda: demo("Dockside break"),
    "a demo song": lambda: demo("Lantern street"),
    "a demo percussion loop": lambda: demo("Tin roof rain"),
    "a trimmed loop": looped,
    "a straight song": records.straight,
    "no drums in the intro": records.no_drums_at_first,
    "bar one late": records.bar_one_late,
    "weak transients": records.weak,
    "drifting tempo": records.drifting,
    "three in a bar": records.waltz,
    "half or double": records.fast,
}


@pytest.mark.parametrize("name", RECORDS)
def test_every_record_ends_with_a_click_on_its_beats(opened: Opener, name: str) -> None:
    record = RECORDS[name]()
    ui = opened_record(opened, record)
    set_right(ui, record)
    found = lines(ui)
    inner = record.beats[(record.beats > found[0] - 0.05) & (record.beats < found[-1] + 0.05)]
    assert len(inner) >= len(record.beats) - 2
    misses = np.abs(found[:, None] - inner[None]).min(axis=0)
    # The demo records are played by people: their beats lie about the grid, which the truth gives.
    assert np.max(misses) < NEAR_S, misses.round(4)
    assert np.abs(bar_lines(ui) - record.beats[record.one]).min() < NEAR_S
    # And the click is there, in time with the record: it plays what the core says.
    ui.page.keyboard.press("g")
    expect(ui.page.get_by_role("button", name="Click", exact=True)).to_have_attribute("aria-pressed", "true")
    ui.button("▶ Play find").click()
    ui.wait("gp.tapePlayer.place() > 9000")
    ui.button("■ Stop find").click()


def test_clicks_sound_at_the_very_samples_they_are_set_to(opened: Opener) -> None:
    ui = opened()
    places = [100, 5000, 20011, 30000]
    peaks = ui.page.evaluate(
        """async (places) => {
          const context = new OfflineAudioContext(2, 60000, 44100);
          await context.audioWorklet.addModule(window.grainpocket.tapeWorkletUrl);
          const node = new AudioWorkletNode(context, "grain-tape", {numberOfInputs: 0, outputChannelCount: [2]});
          node.connect(context.destination);
          const pulse = (height) => { const x = new Float32Array(64); x[0] = height; return x; };
          context.suspend(0).then(() => {
            const tell = (message) => node.port.postMessage(message);
            tell({type: "chunk", number: 0, left: new Float32Array(65536), right: new Float32Array(65536)});
            tell({type: "clickSounds", beat: pulse(0.25), accent: pulse(0.5)});
            tell({type: "clicks", places: Float64Array.from(places), accents: Uint8Array.from([1, 0, 0, 1]), level: 1});
            tell({type: "play", place: 0, end: 65536, loopStart: 4000, loopEnd: 30000});
            setTimeout(() => context.resume(), 150);
          });
          const out = (await context.startRendering()).getChannelData(0);
          return Array.from(out).map((x, i) => [i, x]).filter(([, x]) => x > 0.01);
        }""",
        places,
    )
    at = np.array([p[0] for p in peaks])
    heights = [round(p[1], 3) for p in peaks]
    # The loop goes from 4000 to 30000, so that the last place never sounds and the middle ones come round again.
    assert heights == [0.5, 0.25, 0.25, 0.25, 0.25, 0.25]
    assert (at - at[0]).tolist() == [0, 4900, 19911, 30900, 45911, 56900]


def test_a_loop_goes_round_without_a_click(opened: Opener) -> None:
    """A sine, looped at a length that is no multiple of its period: no step is larger than the sine's own."""
    ui = opened()
    out = ui.page.evaluate(
        """async () => {
          const context = new OfflineAudioContext(2, 40000, 44100);
          await context.audioWorklet.addModule(window.grainpocket.tapeWorkletUrl);
          const node = new AudioWorkletNode(context, "grain-tape", {numberOfInputs: 0, outputChannelCount: [2]});
          node.connect(context.destination);
          const sine = Float32Array.from({length: 65536}, (_, i) => 0.5 * Math.sin(2 * Math.PI * i * 330 / 44100));
          context.suspend(0).then(() => {
            node.port.postMessage({type: "chunk", number: 0, left: sine, right: sine.slice()});
            node.port.postMessage({type: "play", place: 9000, end: 65536, loopStart: 9000, loopEnd: 16067});
            setTimeout(() => context.resume(), 150);
          });
          return Array.from((await context.startRendering()).getChannelData(0));
        }"""
    )
    sound = np.array(out)[2000:]
    own = 0.5 * 2 * np.pi * 330 / RATE
    assert np.abs(sound).max() > 0.45
    assert np.abs(np.diff(sound)).max() < own * 1.25


def test_bar_one_by_dragging_and_nudging(opened: Opener) -> None:
    record = records.straight()
    ui = opened_record(opened, record)
    set_right(ui, record)
    before = ui.look("pocket.sources.s1.grid.bar_one")
    ui.button("Move the grid 10 ms later").click()
    ui.wait("pocket.sources.s1.grid.bar_one === arg", before + 441)
    ui.page.keyboard.press("Control+z")
    ui.wait("pocket.sources.s1.grid.bar_one === arg", before)
    box = ui.wave()
    ui.button("First bars").click()
    ui.wait("gp.useView.getState().windows.s1 !== undefined")
    span = ui.look("gp.useView.getState().windows.s1")
    x = box["x"] + (before - span["start"]) / (span["end"] - span["start"]) * box["width"]
    ui.page.mouse.move(x, box["y"] + 6)
    ui.page.mouse.down()
    ui.page.mouse.move(x + 12, box["y"] + 6, steps=4)
    ui.page.mouse.up()
    # A drag goes out as several edits: wait for where it ends.
    per_pixel = (span["end"] - span["start"]) / box["width"]
    ui.wait("Math.abs(pocket.sources.s1.grid.bar_one - arg[0]) < arg[1]", [before + 12 * per_pixel, 3 * per_pixel])
    ui.page.keyboard.press("Control+z")
    ui.wait("pocket.sources.s1.grid.bar_one === arg", before)


def test_tapping_along_makes_the_tempo(opened: Opener) -> None:
    record = records.straight(bpm=100.0)
    ui = opened_record(opened, record)
    ui.live.edit({"type": "set_grid", "source": "s1", "bpm": 61.0})
    ui.wait("pocket.sources.s1.grid.bpm === 61")
    ui.button("▶ Play find").click()
    for beat in record.beats[2:8]:
        ui.wait("gp.tapePlayer.place() >= arg", float(beat) * RATE)
        ui.page.keyboard.press("t")
    # The first taps already make a tempo, a rougher one: it is that of them all that counts.
    ui.wait("Math.abs(pocket.sources.s1.grid.bpm / 100 - 1) < 0.002")
    ui.page.keyboard.press("Escape")
    # A tab draws frames late; the tempo that was found is what the taps were meant for.
    assert abs(ui.look("pocket.sources.s1.grid.bpm") / 100.0 - 1) < 0.002


def test_the_selection_is_n_bars_and_can_be_listened_to_alone(opened: Opener) -> None:
    record = records.no_drums_at_first()
    ui = opened_record(opened, record)
    start, end = record.beats[40], record.beats[48]
    select(ui, start, end)
    field = ui.page.get_by_role("spinbutton", name="Bars")
    field.fill("2")
    field.press("Enter")
    ui.button("Set as bars").click()
    ui.wait("pocket.sources.s1.grid.by === 'hand'")
    assert abs(ui.look("pocket.sources.s1.grid.bpm") / record.bpm - 1) < 1e-4
    select(ui, record.beats[32], record.beats[64])
    ui.button("Listen to the selection").click()
    alone = ui.page.get_by_role("status").filter(has_text="to")
    expect(alone.get_by_role("button").first).to_contain_text("%")
    ui.button("Boost attacks").click()
    expect(alone).to_contain_text("attacks boosted")
    expect(alone).to_contain_text("confidence")
    alone.get_by_role("button").first.click()
    ui.wait(
        "Math.abs(pocket.sources.s1.grid.bpm / arg - 1) < 0.003 || Math.abs(pocket.sources.s1.grid.bpm / arg - 2) < 0.006",
        record.bpm,
    )


def test_credits_are_typed_and_kept(opened: Opener) -> None:
    ui = opened_record(opened, records.straight(bars=4))
    ui.button("Credits").click()
    ui.page.get_by_label("Artist").fill("The Dockers")
    ui.page.get_by_label("Artist").press("Enter")
    ui.button("not cleared").click()
    ui.wait("pocket.sources.s1.credits.artist === 'The Dockers' && pocket.sources.s1.credits.cleared === false")
    ui.page.keyboard.press("Escape")
    expect(ui.page.get_by_text("The Dockers, not cleared")).to_be_visible()


def test_recording_from_the_deck_keeps_what_was_played(opened: Opener) -> None:
    ui = opened()
    loop = drum_loop(bpm=97.3, bars=1)
    ui.bring_in_loop(loop)
    ui.button("Record").click()
    ui.button("Demo record").click()
    level = ui.page.get_by_role("meter", name="Input level")
    expect(level).not_to_have_attribute("aria-valuenow", "-48")
    ui.button("● Record").click()
    ui.page.wait_for_function("() => parseFloat(document.querySelector('[role=timer]').textContent) >= 2")
    ui.button("■ Stop and keep").click()
    ui.wait("pocket.sources.s2?.name === 'Take' || Object.values(pocket.sources).some((s) => s.name === 'Take')")
    audio = ui.look("Object.values(pocket.sources).find((s) => s.name === 'Take').audio")
    heard, rate = sf.read(ui.live.server.data / "audio" / audio / "audio.wav", dtype="float32", always_2d=True)
    assert rate == RATE
    assert len(heard) >= 2 * RATE
    # Somewhere in the endless loop it began, and from there on it is the loop itself.
    endless = np.tile(loop.samples[:, 0], 4)
    like = signal.correlate(endless[: len(loop.samples) + RATE], heard[4096 : 4096 + RATE, 0], "valid")
    place = int(np.argmax(like[: len(loop.samples)]))
    np.testing.assert_allclose(heard[4096 : 4096 + RATE, 0], endless[place : place + RATE], atol=1e-6)


def test_what_plays_is_recorded_bit_for_bit_and_knows_its_records(opened: Opener) -> None:
    ui = opened()
    ui.bring_in_loop(drum_loop(bpm=97.3, bars=1))
    ui.station("Chop")
    ui.button("Original rhythm").click()
    ui.wait("gp.loopPlayer.loop() !== null")
    # One that is given up leaves nothing behind that would sound in the next.
    ui.button("Record").click()
    ui.button("What plays").click()
    expect(ui.button("● Record")).to_be_enabled()
    ui.button("Close recording").click()
    ui.button("Record").click()
    ui.button("What plays").click()
    ui.button("● Record").click()
    expect(ui.button("■ Stop and keep")).to_be_visible()
    ui.page.keyboard.press("Shift+Space")
    ui.page.wait_for_function("() => parseFloat(document.querySelector('[role=timer]').textContent) >= 3.5")
    ui.page.keyboard.press("Shift+Space")
    ui.button("■ Stop and keep").click()
    ui.wait("Object.values(pocket.sources).some((s) => s.name === 'As played')")
    made = ui.look("Object.values(pocket.sources).find((s) => s.name === 'As played')")
    heard, _ = sf.read(ui.live.server.data / "audio" / made["audio"] / "audio.wav", dtype="float32", always_2d=True)
    parts = ui.look("gp.loopPlayer.scheduled().map((side) => Array.from(side))")
    scheduled = np.array(parts, np.float32).T
    first = int(np.flatnonzero(np.abs(heard).sum(axis=1))[0])
    lead = int(np.flatnonzero(np.abs(scheduled).sum(axis=1))[0])
    length = len(scheduled) - lead
    np.testing.assert_array_equal(heard[first : first + length], scheduled[lead:])
    assert [p["record"] for p in made["origin"]["parts"]] == ["Test loop"]
    assert (made["origin"]["parts"][0]["start"], made["origin"]["parts"][0]["end"]) == (0, ui.look("pocket.sources.s1.frames"))


def test_recording_from_the_line_input(opened: Opener) -> None:
    ui = opened()
    ui.button("Record").click()
    ui.button("Line input").click()
    expect(ui.button("Line input")).to_have_attribute("aria-pressed", "true")
    ui.button("● Record").click()
    ui.page.wait_for_function("() => parseFloat(document.querySelector('[role=timer]').textContent) >= 1.5")
    ui.button("■ Stop and keep").click()
    ui.wait("Object.values(pocket.sources).some((s) => s.name === 'Take' && s.frames > 44100)")


def test_a_take_that_finds_no_room_is_brought_in_later(opened: Opener) -> None:
    ui = opened()
    ui.button("Record").click()
    ui.button("Line input").click()
    ui.button("● Record").click()
    ui.page.wait_for_function("() => parseFloat(document.querySelector('[role=timer]').textContent) >= 0.5")
    says = "The disk is full: what was recorded is kept."
    refuse = {"status": 507, "json": {"code": "disk-full", "message": says}}
    ui.intercept("**/takes/*/end", lambda route: route.fulfill(**refuse))
    ui.button("■ Stop and keep").click()
    expect(ui.page.get_by_role("alert")).to_have_text(says)
    # Neither closing the panel nor trying in vain loses it.
    ui.button("Bring it in").click()
    expect(ui.page.get_by_role("alert")).to_have_text(says)
    ui.button("Close recording").click()
    expect(ui.button("Close recording")).to_have_count(0)
    ui.page.unroute("**/takes/*/end")
    ui.button("Record").click()
    ui.button("Bring it in").click()
    ui.wait("Object.values(pocket.sources).some((s) => s.name === 'Take' && s.frames > 20000)")
    expect(ui.button("Close recording")).to_have_count(0)


def test_what_a_tab_that_died_had_recorded_is_offered_after_a_reload(opened: Opener) -> None:
    ui = opened()
    takes = f"/api/pockets/{ui.live.id}/takes"
    take = ui.live.ask("POST", takes, {"name": "Tape", "rate": RATE})[1]["id"]
    ui.live.ask("POST", f"{takes}/{take}/blocks", raw=drum_loop().samples.astype("<f4").tobytes())
    ui.button("Record").click()
    ui.button("Line input").click()
    expect(ui.button("Line input")).to_have_attribute("aria-pressed", "true")
    # It might still be going on in another tab.
    expect(ui.button("Bring it in")).to_have_count(0)
    for file in ui.live.server.data.rglob(f"{take}.f32"):
        os.utime(file, (0, 0))
    # By itself while the panel is open, and after a reload.
    expect(ui.button("Bring it in")).to_be_visible()
    ui.open()
    ui.button("Record").click()
    ui.button("Bring it in").click()
    ui.wait("Object.values(pocket.sources).some((s) => s.name === 'Tape')")
    assert ui.live.ask("GET", takes)[1]["takes"] == []


def test_a_recording_goes_on_where_the_finds_are_folded_away(opened: Opener) -> None:
    ui = opened()
    ui.bring_in_loop(drum_loop(bpm=97.3, bars=1))
    ui.live.edit({"type": "slices_to_pads", "source": "s1"})
    ui.ready()
    ui.button("Record").click()
    ui.button("What plays").click()
    ui.button("● Record").click()
    expect(ui.button("■ Stop and keep")).to_be_visible()
    ui.station("Shape")
    expect(ui.button("Record")).to_have_count(0)
    ui.page.keyboard.press("1")
    ui.wait("gp.timings.some(m => m.what === 'voice start')")
    ui.button("Stop recording and keep it").click()
    ui.wait("Object.values(pocket.sources).some((s) => s.name === 'As played')")
    expect(ui.button("Stop recording and keep it")).to_have_count(0)
    made = ui.look("Object.values(pocket.sources).find((s) => s.name === 'As played')")
    heard, _ = sf.read(ui.live.server.data / "audio" / made["audio"] / "audio.wav", dtype="float32", always_2d=True)
    assert np.abs(heard).max() > 0.05, "the pad that was hit in Shape"
    assert [part["record"] for part in made["origin"]["parts"]] == ["Test loop"]
