"""What is written can be opened again; a document that cannot be opened costs its own last step and nothing else."""

from __future__ import annotations

import json
import zlib
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from grainpocket.core.document.sound import Sound
from grainpocket.core.edits import EDIT, Refusal
from grainpocket.core.edits.gridding import MoveGrid, SetGrid
from grainpocket.core.edits.patterns import OriginalRhythm
from grainpocket.core.edits.pocket_wide import SetPocket
from grainpocket.core.edits.spreading import SplitByRole
from grainpocket.core.pocket import Pocket
from grainpocket.store import pieces
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.models import PocketRow, RevisionRow
from grainpocket.store.packing import Packer, Unsound
from grainpocket.store.pockets import PocketStore, Unreadable
from tests.core.test_any_edit import KINDS, Ids, an_edit, desk
from tests.core.test_rebuild import Bench
from tests.signals import drum_loop

TEMPO_EDITS = ("move_grid", "set_grid", "original_rhythm", "split_by_role", "repeat_bars", "remove_pattern")


def everything_opens(path: Path, key: str, last: Pocket) -> None:
    """After a restart: the pocket as it was left, and every state on the way back to its first."""
    again = PocketStore(Database(path))
    state = again.load(key)
    assert state.pocket == last
    while state.undo:
        state = again.undo(key, state.version).after


@settings(max_examples=15, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
@given(data=st.data())
def test_any_edits_then_a_restart(data: st.DataObject, tmp_path_factory: pytest.TempPathFactory) -> None:
    path = tmp_path_factory.mktemp("opening") / "grainpocket.db"
    database = Database(path)
    store = PocketStore(database)
    state = store.create(desk().pocket)
    for _ in range(10):
        kind = data.draw(st.sampled_from([*KINDS, *TEMPO_EDITS * 5]))
        sent = data.draw(an_edit(kind, Ids(state.pocket)))
        try:
            state = store.edit(state.id, state.version, EDIT.validate_python(sent), desk().library).after
        except (ValidationError, Refusal):
            continue
    database.close()
    everything_opens(path, state.id, state.pocket)


@pytest.mark.parametrize("ratio", ["half", "double"])
@pytest.mark.parametrize("lay_out", [OriginalRhythm(source="s1"), SplitByRole(source="s1")])
def test_a_tempo_that_no_pocket_plays_is_refused(ratio: str, lay_out: OriginalRhythm | SplitByRole, database: Database) -> None:
    bench = Bench(drum_loop(bpm=97.3, bars=2))
    store = PocketStore(database)
    state = store.create(bench.pocket)
    for _ in range(2):
        state = store.edit(state.id, state.version, MoveGrid(source="s1", ratio=ratio), bench.library).after  # type: ignore[arg-type]
    with pytest.raises(Refusal, match=r"a pocket plays 30 to 300\. Press (Half|Double) in Listen first"):
        store.edit(state.id, state.version, lay_out, bench.library)
    everything_opens(database.path, state.id, state.pocket)


def test_it_is_laid_out_all_the_same_where_the_tempo_is_not_taken(database: Database) -> None:
    bench = Bench(drum_loop(bpm=97.3, bars=1))
    store = PocketStore(database)
    state = store.create(bench.pocket)
    for edit in (SetGrid(source="s1", bpm=350.0), OriginalRhythm(source="s1", take_tempo=False)):
        state = store.edit(state.id, state.version, edit, bench.library).after
    assert state.pocket.tempo == Pocket(name="x").tempo
    everything_opens(database.path, state.id, state.pocket)


@pytest.mark.parametrize(
    "change", [{"tempo": 376.0}, {"level": float("nan")}, {"name": ""}, {"key": "C"}, {"pages": {0: 5}}, {"next_id": 0}]
)
def test_nothing_is_packed_that_would_not_load(change: dict[str, object]) -> None:
    with pytest.raises(Unsound):
        Packer().pack(desk().pocket.model_copy(update=change))


LOUD = Sound().model_copy(update={"level": 99.0})


@pytest.mark.parametrize(("records", "change"), [("pads", {"sound": LOUD}), ("sources", {"frames": 0}), ("patterns", {"bars": 65})])
def test_no_record_is_packed_that_would_not_load(records: str, change: dict[str, object]) -> None:
    pocket = desk().pocket
    first, record = next(iter(getattr(pocket, records).items()))
    broken = {**getattr(pocket, records), first: record.model_copy(update=change)}
    packer = Packer()
    packer.pack(pocket)
    with pytest.raises(Unsound):
        packer.pack(pocket.model_copy(update={records: broken}))


def break_head(database: Database, key: str) -> None:
    """As a faulty program left it: a tempo that does not load."""
    with database.write() as session:
        row = session.get_one(PocketRow, key)
        head = session.get_one(RevisionRow, row.head)
        document = json.loads(zlib.decompress(pieces.whole(session, head.document)[1:], -zlib.MAX_WBITS))
        head.document = zlib.compress(json.dumps(document | {"tempo": 376.0}).encode())


def test_a_broken_state_offers_the_last_sound_one(database: Database, audio: AudioStore) -> None:
    store = PocketStore(database)
    state = store.create(Pocket(name="Ferry"))
    for tempo in (100.0, 110.0, 120.0):
        state = store.edit(state.id, state.version, SetPocket(tempo=tempo), audio).after
    break_head(database, state.id)
    again = PocketStore(database)
    with pytest.raises(Unreadable) as caught:
        again.load(state.id)
    assert caught.value.sound is not None
    assert caught.value.sound[0] == "tempo"
    with pytest.raises(Unreadable):
        again.edit(state.id, caught.value.version, SetPocket(tempo=90.0), audio)
    moved = again.undo(state.id, caught.value.version)
    assert moved.after.pocket.tempo == 110.0
    with pytest.raises(Refusal, match="cannot be opened"):
        again.redo(state.id, moved.after.version)
    assert again.edit(state.id, moved.after.version, SetPocket(tempo=90.0), audio).after.pocket.tempo == 90.0


def test_undo_and_redo_pass_over_a_broken_state(database: Database, audio: AudioStore) -> None:
    store = PocketStore(database)
    state = store.create(Pocket(name="Ferry"))
    for tempo in (100.0, 110.0):
        state = store.edit(state.id, state.version, SetPocket(tempo=tempo), audio).after
    break_head(database, state.id)
    with database.write() as session:
        # A further step on top of it, as the program that held it in memory made one.
        head = session.get_one(PocketRow, state.id).head
        top = RevisionRow(
            pocket=state.id, parent=head, redo=None, version=99, label="level", author="", gesture=None, edit=None,
            document=Packer().pack(Pocket(name="Ferry", level=-3.0)).whole(), created=1.0,
        )  # fmt: skip
        session.add(top)
        session.flush()
        session.get_one(RevisionRow, head).redo = top.id
        session.get_one(PocketRow, state.id).head = top.id
    again = PocketStore(database)
    moved = again.undo(state.id, again.load(state.id).version)
    assert moved.after.pocket.tempo == 100.0
    assert again.redo(state.id, moved.after.version).after.pocket.level == -3.0
