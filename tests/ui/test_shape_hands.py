"""A pad under the hand in Shape: keys that are held and let go, and settings that are dragged while it sounds."""

from __future__ import annotations

from playwright.sync_api import Route

from tests.ui.conftest import Ui
from tests.ui.shaping import card, shape, sound

__all__ = ["shape"]


def test_one_voice_belongs_to_the_highest_key_that_is_held(shape: Ui) -> None:
    ui = shape
    ui.live.edit({"type": "set_pads", "pads": [4], "sound": {"voices": "high", "play": "held"}})
    ui.wait(f"{sound(ui)}.voices === 'high'")
    ui.page.keyboard.press("i")
    ui.wait("gp.useNotes.getState().here > 3")
    struck = "gp.timings.filter(m => m.what === 'voice start').length"
    before = ui.look(struck)
    ui.page.keyboard.down("d")
    ui.wait(f"{struck} === arg", before + 1)
    first = before + 1
    # A lower key is down, and says nothing; let go of, the higher one sounds on; then the lower one alone.
    ui.page.keyboard.down("a")
    ui.wait("gp.useNotes.getState().down.size === 2")
    assert ui.look(struck) == first
    ui.page.keyboard.up("d")
    ui.wait(f"{struck} === arg", first + 1)
    ui.page.keyboard.up("a")
    ui.wait("!gp.voices.sounds()")


def test_a_held_note_that_was_let_go_before_its_voice_came_stays_silent(shape: Ui) -> None:
    ui = shape
    ui.live.edit({"type": "set_pads", "pads": [4], "sound": {"play": "held"}})
    ui.wait(f"{sound(ui)}.play === 'held'")
    ui.ready()
    held: list[Route] = []
    ui.intercept("**/api/sound/**", lambda route: held.append(route))  # noqa: PLW0108 -- the library marks the function
    ui.page.keyboard.press("i")
    ui.wait("gp.useNotes.getState().all > 3")
    before = ui.look("gp.timings.filter(m => m.what === 'voice start').length")
    ui.page.keyboard.press("d")
    ui.page.keyboard.down("f")
    ui.wait("gp.useNotes.getState().down.size === 1")
    ui.page.unroute("**/api/sound/**")
    for route in held:
        route.continue_()
    # The one that is still down sounds; the one before it, whose key is up again, never does.
    ui.wait("gp.useNotes.getState().here > 7")
    assert ui.look("gp.timings.filter(m => m.what === 'voice start').length") == before + 1
    ui.page.keyboard.up("f")
    ui.wait("!gp.voices.sounds()")


def test_what_rings_follows_the_hand_that_turns_a_setting(shape: Ui) -> None:
    """Held, a sound is swept; it is struck but once, and one undo takes the sweep back."""
    ui = shape
    ui.live.edit({"type": "set_pads", "pads": [4], "sound": {"play": "loop", "loop_from": 100, "loop_to": 800}})
    ui.wait(f"{sound(ui)}.play === 'loop'")
    ui.ready()
    card(ui, "Filter")
    ui.page.get_by_role("radio", name="low pass").click()
    ui.wait(f"{sound(ui)}.filter === 'low'")
    ui.ready()
    ui.page.keyboard.press("i")
    ui.wait("gp.useNotes.getState().here > 5")
    slider = ui.page.get_by_role("tabpanel").get_by_role("slider", name="Cutoff", exact=True)
    slider.scroll_into_view_if_needed()
    box = slider.bounding_box()
    assert box is not None
    count = "gp.timings.filter(m => m.what === arg).length"
    struck = ui.look(count, "voice start")
    ui.page.keyboard.down("d")
    ui.wait(f"{count} > {struck}", "voice start")
    steps = "gp.usePocket.getState().open.version"
    before = ui.look(steps)
    ui.page.mouse.move(box["x"] + box["width"] * 0.8, box["y"] + box["height"] / 2)
    ui.page.mouse.down()
    for share in (0.7, 0.6, 0.5, 0.4, 0.3):
        # The hand rests on the way, by the page's clock; it is one drag all the same.
        ui.look("void (performance.now = ((now) => () => now() + 2000)(performance.now.bind(performance)))")
        tried = ui.look(count, "tried")
        ui.page.mouse.move(box["x"] + box["width"] * share, box["y"] + box["height"] / 2)
        ui.wait(f"{count} > {tried}", "tried")
    assert ui.look("gp.voices.sounds()")
    assert ui.look(count, "voice start") == struck + 1
    ui.page.mouse.up()
    ui.wait(f"{sound(ui)}.cutoff < 2000")
    ui.page.keyboard.up("d")
    ui.wait("!gp.voices.sounds()")
    ui.wait(f"{steps} > arg", before)
    ui.page.keyboard.press("Control+z")
    ui.wait(f"{sound(ui)}.cutoff === undefined")
