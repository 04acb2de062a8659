"""Pads under the hand: keys by position, held and one-shot, chokes, settings."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.signals import drum_loop
from tests.ui.conftest import Opener, Ui


@pytest.fixture
def ui(opened: Opener) -> Ui:
    tab = opened()
    tab.bring_in_loop(drum_loop(bpm=70, bars=2))
    tab.station("Chop")
    tab.button("All to pads").click()
    tab.ready()
    return tab


def key(ui: Ui, kind: str, code: str, printed: str) -> None:
    ui.page.evaluate(
        "([kind, code, key]) => document.body.dispatchEvent(new KeyboardEvent(kind, {code, key, bubbles: true, cancelable: true}))",
        [kind, code, printed],
    )


@pytest.mark.parametrize(("code", "printed", "pad"), [("KeyQ", "a", 4), ("KeyZ", "w", 12), ("Digit1", "&", 0), ("KeyF", "u", 11)])
def test_keys_play_by_position_whatever_is_printed_on_them(ui: Ui, code: str, printed: str, pad: int) -> None:
    # It rings until the key rises, so that it is seen on a busy machine, too.
    ui.live.edit({"type": "set_pads", "pads": [pad], "sound": {"play": "loop", "loop_from": 20, "loop_to": 120}})
    ui.wait("pocket.pads[arg].sound.play === 'loop'", pad)
    ui.ready()
    before = ui.look("gp.timings.filter((m) => m.what === 'voice start').length")
    key(ui, "keydown", code, printed)
    expect(ui.page.locator(f"[data-pad='{pad}'][data-sounding]")).to_have_count(1)
    assert ui.look("gp.timings.filter((m) => m.what === 'voice start').length") == before + 1
    key(ui, "keyup", code, printed)
    expect(ui.page.locator(f"[data-pad='{pad}'][data-sounding]")).to_have_count(0)


def test_a_held_pad_ends_when_the_key_rises_and_a_one_shot_does_not(ui: Ui) -> None:
    ui.live.edit({"type": "set_pads", "pads": [0, 1], "sound": {"pitch": -24}})
    ui.live.edit({"type": "set_pads", "pads": [0], "sound": {"play": "held"}})
    ui.wait("pocket.pads[0].sound.play === 'held'")
    ui.ready()
    sounding = ui.page.locator("[data-pad='0'][data-sounding]")
    key(ui, "keydown", "Digit1", "1")
    expect(sounding).to_have_count(1)
    key(ui, "keyup", "Digit1", "1")
    expect(sounding).to_have_count(0)
    started = ui.look("gp.audio().currentTime")
    key(ui, "keydown", "Digit2", "2")
    key(ui, "keyup", "Digit2", "2")
    ui.wait("gp.audio().currentTime > arg", started + 0.25)
    expect(ui.page.locator("[data-pad='1'][data-sounding]")).to_have_count(1)


def test_pads_of_one_choke_group_cut_each_other_off(ui: Ui) -> None:
    ui.live.edit({"type": "set_pads", "pads": [0, 1], "sound": {"pitch": -24}})
    ui.wait("pocket.pads[1].sound.pitch === -24")
    ui.ready()
    ui.page.keyboard.press("1")
    expect(ui.page.locator("[data-pad='0'][data-sounding]")).to_have_count(1)
    # Struck together, neither cuts the other off; a moment later it does.
    ui.wait("gp.audio().currentTime > arg", ui.look("gp.audio().currentTime") + 0.03)
    ui.page.keyboard.press("2")
    expect(ui.page.locator("[data-pad='0'][data-sounding]")).to_have_count(0)
    expect(ui.page.locator("[data-pad='1'][data-sounding]")).to_have_count(1)


def test_settings_by_slider_number_and_wheel(ui: Ui) -> None:
    ui.page.locator("[data-pad='2']").click()
    settings = ui.page.get_by_test_id("pad-settings")
    level = settings.get_by_role("spinbutton", name="Level")
    level.click()
    level.fill("-7,5")
    level.press("Enter")
    ui.wait("pocket.pads[2].sound.level === -7.5")
    ui.reach(settings.get_by_role("slider", name="Pitch"))
    ui.page.keyboard.press("ArrowDown")
    ui.page.keyboard.press("ArrowDown")
    ui.wait("pocket.pads[2].sound.pitch === -2")
    settings.get_by_role("spinbutton", name="Fade out").hover()
    ui.page.mouse.wheel(0, -100)
    ui.wait("pocket.pads[2].sound.fade_out === 5")
    level.dblclick()
    ui.wait("(pocket.pads[2].sound.level ?? 0) === 0")
    settings.get_by_role("button", name="Reverse").click()
    ui.wait("pocket.pads[2].sound.reverse")
    settings.get_by_role("button", name="Choke 1").click()
    ui.page.get_by_role("menuitem", name="Group 2").click()
    ui.wait("pocket.pads[2].choke === 2")
    others = ui.look("Object.entries(pocket.pads).filter(([i]) => i !== '2').map(([, p]) => p.sound)")
    assert all(settings == {} for settings in others), "no other pad was touched"


def test_a_drag_of_a_slider_is_one_step_of_undo(ui: Ui) -> None:
    ui.page.locator("[data-pad='2']").click()
    thumb = ui.page.get_by_test_id("pad-settings").get_by_role("slider", name="Level")
    box = thumb.bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    ui.page.mouse.move(x, y)
    ui.page.mouse.down()
    for step in range(1, 12):
        ui.page.mouse.move(x - 5 * step, y)
    ui.page.mouse.up()
    ui.wait("pocket.pads[2].sound.level < -15")
    ui.wait("gp.usePocket.getState().open.undo === 'pad level'")
    ui.button("Undo").click()
    ui.wait("(pocket.pads[2].sound.level ?? 0) === 0")


def test_several_pads_at_once(ui: Ui) -> None:
    ui.page.locator("[data-pad='0']").click()
    ui.page.locator("[data-pad='3']").click(modifiers=["Control"])
    expect(ui.page.get_by_test_id("pad-settings")).to_contain_text("2 pads")
    ui.page.get_by_test_id("pad-settings").get_by_role("button", name="Gate").click()
    ui.wait(
        "pocket.pads[0].sound.play === 'held' && pocket.pads[3].sound.play === 'held' && pocket.pads[1].sound.play === undefined"
    )


def test_a_pad_is_dragged_to_another_place(ui: Ui) -> None:
    name = ui.look("pocket.pads[0].called")
    ui.page.locator("[data-pad='0']").drag_to(ui.page.locator("[data-pad='15']"))
    ui.wait("pocket.pads[15].called === arg", name)


def test_the_mouse_plays_and_lights_a_pad(ui: Ui) -> None:
    pad = ui.page.locator("[data-pad='1']")
    pad.dispatch_event("pointerdown", {"button": 0})
    expect(ui.page.locator("[data-pad='1'][data-sounding]")).to_have_count(1)
    expect(pad).to_have_attribute("aria-pressed", "true")


def test_things_are_called_by_what_they_are_until_they_are_named(ui: Ui) -> None:
    page = ui.page
    first = ui.look("pocket.sources.s1.cuts[0]")
    assert (first["called"], ui.look("pocket.pads[0].called")) == ("Kick 1", "Kick 1")
    pad = page.locator("[data-pad='0']")
    expect(pad).to_contain_text("Kick 1")
    expect(pad).not_to_contain_text("Test loop")
    # What it is said to be renames it, on its pad too; its own name stays whatever it is.
    row = page.locator(f"tr[data-slice='{first['id']}']")
    row.click(button="right")
    page.get_by_role("menuitem", name="vocal").click()
    expect(pad).to_contain_text("Voice 1")
    expect(row).to_contain_text("Voice 1")
    row.get_by_text("Voice 1").dblclick()
    page.keyboard.type("Thud under the long bridge")
    page.keyboard.press("Enter")
    expect(pad).to_contain_text("Thud under the long bridge")
    row.click(button="right")
    page.get_by_role("menuitem", name="kick").click()
    ui.wait("pocket.pads[0].role === 'kick'")
    expect(pad).to_contain_text("Thud under the long bridge")
    # It is whole on hover, and its end is in sight where there is no room for all of it.
    name = pad.get_by_title("Thud under the long bridge")
    tail = name.locator("span").last.bounding_box()
    whole = pad.bounding_box()
    assert tail is not None
    assert whole is not None
    assert whole["x"] <= tail["x"] < tail["x"] + tail["width"] <= whole["x"] + whole["width"]
    # Without a name it is what it is again.
    row.get_by_title("Thud under the long bridge").dblclick()
    page.keyboard.press("Delete")
    page.keyboard.press("Enter")
    expect(pad).to_contain_text("Kick 1")
    page.keyboard.press("Control+z")
    expect(pad).to_contain_text("Thud under")
    # The keys are the house's again.
    page.keyboard.press("q")
    expect(page.locator("[data-pad='4'][data-sounding]")).to_have_count(1)


def test_a_pad_tells_its_find_where_its_page_mixes_several(ui: Ui) -> None:
    ui.borrow("Marlo hum")
    hum = ui.look("Object.values(pocket.sources).find((s) => s.name === 'Marlo hum')")
    ui.live.edit({"type": "slices_to_pads", "source": hum["id"], "cuts": [hum["cuts"][0]["id"]], "pads": [3], "choke": 0})
    pad = ui.page.locator("[data-pad='3']")
    expect(pad).to_contain_text("Marlo hum")
    expect(ui.page.locator("[data-pad='0']")).to_contain_text("Test loop")


def test_pads_light_as_the_pattern_strikes_them(ui: Ui) -> None:
    ui.live.edit({"type": "add_pattern", "name": "Lights", "bars": 1})
    pattern = next(iter(ui.live.state["pocket"]["patterns"]))
    ui.live.edit({"type": "put_hits", "pattern": pattern, "hits": [{"pad": 1, "beat": 0.0}, {"pad": 6, "beat": 2.0}]})
    ui.wait("Object.keys(pocket.patterns).length === 1")
    ui.station("Rhythm")
    ui.wait("gp.loopPlayer.loop()?.hits.length === 4")
    ui.page.keyboard.press("Space")
    lit = "document.querySelector(`[data-pad='${arg}'][data-struck]`) !== null"
    for _ in range(2):
        for pad in (1, 6):
            ui.wait(lit, pad)
            assert ui.look("document.querySelectorAll('[data-struck]').length") <= 1
    ui.page.keyboard.press("Space")
    ui.wait("document.querySelector('[data-struck]') === null")


def test_two_fingers_hold_two_pads_and_open_no_menu(opened: Opener) -> None:
    ui = opened()
    ui.borrow("Marlo hum")
    source = ui.look("Object.keys(pocket.sources)[0]")
    ui.live.edit(
        {"type": "stretches_to_pads", "source": source, "stretches": [{"start": 0, "end": 200000}, {"start": 10000, "end": 210000}]}
    )
    ui.wait("Object.keys(pocket.pads).length === 2")
    ui.ready()
    boxes = [ui.page.locator(f"[data-pad='{pad}']").bounding_box() for pad in (0, 1)]
    points = [{"x": box["x"] + 20, "y": box["y"] + 40, "id": k} for k, box in enumerate(boxes) if box]
    hand = ui.page.context.new_cdp_session(ui.page)
    hand.send("Emulation.setTouchEmulationEnabled", {"enabled": True, "maxTouchPoints": 5})
    held = ui.page.locator("[data-sounding]")
    hand.send("Input.dispatchTouchEvent", {"type": "touchStart", "touchPoints": points})
    expect(held).to_have_count(2)
    # Longer than a menu would wait for.
    ui.page.wait_for_function("start => performance.now() - start > 900", arg=ui.page.evaluate("performance.now()"))
    expect(ui.page.get_by_role("menu")).to_have_count(0)
    expect(held).to_have_count(2)
    hand.send("Input.dispatchTouchEvent", {"type": "touchCancel", "touchPoints": []})
    hand.send("Emulation.setTouchEmulationEnabled", {"enabled": False})
    hand.detach()
    ui.page.keyboard.press("Escape")
    expect(held).to_have_count(0)
