"""Rhythms rebuilt from records, as a musician goes through it: each ends in sound that is checked."""

from __future__ import annotations

import itertools
import re

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.signals import RATE
from tests.ui.chopping import bring_in_record
from tests.ui.conftest import Opener, Ui
from tests.ui.sound import exported, floats
from tests.ui.steps import HITS, STEP, TEMPO, P, heard, number, pick, put, rhythm, spot, tools

__all__ = ["rhythm"]


def test_a_beat_round_a_sample_whose_last_bar_repeats_a_chop(rhythm: Ui) -> None:
    """Four quarters of one chop in the last bar, a low drum that follows them and changes every fourth time."""
    ui = rhythm
    put(ui, *({"pad": pad, "beat": beat, "velocity": 100} for beat, pad in ((0, 0), (1, 1), (4, 0), (5.5, 2))))
    ui.page.get_by_role("button", name=ui.look("'Play ' + pocket.pads[3].called")).click()
    pick(ui, "a hit every ▾", "alone at the end")
    number(ui, "Every so many beats", 4)
    number(ui, "How many hits", 4)
    number(ui, "Velocity of placed hits", 127)
    ui.page.get_by_role("group", name="Place hits").get_by_role("button", name="Place").click()
    ui.wait(f"{HITS}.filter(h => h.pad === 3).length === 4")
    assert ui.look(f"{HITS}.filter(h => h.beat >= 4).map(h => h.beat)") == [4, 5, 6, 7]
    tools(ui, "Lane")
    low = ui.look("pocket.pads[6].called")
    ui.page.get_by_role("button", name="Copy to ▾").click()
    ui.page.get_by_role("menuitem", name=low, exact=True).click()
    ui.wait(f"{HITS}.filter(h => h.pad === 6).length === 4")
    # Tuned down by its notes, and another note every fourth time.
    ui.page.keyboard.press("Shift")
    ui.page.mouse.click(*spot(ui, 6, 7), button="right")
    ui.page.get_by_role("menuitem", name="Comes every 4th time").click()
    ui.wait("gp.loopPlayer.loop().passes === 4")
    low_hits = [round(place / STEP / 4, 3) for place, pad in heard(ui) if pad == 6]
    assert low_hits == [4, 5, 6, 12, 13, 14, 20, 21, 22, 28, 29, 30, 31]
    ui.button(ui.look("'Mute ' + pocket.pads[6].called")).click()
    ui.wait(f"{P}.lanes[6]?.muted")
    ui.wait("gp.loopPlayer.loop().hits.length > 0 && !gp.loopPlayer.loop().hits.some((v, i) => i % 2 && v === 6)")
    sound = exported(ui)
    beat = 4 * STEP
    first, second = (sound[round(k * beat) + 100 : round(k * beat) + 6000] for k in (5, 6))
    assert np.abs(first - second).max() < 0.02 * np.abs(first).max(), "the same voice, again"


def test_a_loop_is_re_programmed_at_another_tempo_with_its_hats_in_turn(opened: Opener) -> None:
    """A break by its drums: hats alternate, velocities vary, single hits backwards and filtered; no artefact at another tempo."""
    ui = opened()
    bring_in_record(ui, "Dockside break")
    ui.button("Original rhythm").click()
    ui.wait("Object.values(pocket.patterns)[0]?.hits.length > 8 && gp.useView.getState().pattern !== null")
    ui.wait("gp.loopPlayer.loop()?.hits.length > 16")
    first = heard(ui)
    before = np.array(floats(ui, "gp.loopPlayer.scheduled()"))
    ui.live.edit({"type": "set_pocket", "tempo": 130})
    ui.wait("pocket.tempo === 130 && gp.loopPlayer.loop().tempo === 130")
    after = np.array(floats(ui, "gp.loopPlayer.scheduled()"))
    second = heard(ui)
    scale = TEMPO / 130
    assert [pad for _, pad in second] == [pad for _, pad in first]
    assert [place for place, _ in second] == pytest.approx([place * scale for place, _ in first], abs=1.5)
    # The chops are struck anew, not stretched: each begins with the very samples that it had.
    same = 0
    for (a, _), (b, _) in zip(first[1:12], second[1:12], strict=True):
        x, y = before[int(a) + 40 : int(a) + 400], after[int(b) + 40 : int(b) + 400]
        same += bool(np.abs(x - y).max() < 0.25 * np.abs(x).max())
    assert same >= 8
    hats = ui.look("Object.entries(pocket.pads).filter(([, p]) => p.role === 'hat').map(([k]) => Number(k)).slice(0, 2)")
    assert len(hats) == 2
    ui.station("Rhythm")
    ui.page.get_by_role("tabpanel").get_by_role("button", name=re.compile("Unfold hat")).click()
    names = [ui.look(f"'Play ' + pocket.pads[{hat}].called") for hat in hats]
    ui.page.get_by_role("button", name=names[0], exact=True).click()
    number(ui, "Every so many beats", 0.5)
    ui.page.get_by_role("group", name="Place hits").get_by_role("button", name="Place").click()
    ui.wait(f"{HITS}.filter(h => h.pad === arg).length === 32", hats[0])
    ui.page.get_by_role("button", name=names[1], exact=True).click(modifiers=["Control"])
    ui.wait("gp.useView.getState().pads.length === 2")
    pick(ui, "Moves ▾", "Strike the two chosen lanes in turn")
    ui.wait("gp.usePocket.getState().open.undo === 'alternate'")
    struck = [hit["pad"] for hit in ui.look(HITS) if hit["pad"] in hats]
    assert all(a != b for a, b in itertools.pairwise(struck))
    pick(ui, "Moves ▾", "A little variation")
    ui.wait("gp.usePocket.getState().open.undo === 'a little variation'")
    assert ui.errors == []


def test_a_break_is_thickened_printed_and_chopped_again(opened: Opener) -> None:
    """Its kicks get a low drum under them at velocity 70, the layer is filtered, the whole printed and cut anew."""
    ui = opened()
    bring_in_record(ui, "Dockside break")
    ui.button("Lay out ▾").click()
    ui.page.get_by_role("menuitem", name="Split by drum").click()
    ui.wait("Object.keys(pocket.patterns).length === 1 && gp.loopPlayer.loop()?.hits.length > 16")
    kick = ui.look("Number(Object.entries(pocket.pads).find(([, p]) => p.role === 'kick')[0])")
    low = ui.borrow("Tin roof rain")
    drum = {"start": 0, "end": round(0.3 * RATE), "name": "Low drum", "role": "perc"}
    ui.live.edit({"type": "stretches_to_pads", "source": low, "stretches": [drum], "first": 12})
    ui.wait("pocket.pads[12]")
    dry = exported(ui)
    ui.station("Rhythm")
    ui.page.get_by_role("button", name=ui.look(f"'Play ' + pocket.pads[{kick}].called"), exact=True).click()
    tools(ui, "Lane")
    pick(ui, "Copy to ▾", "Low drum")
    ui.wait(f"{HITS}.some(h => h.pad === 12)")
    ui.page.get_by_role("button", name="Play Low drum", exact=True).click()
    pick(ui, "Moves ▾", "All equally hard")
    ui.wait(f"{HITS}.filter(h => h.pad === 12).every(h => h.velocity === 100)")
    kicks = [place for place, pad in heard(ui) if pad == kick]
    assert [place for place, pad in heard(ui) if pad == 12] == kicks
    ui.live.edit({"type": "set_pads", "pads": [12], "sound": {"filter": "low", "cutoff": 300}})
    ui.wait("pocket.pads[12].sound.filter === 'low'")
    thick = exported(ui)
    added = thick[: len(dry)] - dry[: len(thick)]
    assert np.abs(added).max() > 0.02
    # What was added begins with the kicks, within 3 ms.
    x = np.abs(added).max(axis=1)
    for place in kicks[1:4]:
        at = int(place)
        assert x[at : at + round(0.05 * RATE)].max() > 4 * x[at - round(0.02 * RATE) : at - round(0.003 * RATE)].max()
    ui.page.get_by_role("button", name="Patterns ▾").click()
    ui.page.get_by_role("menuitem", name="Print it among the finds").click()
    ui.wait("Object.values(pocket.sources).some(s => s.origin.recipe)")
    assert ui.look("Object.values(pocket.sources).find(s => s.origin.recipe).cuts.length") > 8


def test_one_break_of_two_loops_with_rolls_and_a_voice_in_the_key(opened: Opener) -> None:
    """Kick and hats of one, the snare of the other, an off-beat hat, rolls, and a hum pitched to the key."""
    ui = opened()
    first, second, hum = ui.borrow("Dockside break"), ui.borrow("Tin roof rain"), ui.borrow("Marlo hum")
    state = ui.live.state["pocket"]["sources"]

    def slice_of(find: str, role: str) -> str:
        return next(str(cut["id"]) for cut in state[find]["cuts"] if cut["role"] == role)

    for pad, find, role in ((0, first, "kick"), (1, second, "snare"), (2, first, "hat"), (3, first, "perc")):
        ui.live.edit({"type": "slices_to_pads", "source": find, "cuts": [slice_of(find, role)], "pads": [pad]})
    tone = {"start": 2000, "end": 2000 + RATE, "name": "Hum", "role": "vocal"}
    ui.live.edit({"type": "stretches_to_pads", "source": hum, "stretches": [tone], "first": 4})
    ui.live.edit({"type": "set_pocket", "tempo": TEMPO})
    ui.live.edit({"type": "set_key", "key": {"tonic": 9, "mode": "minor"}})
    ui.live.edit({"type": "add_pattern", "name": "P", "bars": 2})
    ui.wait("Object.keys(pocket.patterns).length === 1 && pocket.key !== null")
    ui.station("Rhythm")
    for find, pad, role in (("Dockside break", 0, "kick"), ("Dockside break", 2, "hat"), ("Tin roof rain", 1, "snare")):
        ui.page.get_by_role("button", name=f"Open {find}", exact=True).click()
        ui.page.locator(f"[data-pad='{pad}']").click()
        ui.page.get_by_role("button", name="From the find ▾").click()
        ui.page.get_by_role("menuitem", name=f"Its {role}", exact=True).click()
        ui.wait(f"{HITS}.some(h => h.pad === arg)", pad)
    kicks = [at for at in ui.look("pocket.sources.s1.cuts.filter(c => c.role === 'kick').map(c => c.at)") if at < 32 * STEP]
    kick_beats = [hit["beat"] for hit in ui.look(HITS) if hit["pad"] == 0]
    for at in kicks:
        assert min(abs(beat * 4 * STEP - at) for beat in kick_beats) < 0.012 * RATE
    ui.page.locator("[data-pad='3']").click()
    number(ui, "From beat", 0.5)
    ui.page.get_by_role("group", name="Place hits").get_by_role("button", name="Place").click()
    ui.wait(f"{HITS}.filter(h => h.pad === 3).length === 8")
    ui.page.mouse.click(*spot(ui, 3, 7.5), button="right")
    ui.page.get_by_role("menuitem", name="Roll of 3").click()
    ui.wait(f"{HITS}.some(h => h.roll?.times === 3)")
    # The hum goes to the key by its own button in Shape, and is put on the third beat.
    ui.page.locator("[data-pad='4']").click()
    ui.station("Shape")
    card = ui.page.get_by_role("region", name="Pitch and time", exact=True)
    if card.get_by_role("button").first.get_attribute("aria-expanded") == "false":
        card.get_by_role("button").first.click()
    into = card.get_by_role("button", name="Into the key")
    into.click()
    ui.wait("Math.abs(pocket.pads[4].sound.pitch ?? 0) >= 0.01")
    # There is no more to be done about it.
    expect(into).to_be_hidden()
    ui.station("Rhythm")
    ui.page.mouse.click(*spot(ui, 4, 2))
    ui.wait(f"{HITS}.some(h => h.pad === 4 && h.beat === 2)")
    ui.wait("gp.loopPlayer.loop().hits.some((v, i) => i % 2 && v === 4)")
    rolled = [place for place, pad in heard(ui) if pad == 3][-3:]
    assert np.diff(rolled) == pytest.approx([STEP / 3] * 2, abs=2)
    sound = exported(ui)
    assert 0.1 < np.abs(sound).max() < 1.001
    assert np.isfinite(sound).all()
