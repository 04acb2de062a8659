"""Revisions: undo and redo, gestures, stale edits, restarts."""

from __future__ import annotations

import pytest

from grainpocket.core.edits import Refusal
from grainpocket.core.edits.hitting import PutHits
from grainpocket.core.edits.patterns import AddPattern, RemovePattern, SetPattern
from grainpocket.core.edits.pocket_wide import SetPocket
from grainpocket.core.pocket import Hit, Pocket
from grainpocket.settings import Settings
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.packing import Packer, unpack
from grainpocket.store.pockets import NoSuchPocket, PocketStore, Stale, _row


@pytest.fixture
def key(pockets: PocketStore) -> str:
    return pockets.create(Pocket(name="Empty")).id


def tempo_edit(
    pockets: PocketStore, audio: AudioStore, key: str, tempo: float, gesture: str | None = None, author: str = "a"
) -> None:
    version = pockets.load(key).version
    pockets.edit(key, version, SetPocket(tempo=tempo), audio, gesture=gesture, author=author)


def test_undo_and_redo_walk_the_history(pockets: PocketStore, audio: AudioStore, key: str) -> None:
    for tempo in (100, 110, 120):
        tempo_edit(pockets, audio, key, tempo)
    seen = []
    while (state := pockets.load(key)).undo:
        seen.append(state.pocket.tempo)
        pockets.undo(key, state.version)
    assert seen == [120, 110, 100]
    assert state.pocket.tempo == Pocket(name="x").tempo
    while (state := pockets.load(key)).redo:
        pockets.redo(key, state.version)
    assert state.pocket.tempo == 120
    with pytest.raises(Refusal):
        pockets.redo(key, state.version)


def test_history_survives_a_restart(settings: Settings, pockets: PocketStore, audio: AudioStore, key: str) -> None:
    tempo_edit(pockets, audio, key, 101)
    tempo_edit(pockets, audio, key, 102)
    pockets.undo(key, pockets.load(key).version)
    again = PocketStore(Database(settings.database))
    state = again.load(key)
    assert state.pocket.tempo == 101
    assert again.redo(key, state.version).after.pocket.tempo == 102


def test_a_new_edit_ends_what_could_be_redone(pockets: PocketStore, audio: AudioStore, key: str) -> None:
    tempo_edit(pockets, audio, key, 101)
    pockets.undo(key, pockets.load(key).version)
    tempo_edit(pockets, audio, key, 140)
    assert pockets.load(key).redo is None
    assert pockets.undo(key, pockets.load(key).version).after.pocket.tempo != 101


def test_a_drag_is_one_step(pockets: PocketStore, audio: AudioStore, key: str) -> None:
    tempo_edit(pockets, audio, key, 99)
    for tempo in range(100, 120):
        tempo_edit(pockets, audio, key, tempo, gesture="drag")
    assert pockets.load(key).pocket.tempo == 119
    assert pockets.undo(key, pockets.load(key).version).after.pocket.tempo == 99
    assert pockets.redo(key, pockets.load(key).version).after.pocket.tempo == 119


def test_gestures_of_two_tabs_stay_two_steps(pockets: PocketStore, audio: AudioStore, key: str) -> None:
    tempo_edit(pockets, audio, key, 100, gesture="g", author="one")
    tempo_edit(pockets, audio, key, 130, gesture="g", author="two")
    assert pockets.undo(key, pockets.load(key).version).after.pocket.tempo == 100


def test_an_edit_on_an_old_state_is_stale(pockets: PocketStore, audio: AudioStore, key: str) -> None:
    old = pockets.load(key).version
    tempo_edit(pockets, audio, key, 100)
    with pytest.raises(Stale) as caught:
        pockets.edit(key, old, SetPocket(tempo=77), audio)
    assert caught.value.state.pocket.tempo == 100
    assert caught.value.since == ["tempo"]
    assert not caught.value.additive
    assert pockets.load(key).pocket.tempo == 100


def test_an_edit_whose_answer_was_lost_is_made_once(pockets: PocketStore, audio: AudioStore, key: str) -> None:
    """It is sent again on the version that its first sending was made on."""
    old = pockets.load(key).version
    edit = AddPattern(name="Once")
    made = pockets.edit(key, old, edit, audio, gesture="g", author="tab").after
    again = pockets.edit(key, old, edit, audio, gesture="g", author="tab")
    assert again.before.version == again.after.version == made.version == old + 1
    assert len(again.after.pocket.patterns) == 1
    # Another tab, a tab without a name, another edit, or one on which something was built since: a conflict as ever.
    for other, author in ((edit, "other"), (edit, ""), (AddPattern(name="Twice"), "tab")):
        with pytest.raises(Stale):
            pockets.edit(key, old, other, audio, gesture="g", author=author)
    pockets.edit(key, made.version, SetPocket(tempo=99), audio, author="tab")
    with pytest.raises(Stale):
        pockets.edit(key, old, edit, audio, gesture="g", author="tab")
    undone = pockets.undo(key, made.version + 1)
    with pytest.raises(Stale):
        pockets.edit(key, made.version, SetPocket(tempo=99), audio, author="tab")
    assert undone.after.version == made.version + 2


def test_an_undo_makes_older_edits_stale_too(pockets: PocketStore, audio: AudioStore, key: str) -> None:
    tempo_edit(pockets, audio, key, 100)
    seen = pockets.load(key).version
    pockets.undo(key, seen)
    with pytest.raises(Stale):
        pockets.edit(key, seen, SetPocket(level=-3), audio)


def test_imports_in_between_are_additive(pockets: PocketStore, audio: AudioStore, key: str) -> None:
    old = pockets.load(key).version
    pockets.edit(key, None, AddPattern(name="stands for a find"), audio, author="import", gesture="job")
    with pytest.raises(Stale) as caught:
        pockets.edit(key, old, SetPocket(tempo=77), audio)
    assert caught.value.additive
    assert pockets.has_gesture(key, "job")


def test_an_edit_that_changes_nothing_makes_no_revision(pockets: PocketStore, audio: AudioStore, key: str) -> None:
    tempo_edit(pockets, audio, key, 100)
    version = pockets.load(key).version
    tempo_edit(pockets, audio, key, 100)
    assert pockets.load(key).version == version


def test_a_refused_edit_leaves_all_as_it_was(pockets: PocketStore, audio: AudioStore, key: str) -> None:
    before = pockets.load(key)
    with pytest.raises(Refusal):
        pockets.edit(key, before.version, RemovePattern(pattern="p9"), audio)
    assert pockets.load(key) == before


def test_an_unknown_pocket(pockets: PocketStore) -> None:
    with pytest.raises(NoSuchPocket):
        pockets.load("nowhere")


def test_packing_gives_back_the_same_pocket(pockets: PocketStore, audio: AudioStore, key: str) -> None:
    packer = Packer()
    pocket = Pocket(name='Quote " and \\ and ∿')
    for edit in (
        AddPattern(name="A"),
        PutHits(pattern="p1", hits=(Hit(pad=3, beat=1 / 3), Hit(pad=0, beat=0.1))),
        SetPattern(pattern="p1", swing=61.5),
    ):
        pocket = edit.made(pocket, audio)
        assert unpack(packer.pack(pocket).whole()) == pocket
    assert unpack(packer.pack(pocket).whole()).patterns["p1"].hits[0].beat == 0.1


def test_readers_and_undo_leave_the_records_the_very_same(pockets: PocketStore, audio: AudioStore, key: str) -> None:
    """Who still reads an older state beside an edit must not make the newest be opened anew: nothing would be shared with it."""
    tempo_edit(pockets, audio, key, 101)
    with pockets._database.read() as session:
        row, head = _row(session, key)
        old = pockets._state(session, row, head).pocket
        tempo_edit(pockets, audio, key, 102)
        newest = pockets.load(key).pocket
        # The snapshot of this session is as old as it was.
        assert pockets._state(session, row, head).pocket is old
        assert pockets.load(key).pocket is newest
    assert pockets.undo(key, pockets.load(key).version).after.pocket is old
    assert pockets.redo(key, pockets.load(key).version).after.pocket is newest
