"""History that does not grow without end: shared pieces, and what is long past thinned to a step a minute."""

from __future__ import annotations

import time
from pathlib import Path

import pytest
from sqlalchemy import func, select

from grainpocket.core.edits import EDIT
from grainpocket.core.pocket import Pocket
from grainpocket.store import pieces
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.models import PieceRow, RevisionRow
from grainpocket.store.packing import Unsound, unpack
from grainpocket.store.pockets import PocketStore
from grainpocket.store.tidying import tidy

DAY_S = 24 * 3600.0


class Desk:
    def __init__(self, folder: Path) -> None:
        self.database = Database(folder / "x.db")
        self.store, self.audio = PocketStore(self.database), AudioStore(folder / "audio")
        self.key = self.store.create(Pocket(name="Ferry")).id

    def tempo(self, value: float) -> None:
        self.store.edit(self.key, None, EDIT.validate_python({"type": "set_pocket", "tempo": value}), self.audio)

    @property
    def state(self) -> float:
        return self.store.load(self.key).pocket.tempo

    def undo(self) -> float:
        return self.store.undo(self.key, self.store.load(self.key).version).after.pocket.tempo

    def redo(self) -> float:
        return self.store.redo(self.key, self.store.load(self.key).version).after.pocket.tempo

    def count(self, row: type[PieceRow] | type[RevisionRow]) -> int:
        with self.database.read() as session:
            return session.scalar(select(func.count()).select_from(row)) or 0


@pytest.fixture
def desk(tmp_path: Path) -> Desk:
    return Desk(tmp_path)


def test_an_edit_of_a_large_pocket_costs_a_few_hundred_bytes_more(desk: Desk) -> None:
    for k in range(40):
        hits = [{"pad": k % 16, "beat": b / 4} for b in range(32)]
        desk.store.edit(
            desk.key, None, EDIT.validate_python({"type": "add_pattern", "name": f"P{k}", "bars": 4, "hits": hits}), desk.audio
        )
    before = tidy(desk.database, shrink=True).after
    for k in range(200):
        desk.tempo(100 + k / 10)
    assert (tidy(desk.database, shrink=True).after - before) / 200 < 3000
    # It is whole again when it is read by another process.
    assert len(PocketStore(desk.database).load(desk.key).pocket.patterns) == 40


def at(monkeypatch: pytest.MonkeyPatch, when: float) -> None:
    monkeypatch.setattr(time, "time", lambda: when)


def test_long_ago_one_step_a_minute_stays_and_undo_walks_them(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    now = 1_800_000_000.0
    for minute in range(5):
        for second in range(10):
            at(monkeypatch, now - 40 * DAY_S + minute * 60 + second)
            desk.tempo(100 + minute * 10 + second)
    for k in range(3):
        at(monkeypatch, now - DAY_S + k)
        desk.tempo(170 + k)
    done = tidy(desk.database)
    assert done.revisions == 5 * 9
    seen = [desk.state]
    while desk.store.load(desk.key).undo is not None:
        seen.append(desk.undo())
    # The minutes' last states, and each of the newer ones; the first state of all is the empty pocket.
    assert seen[:-1] == [172, 171, 170, 149, 139, 129, 119, 109]
    again = []
    while desk.store.load(desk.key).redo is not None:
        again.append(desk.redo())
    assert again == seen[:-1][::-1]
    assert tidy(desk.database).revisions == 0


def test_a_branch_that_nobody_can_reach_goes_when_it_is_old(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    now = 1_800_000_000.0
    at(monkeypatch, now - 40 * DAY_S)
    desk.tempo(101)
    at(monkeypatch, now - 40 * DAY_S + 70)
    desk.tempo(102)
    desk.undo()
    desk.tempo(103)
    at(monkeypatch, now)
    revisions, stored = desk.count(RevisionRow), desk.count(PieceRow)
    done = tidy(desk.database)
    assert (done.revisions, desk.count(RevisionRow)) == (1, revisions - 1)
    assert desk.count(PieceRow) == stored - done.pieces < stored
    assert desk.undo() == 101
    assert desk.redo() == 103


def test_what_can_be_redone_is_kept(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    now = 1_800_000_000.0
    for k in range(4):
        at(monkeypatch, now - 40 * DAY_S + 70 * k)
        desk.tempo(101 + k)
    desk.undo()
    desk.undo()
    at(monkeypatch, now)
    tidy(desk.database)
    assert [desk.redo(), desk.redo()] == [103, 104]
    assert desk.undo() == 103


def test_a_document_whose_pieces_are_missing_is_told_as_unsound(desk: Desk) -> None:
    desk.tempo(120)
    with desk.database.write() as session:
        head = session.scalars(select(RevisionRow).order_by(RevisionRow.id.desc())).first()
        assert head is not None
        assert unpack(pieces.whole(session, head.document)).tempo == 120
        session.delete(session.scalars(select(PieceRow).order_by(PieceRow.id.desc())).first())
        session.flush()
        with pytest.raises(Unsound, match="missing"):
            pieces.whole(session, head.document)
        with pytest.raises(Unsound, match="name its pieces"):
            pieces.whole(session, b"\3nothing")
