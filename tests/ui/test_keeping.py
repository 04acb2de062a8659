"""Nothing is lost: reloads, restarts, other tabs, bad files, undo."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import APIResponse, Route, expect

from bench.served import Served
from grainpocket.core.edits.pocket_wide import SetPocket
from grainpocket.core.pocket import Pocket
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.pockets import PocketStore
from tests.files import BAD, GOOD, wav
from tests.signals import RATE, drum_loop
from tests.store.test_opening import break_head
from tests.ui.conftest import Opener, Ui
from tests.web.live import Live, until


def test_a_reload_and_a_restart_find_everything_as_it_was(opened: Opener, server: Served) -> None:
    ui = opened(Live(server))
    ui.bring_in_loop(drum_loop())
    ui.station("Chop")
    ui.button("Original rhythm").click()
    ui.wait("Object.keys(pocket.patterns).length === 1")
    ui.page.keyboard.press("Control+z")
    ui.wait("Object.keys(pocket.patterns).length === 0")
    ui.page.keyboard.press("Control+Shift+z")
    ui.wait("Object.keys(pocket.patterns).length === 1 && gp.loopPlayer.loop() !== null")
    before, keys = ui.look("pocket"), ui.look("gp.loopPlayer.loop().segments.map(({key}) => key)")
    ui.page.reload()
    ui.wait("gp.loopPlayer.loop() !== null")
    assert ui.look("pocket") == before
    expect(ui.page.get_by_role("tab", name="Rhythm")).to_have_attribute("data-state", "active")

    server.kill()
    expect(ui.page.get_by_text("The server does not answer")).to_be_visible()
    # An edit made while the server is away is kept in the tab and made when it is back.
    tempo = ui.page.get_by_role("spinbutton", name="Tempo", exact=True)
    tempo.click()
    tempo.fill("99")
    tempo.press("Enter")
    server.again()
    ui.wait("pocket.tempo === 99")
    expect(ui.page.get_by_text("The server does not answer")).to_have_count(0)
    ui.page.keyboard.press("Control+z")
    ui.wait("pocket.tempo === arg", before["tempo"])
    ui.wait("gp.loopPlayer.loop().segments.every(({key}, i) => key === arg[i])", keys)
    assert ui.look("pocket") == before


def test_an_edit_whose_answer_is_lost_is_made_once_and_no_conflict(opened: Opener) -> None:
    ui = opened()
    ui.live.edit({"type": "add_pattern", "name": "Line", "bars": 2})
    ui.wait("Object.keys(pocket.patterns).length === 1")
    lost: list[str] = []

    def lose(route: Route) -> None:
        if lost:
            route.continue_()
        else:
            lost.append(route.fetch().text())
            route.abort()

    ui.intercept("**/edits", lose)
    ui.station("Rhythm")
    ui.button("Moves ▾").click()
    ui.page.get_by_role("menuitem", name="Double the pattern").click()
    ui.wait("Object.values(pocket.patterns)[0].bars === 4")
    expect(ui.page.get_by_text("The server does not answer")).to_have_count(0)
    expect(ui.page.get_by_text("Changed in another tab", exact=True)).to_have_count(0)
    assert lost
    assert ui.live.state["version"] == ui.look("gp.usePocket.getState().open.version")
    ui.page.keyboard.press("Control+z")
    ui.wait("Object.values(pocket.patterns)[0].bars === 2")


def test_two_tabs_cannot_overwrite_each_other_unseen(opened: Opener) -> None:
    one = opened()
    # The second tab is deaf to the server's news, so that it really is behind.
    two = opened(one.live, script="window.EventSource = class { addEventListener() {} close() {} };")
    tempo = one.page.get_by_role("spinbutton", name="Tempo", exact=True)
    tempo.click()
    tempo.fill("111")
    tempo.press("Enter")
    one.wait("pocket.tempo === 111")
    late = two.page.get_by_role("spinbutton", name="Tempo", exact=True)
    late.click()
    late.fill("77")
    late.press("Enter")
    expect(two.page.get_by_text("Changed in another tab", exact=True)).to_be_visible()
    two.wait("pocket.tempo === 111")
    assert one.live.state["pocket"]["tempo"] == 111
    # Nothing that was typed meanwhile slips through behind it.
    expect(late).to_have_value("111.00")
    two.button("Make it anyway").click()
    two.wait("pocket.tempo === 77")
    # The tab that listens hears of it by itself.
    one.wait("pocket.tempo === 77")
    one.page.keyboard.press("Control+z")
    one.wait("pocket.tempo === 111")


def test_a_late_answer_does_not_bring_an_older_state_back(opened: Opener) -> None:
    """Another tab's edit makes this one ask for the whole state; an edit is made before the answer is here."""
    ui = opened()
    late: list[tuple[Route, APIResponse]] = []
    ui.intercept(f"**/api/pockets/{ui.live.id}", lambda route: late.append((route, route.fetch())))
    ui.live.edit({"type": "set_pocket", "tempo": 101.0})
    while not late:
        ui.look("pocket.tempo")
    ui.page.unroute(f"**/api/pockets/{ui.live.id}")
    tempo = ui.page.get_by_role("spinbutton", name="Tempo", exact=True)
    tempo.click()
    tempo.fill("111")
    tempo.press("Enter")
    ui.button("Make it anyway").click()
    ui.wait("pocket.tempo === 111")
    version = ui.look("gp.usePocket.getState().open.version")
    for route, answer in late:
        with ui.page.expect_response(lambda response, url=route.request.url: response.url == url):  # type: ignore[misc]
            route.fulfill(response=answer)
    ui.page.keyboard.press("Control+z")
    ui.wait("gp.usePocket.getState().open.version === arg", version + 1)
    assert ui.look("pocket.tempo") == 101


_EYES = """
let seen = "visible";
Object.defineProperty(document, "visibilityState", { get: () => seen });
window.see = (how) => { seen = how; document.dispatchEvent(new Event("visibilitychange")); };
const Whole = window.EventSource;
window.streams = [];
window.EventSource = class extends Whole { constructor(url) { super(url); window.streams.push(this); } };
"""


def test_a_tab_that_nobody_sees_leaves_its_connection_to_others_and_catches_up(opened: Opener) -> None:
    ui = opened(script=_EYES)
    open_streams = "() => window.streams.filter((s) => s.readyState !== 2).length"
    ui.page.wait_for_function("() => window.streams.some((s) => s.readyState === 1)")
    ui.page.clock.install()
    ui.page.evaluate("window.see('hidden')")
    ui.page.clock.fast_forward("00:05")
    assert ui.page.evaluate(open_streams) == 1, "a glance at another tab costs nothing"
    ui.page.clock.fast_forward("00:06")
    assert ui.page.evaluate(open_streams) == 0
    ui.live.edit({"type": "set_pocket", "tempo": 123.0})
    assert ui.look("pocket.tempo") != 123
    ui.page.evaluate("window.see('visible')")
    ui.wait("pocket.tempo === 123")
    assert ui.page.evaluate(open_streams) == 1


def test_the_end_of_a_job_is_told_though_the_tab_rested_when_it_came(opened: Opener) -> None:
    ui = opened(script=_EYES)
    ui.page.wait_for_function("() => window.streams.some((s) => s.readyState === 1)")
    ui.page.clock.install()
    ui.page.evaluate("window.see('hidden')")
    ui.page.clock.fast_forward("00:11")
    ui.page.wait_for_function("() => window.streams.every((s) => s.readyState === 2)")
    file = {"name": "late.wav", "mimeType": "audio/wav", "buffer": BAD["text.wav"][0]}
    ui.page.get_by_label("Add audio files").set_input_files(file)
    expect(ui.page.get_by_text("late.wav was not added", exact=True)).to_be_visible()
    expect(ui.page.locator("[data-progress]")).to_have_count(0)
    ui.page.clock.fast_forward("00:11")
    ui.page.wait_for_function("() => window.streams.every((s) => s.readyState === 2)")


def test_an_import_in_between_is_no_conflict(opened: Opener) -> None:
    ui = opened(script="window.EventSource = class { addEventListener() {} close() {} };")
    job = ui.live.upload("behind.wav", GOOD["plain.wav"])
    until(lambda: ui.live.job(job["id"])["state"] == "done")
    tempo = ui.page.get_by_role("spinbutton", name="Tempo", exact=True)
    tempo.click()
    tempo.fill("88")
    tempo.press("Enter")
    ui.wait("pocket.tempo === 88 && Object.keys(pocket.sources).length === 1")


@pytest.mark.parametrize("name", ["empty.wav", "text.wav", "nine channels.wav", "header only.wav"])
def test_bad_files_are_told_and_leave_nothing(opened: Opener, name: str) -> None:
    ui = opened()
    data, words = BAD[name]
    ui.page.get_by_label("Add audio files").set_input_files({"name": name, "mimeType": "audio/wav", "buffer": data})
    expect(ui.page.get_by_text("was not added", exact=False).first).to_be_visible()
    expect(ui.page.get_by_text(words, exact=False).first).to_be_visible()
    expect(ui.page.locator("[data-progress]")).to_have_count(0)
    assert ui.live.state["pocket"]["sources"] == {}


def test_a_name_with_tricks_in_it(opened: Opener) -> None:
    ui = opened()
    ui.bring_in("🥁 <img src=x onerror=alert(1)>.wav", GOOD["plain.wav"])
    assert ui.look("pocket.sources.s1.name") == "🥁 <img src=x onerror=alert(1)>"
    expect(ui.page.locator("[data-find] img")).to_have_count(0)


def test_a_note_about_a_mended_file(opened: Opener) -> None:
    ui = opened()
    ui.bring_in("nonsense.wav", GOOD["nonsense numbers.wav"])
    expect(ui.page.get_by_text("7 samples were not numbers", exact=False).first).to_be_visible()


def test_what_comes_in_is_in_sight_and_so_is_what_is_open(opened: Opener) -> None:
    ui = opened()
    usual = ui.page.viewport_size
    ui.page.set_viewport_size({"width": 1280, "height": 520})
    try:
        names = ["Kettle", "Crane", "Buoy", "Winch", "Gangway"]
        for seed, name in enumerate(names):
            ui.bring_in(f"{name}.wav", wav(drum_loop(bars=1, seed=seed).samples))
        first, last = (ui.page.locator("[data-find]").filter(has_text=name) for name in (names[0], names[-1]))
        expect(last).to_be_in_viewport(ratio=0.9)
        expect(first).not_to_be_in_viewport()
        ui.button(f"Open {names[-1]}").click()
        ui.look("gp.useView.getState().look({ source: Object.keys(pocket.sources)[0] })")
        expect(first).to_be_in_viewport(ratio=0.9)
    finally:
        ui.page.set_viewport_size(usual or {"width": 1280, "height": 800})


def test_files_are_dropped_anywhere(opened: Opener) -> None:
    ui = opened()
    drop = """([name, bytes]) => {
      const transfer = new DataTransfer();
      transfer.items.add(new File([new Uint8Array(bytes)], name));
      const target = document.querySelector("footer");
      for (const kind of ["dragover", "drop"])
        target.dispatchEvent(new DragEvent(kind, {dataTransfer: transfer, bubbles: true, cancelable: true}));
    }"""
    ui.page.evaluate(drop, ["dropped.flac", list(GOOD["flac.flac"])])
    ui.wait("pocket.sources.s1?.name === 'dropped'")
    expect(ui.page.get_by_text("Drop to add to the finds")).to_have_count(0)


def test_progress_and_cancel(opened: Opener, tmp_path: Path) -> None:
    ui = opened()
    rng = np.random.default_rng(1)
    long = wav((rng.standard_normal((RATE * 110, 2)) * 0.1).astype(np.float32), subtype="PCM_16")
    path = tmp_path / "long.wav"
    path.write_bytes(long)
    ui.page.get_by_label("Add audio files").set_input_files(path)
    expect(ui.page.get_by_role("progressbar", name=re.compile("(Decoding|Listening) long.wav"))).to_be_visible()
    ui.button("Cancel long.wav").click()
    expect(ui.page.get_by_text("long.wav cancelled", exact=True)).to_be_visible()
    expect(ui.page.locator("[data-progress]")).to_have_count(0)
    assert ui.live.state["pocket"]["sources"] == {}


def test_removing_a_find_and_undoing_it(opened: Opener) -> None:
    ui = opened()
    ui.bring_in_loop(drum_loop())
    ui.station("Chop")
    ui.button("All to pads").click()
    ui.wait("Object.keys(pocket.pads).length > 0")
    before = ui.look("pocket")
    ui.button("Menu of Test loop").click()
    ui.page.get_by_role("menuitem", name="Remove").click()
    ui.button("Remove with pads").click()
    ui.wait("Object.keys(pocket.sources).length === 0 && Object.keys(pocket.pads).length === 0")
    expect(ui.page.get_by_text("Nothing here yet", exact=False)).to_be_visible()
    ui.button("Undo").click()
    ui.wait("Object.keys(pocket.sources).length === 1")
    assert ui.look("pocket") == before


def rename(ui: Ui, old: str, new: str) -> None:
    ui.button(f"Menu of {old}").click()
    ui.page.get_by_role("menuitem", name="Rename").click()
    field = ui.page.get_by_role("textbox", name="Name of the find")
    field.fill(new)
    field.press("Enter")


def test_names_are_changed_in_place_and_keys_do_not_play_meanwhile(opened: Opener) -> None:
    ui = opened()
    ui.bring_in_loop(drum_loop())
    ui.live.edit({"type": "slices_to_pads", "source": "s1", "cuts": None})
    ui.wait("Object.keys(pocket.pads).length > 0")
    rename(ui, "Test loop", "qwer loop")
    ui.wait("pocket.sources.s1.name === 'qwer loop'")
    assert ui.look("gp.timings.filter((m) => m.what === 'key down').length") == 0


def test_pockets_are_apart(opened: Opener) -> None:
    ui = opened()
    ui.button("Pockets").click()
    ui.page.get_by_role("menuitem", name="New pocket").click()
    ui.page.wait_for_function("(id) => window.grainpocket.usePocket.getState().open.id !== id", arg=ui.live.id)
    expect(ui.page.get_by_text("Nothing here yet", exact=False)).to_be_visible()
    ui.button("Pockets").click()
    ui.page.get_by_role("menuitem", name="Night ferry set").click()
    ui.wait("Object.keys(pocket.sources).length === 5")


def test_an_edit_that_finds_no_room_says_so_and_is_made_when_there_is_some(opened: Opener) -> None:
    ui = opened()
    says = "The disk is full: that was not done. What you made before is kept."
    before = ui.look("pocket.tempo")
    ui.intercept("**/edits", lambda route: route.fulfill(status=507, json={"code": "disk-full", "message": says}))
    tempo = ui.page.get_by_role("spinbutton", name="Tempo", exact=True)

    def enter(value: str) -> None:
        tempo.click()
        tempo.fill(value)
        tempo.press("Enter")

    enter("120")
    expect(ui.page.get_by_text(says, exact=True)).to_be_visible()
    assert ui.look("pocket.tempo") == before
    ui.page.unroute("**/edits")
    enter("121")
    ui.wait("pocket.tempo === 121")
    assert ui.live.state["pocket"]["tempo"] == 121


def test_a_pocket_that_cannot_be_opened_leads_back_to_its_last_sound_state(opened: Opener) -> None:
    ui = opened()
    database = Database(ui.live.server.data / "grainpocket.db")
    store, audio = PocketStore(database), AudioStore(ui.live.server.data / "audio")
    state = store.create(Pocket(name="Broken quay"), "broken-quay")
    for tempo in (100.0, 110.0):
        state = store.edit(state.id, state.version, SetPocket(tempo=tempo), audio).after
    break_head(database, state.id)
    ui.button("Pockets").click()
    ui.page.get_by_role("menuitem", name="Broken quay").click()
    expect(ui.page.get_by_role("heading", name="This pocket cannot be opened as it is")).to_be_visible()
    expect(ui.page.get_by_text("Everything before it is kept", exact=False)).to_be_visible()
    ui.page.get_by_role("button", name="Go back to").click()
    ui.wait("pocket.name === 'Broken quay' && pocket.tempo === 100")
    ui.page.wait_for_selector("[data-testid=pad-grid]")
    ui.page.keyboard.press("Control+z")
    ui.wait("pocket.tempo === 94")
