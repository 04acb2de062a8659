"""Pockets and their history: edits make revisions, undo and redo move a pointer."""

from __future__ import annotations

import logging
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from grainpocket.core.edits import Edit, Library, Refusal
from grainpocket.core.kept import Kept
from grainpocket.core.pocket import Pocket
from grainpocket.store import pieces
from grainpocket.store.database import Database
from grainpocket.store.models import JobRow, PocketRow, RevisionRow
from grainpocket.store.packing import Packer, Unsound, unpack

log = logging.getLogger("grainpocket.store")
# Of all pockets together; those of one pocket share their records.
_MOST_STATES = 24
BIN_DAYS = 30


@dataclass(frozen=True)
class State:
    """A pocket as it stands. undo and redo name what those buttons would do, or are None."""

    id: str
    version: int
    pocket: Pocket
    undo: str | None
    redo: str | None


@dataclass(frozen=True)
class Moved:
    """A step from one state to the next."""

    before: State
    after: State


class Stale(Exception):
    """The pocket has moved on since the state that the edit was made on. `additive` when only finds were added."""

    def __init__(self, state: State, since: list[str], additive: bool) -> None:
        super().__init__("stale")
        self.state, self.since, self.additive = state, since, additive


class NoSuchPocket(KeyError):
    pass


class Unreadable(Exception):
    """A pocket whose present state does not load, as one that an older program wrote. label: what made that state; sound:
    (what made it, when) of the newest earlier state that does load, to which undo leads."""

    def __init__(self, version: int, name: str, label: str, sound: tuple[str, float] | None) -> None:
        super().__init__(f"{name}: {label}")
        self.version, self.name, self.label, self.sound = version, name, label, sound


class PocketStore:
    def __init__(self, database: Database) -> None:
        self._database = database
        # By revision, which never changes; when it was made, as the number of one that was not committed is given out again. Who
        # still reads an older one must not push the newest out: what is opened anew shares no record with it.
        self._parsed: Kept[tuple[int, float], Pocket] = Kept(_MOST_STATES)
        self._packer = Packer()

    def listing(self, binned: bool = False) -> list[PocketRow]:
        """Those that are not in the bin, the newest first; or those that are."""
        inside = PocketRow.binned.is_not(None) if binned else PocketRow.binned.is_(None)
        with self._database.read() as session:
            return list(session.scalars(select(PocketRow).where(inside).order_by(PocketRow.touched.desc())))

    def copy(self, key: str, name: str) -> State:
        """A new pocket that is as this one is now; its history begins with that."""
        return self.create(self.load(key).pocket.model_copy(update={"name": name}))

    def bin(self, key: str, into: bool) -> None:
        """Put a pocket into the bin, or take it out again. Raises NoSuchPocket."""
        with self._database.write() as session:
            row, _ = _row(session, key)
            row.binned = time.time() if into else None

    def empty_bin(self, older_than_s: float) -> list[str]:
        """Remove for good, with their history, what has been in the bin for longer; their ids."""
        gone = []
        with self._database.write() as session:
            for row in session.scalars(select(PocketRow).where(PocketRow.binned < time.time() - older_than_s)):
                gone.append(row.id)
                row.head = None
                session.flush()
                session.execute(delete(RevisionRow).where(RevisionRow.pocket == row.id))
                session.execute(delete(JobRow).where(JobRow.pocket == row.id))
                session.delete(row)
        return gone

    def create(self, pocket: Pocket, pocket_id: str | None = None) -> State:
        key, now = pocket_id or uuid.uuid4().hex[:12], time.time()
        with self._database.write() as session:
            row = PocketRow(id=key, name=pocket.name, head=None, version=1, created=now, touched=now)
            session.add(row)
            session.flush()
            first = RevisionRow(
                pocket=key, parent=None, redo=None, version=1, label="new pocket", author="", gesture=None, edit=None,
                document=pieces.store(session, self._packer.pack(pocket)), created=now,
            )  # fmt: skip
            session.add(first)
            session.flush()
            row.head = first.id
        return self.load(key)

    def load(self, key: str) -> State:
        with self._database.read() as session:
            row, head = _row(session, key)
            return self._state(session, row, head)

    def at_version(self, key: str, version: int) -> Pocket:
        """The pocket as it was at a version, or as it is now where that state was folded into a later one of the same gesture."""
        with self._database.read() as session:
            row, head = _row(session, key)
            wanted = select(RevisionRow).where(RevisionRow.pocket == key, RevisionRow.version == version)
            found = session.scalars(wanted).first() if version != row.version else None
            return self._state(session, row, head).pocket if found is None else unpack(pieces.whole(session, found.document))

    def edit(
        self, key: str, version: int | None, edit: Edit, library: Library, *, gesture: str | None = None, author: str = "",
        begun: Callable[[Pocket], None] | None = None,
    ) -> Moved:  # fmt: skip
        """Apply an edit made on `version` (None: on whatever is newest, for work that only adds).

        Raises Stale when the pocket has moved on, Refusal when the edit cannot be made, Unsound when what it made could not
        be opened again, Unreadable when the pocket cannot be opened as it is. An edit that changes nothing makes no
        revision, and so does one that is sent once more because its answer was lost on the way: the newest state is its own.
        Edits of one gesture by one author become one step of undo. begun is given the new pocket before it is
        written, so that other work on it can start.
        """
        with self._database.write() as session:
            row, head = _row(session, key)
            state = self._state(session, row, head)
            if version is not None and version != row.version:
                if author and _repeated(row, head, version, edit, gesture, author):
                    return Moved(state, state)
                raise self._stale(session, state, version)
            new = edit.made(state.pocket, library)
            if new == state.pocket:
                return Moved(state, state)
            packed = self._packer.pack(new)
            if begun is not None:
                begun(new)
            continues = gesture is not None and gesture == head.gesture and author == head.author and head.parent is not None
            parent = session.get_one(RevisionRow, head.parent) if continues else head
            row.version += 1
            row.name, row.touched = new.name, time.time()
            made = RevisionRow(
                pocket=key, parent=parent.id, redo=None, version=row.version,
                label=head.label if continues else edit.label(state.pocket), author=author, gesture=gesture,
                edit=edit.model_dump_json(), document=pieces.store(session, packed), created=row.touched,
            )  # fmt: skip
            session.add(made)
            session.flush()
            parent.redo, row.head = made.id, made.id
            if continues:
                session.flush()
                session.delete(head)
            self._parsed.put((made.id, made.created), new)
            return Moved(state, self._state(session, row, made))

    def has_gesture(self, key: str, gesture: str) -> bool:
        """Whether an edit of this gesture was ever made, undone or not."""
        with self._database.read() as session:
            wanted = select(RevisionRow.id).where(RevisionRow.pocket == key, RevisionRow.gesture == gesture).limit(1)
            return session.scalar(wanted) is not None

    def undo(self, key: str, version: int) -> Moved:
        return self._move(key, version, "parent", "There is nothing left to undo.")

    def redo(self, key: str, version: int) -> Moved:
        return self._move(key, version, "redo", "There is nothing to redo.")

    def _move(self, key: str, version: int, way: str, nothing: str) -> Moved:
        """Along the history to the next state that loads: one that does not is passed over."""
        with self._database.write() as session:
            row, head = _row(session, key)
            try:
                before = self._state(session, row, head)
            except Unreadable:
                # Nobody has seen it: all that comes after differs from an empty pocket.
                before = State(row.id, row.version, Pocket(name=row.name), head.label, None)
            if version != row.version:
                raise self._stale(session, before, version)
            if getattr(head, way) is None:
                raise Refusal(nothing)
            target = self._next_sound(session, head, way)
            if target is None:
                raise Refusal("The steps that way cannot be opened: they were written by a faulty program. All else is kept.")
            row.head = target.id
            row.version += 1
            row.touched = time.time()
            after = self._state(session, row, target)
            row.name = after.pocket.name
            return Moved(before, after)

    def _next_sound(self, session: Session, head: RevisionRow, way: str) -> RevisionRow | None:
        """The nearest revision along `way` ("parent" or "redo") whose document loads."""
        at: RevisionRow | None = head
        while at is not None and (number := getattr(at, way)) is not None:
            at = session.get(RevisionRow, number)
            if at is not None and _loads(session, at.document):
                return at
        return None

    def _stale(self, session: Session, state: State, version: int) -> Stale:
        rows = session.execute(
            select(RevisionRow.label, RevisionRow.author, RevisionRow.version)
            .where(RevisionRow.pocket == state.id, RevisionRow.version > version)
            .order_by(RevisionRow.version)
        ).all()
        # Every version in between must be an import: an undo leaves no row, and then it is not known what changed.
        additive = len(rows) == state.version - version and all(author == "import" for _, author, _ in rows)
        return Stale(state, [label for label, _, _ in rows], additive)

    def _state(self, session: Session, row: PocketRow, head: RevisionRow) -> State:
        try:
            pocket = self._parsed.made((head.id, head.created), lambda: unpack(pieces.whole(session, head.document)))
        except Unsound as error:
            log.error("pocket %s, revision %s does not load: %s", row.id, head.id, error)
            sound = self._next_sound(session, head, "parent")
            raise Unreadable(row.version, row.name, head.label, (sound.label, sound.created) if sound else None) from error
        redo = session.get(RevisionRow, head.redo) if head.redo is not None else None
        return State(row.id, row.version, pocket, head.label if head.parent is not None else None, redo.label if redo else None)


def _repeated(row: PocketRow, head: RevisionRow, version: int, edit: Edit, gesture: str | None, author: str) -> bool:
    """Whether the newest state is what this very edit made of `version`: a tab sends one at a time, on what the last one left."""
    made = (head.version, head.author, head.gesture, head.edit)
    return row.version == head.version and made == (version + 1, author, gesture, edit.model_dump_json())


def _loads(session: Session, document: bytes) -> bool:
    try:
        unpack(pieces.whole(session, document))
    except Unsound:
        return False
    return True


def _row(session: Session, key: str) -> tuple[PocketRow, RevisionRow]:
    both = select(PocketRow, RevisionRow).join(RevisionRow, RevisionRow.id == PocketRow.head).where(PocketRow.id == key)
    found = session.execute(both).one_or_none()
    if found is None:
        raise NoSuchPocket(key)
    return found[0], found[1]
