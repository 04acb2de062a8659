"""History that is long past, thinned: of every minute of it the last state stays, and parts that nobody names go."""

from __future__ import annotations

import itertools
import time
from contextlib import closing
from dataclasses import dataclass

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from grainpocket.store import pieces
from grainpocket.store.database import Database
from grainpocket.store.models import PocketRow, RevisionRow

PAST_S = 30 * 24 * 3600.0
MINUTE_S = 60.0


@dataclass(frozen=True)
class Tidied:
    """revisions, pieces: how many went; before, after: bytes of the database."""

    revisions: int
    pieces: int
    before: int
    after: int


def tidy(database: Database, past_s: float = PAST_S, shrink: bool = False) -> Tidied:
    """Merge steps that are older than past_s into one a minute, and drop branches of that age that undo and redo no longer reach.
    shrink: also give the room back to the disk, which rewrites the database."""
    before = size_of(database)
    gone = 0
    with database.write() as session:
        for pocket in session.scalars(select(PocketRow)):
            gone += _thin(session, pocket, time.time() - past_s)
    swept = pieces.sweep(database)
    if shrink:
        with closing(database.raw()) as connection:
            connection.execute("VACUUM")
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return Tidied(gone, swept, before, size_of(database))


def size_of(database: Database) -> int:
    """Bytes of the database with what it has not written back yet."""
    files = [database.path, database.path.with_name(f"{database.path.name}-wal")]
    return sum(file.stat().st_size for file in files if file.is_file())


def _thin(session: Session, pocket: PocketRow, before: float) -> int:
    """How many revisions of a pocket went."""
    wanted = select(RevisionRow.id, RevisionRow.parent, RevisionRow.redo, RevisionRow.created).where(
        RevisionRow.pocket == pocket.id
    )
    rows = {row.id: row for row in session.execute(wanted)}
    # The line that undo and redo walk, from the first state to the last.
    line, at = [], pocket.head
    while at is not None and at in rows:
        line.append(at)
        at = rows[at].parent
    line.reverse()
    at = rows[pocket.head].redo if pocket.head in rows else None
    while at is not None and at in rows and at not in line:
        line.append(at)
        at = rows[at].redo
    kept = [
        number
        for place, number in enumerate(line)
        if place == 0
        or number == pocket.head
        or rows[number].created >= before
        or place + 1 == len(line)
        or int(rows[number].created / MINUTE_S) != int(rows[line[place + 1]].created / MINUTE_S)
    ]
    gone = [number for number, row in rows.items() if number not in set(kept) and (number in set(line) or row.created < before)]
    if not gone:
        return 0
    # Each step leads to the one that is left beside it.
    for number, after in itertools.pairwise(kept):
        session.get_one(RevisionRow, number).redo = after
        session.get_one(RevisionRow, after).parent = number
    session.flush()
    for first in range(0, len(gone), 500):
        session.execute(delete(RevisionRow).where(RevisionRow.id.in_(gone[first : first + 500])))
    return len(gone)
