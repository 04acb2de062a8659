"""Documents as lists of pieces that they share: a revision costs what its edit changed.

A document names its pieces by number, in the order in which they are laid end to end. The same piece is stored once, however many
revisions and pockets hold it; one that no revision names any more goes when the history is tidied.
"""

from __future__ import annotations

import itertools
import json
import zlib
from collections.abc import Iterable, Iterator
from typing import TypeVar

from sqlalchemy import delete, func, insert, select
from sqlalchemy.orm import Session

from grainpocket.store.database import Database
from grainpocket.store.models import PieceRow, RevisionRow
from grainpocket.store.packing import Packed, Unsound, whole_of

# The first byte of a document that is a list of pieces (see store/packing for the others).
_LISTED = b"\3"
# SQLite takes so many values in one question.
_AT_ONCE = 500
T = TypeVar("T")


def store(session: Session, packed: Packed) -> bytes:
    """Keep the pieces that are new; what the revision's document is to be."""
    pieces = {piece.digest: piece for piece in (packed.rest, *itertools.chain.from_iterable(packed.records.values()))}
    numbers: dict[bytes, int] = {}
    for some in _chunks(pieces):
        numbers |= {
            key: value for key, value in session.execute(select(PieceRow.digest, PieceRow.id).where(PieceRow.digest.in_(some)))
        }
    new = [{"digest": digest, "data": piece.data} for digest, piece in pieces.items() if digest not in numbers]
    for rows in _chunks(new):
        numbers |= {key: value for key, value in session.execute(insert(PieceRow).returning(PieceRow.digest, PieceRow.id), rows)}
    listed = {name: [numbers[piece.digest] for piece in some] for name, some in packed.records.items()}
    text = json.dumps({"rest": numbers[packed.rest.digest], "records": listed}, separators=(",", ":"))
    return _LISTED + zlib.compress(text.encode())


def whole(session: Session, document: bytes) -> bytes:
    """The document as `unpack` takes it. Raises Unsound when a piece of it is missing."""
    if document[:1] != _LISTED:
        return document
    rest, listed = _listed(document)
    numbers = {rest, *itertools.chain.from_iterable(listed.values())}
    data: dict[int, bytes] = {}
    for some in _chunks(numbers):
        data |= {key: value for key, value in session.execute(select(PieceRow.id, PieceRow.data).where(PieceRow.id.in_(some)))}
    if len(data) < len(numbers):
        raise Unsound(f"{len(numbers) - len(data)} pieces of it are missing")
    return whole_of(data[rest], {name: [data[number] for number in some] for name, some in listed.items()})


def _listed(document: bytes) -> tuple[int, dict[str, list[int]]]:
    try:
        told = json.loads(zlib.decompress(document[1:]))
        return int(told["rest"]), {str(name): [int(n) for n in some] for name, some in told["records"].items()}
    except (ValueError, KeyError, TypeError, AttributeError, zlib.error) as error:
        raise Unsound(f"it does not name its pieces: {error}") from error


def sweep(database: Database) -> int:
    """Remove pieces that no revision names; how many. What is named is read first, so that edits wait for no more than a look at
    what was written meanwhile."""
    with database.read() as session:
        known = list(session.scalars(select(PieceRow.id)))
        last = session.scalar(select(func.max(RevisionRow.id))) or 0
        named = _named(session, 0, last)
    with database.write() as session:
        named |= _named(session, last, None)
        unnamed = [number for number in known if number not in named]
        for some in _chunks(unnamed):
            session.execute(delete(PieceRow).where(PieceRow.id.in_(some)))
    return len(unnamed)


def _named(session: Session, after: int, until: int | None) -> set[int]:
    """The pieces that revisions name whose numbers lie behind one, up to another."""
    wanted = select(RevisionRow.document).where(RevisionRow.id > after)
    named: set[int] = set()
    for (document,) in session.execute(wanted if until is None else wanted.where(RevisionRow.id <= until)).yield_per(200):
        if document[:1] == _LISTED:
            try:
                rest, listed = _listed(document)
            except Unsound:
                continue
            named.add(rest)
            named.update(itertools.chain.from_iterable(listed.values()))
    return named


def _chunks(values: Iterable[T]) -> Iterator[list[T]]:
    rest = iter(values)
    while some := list(itertools.islice(rest, _AT_ONCE)):
        yield some
