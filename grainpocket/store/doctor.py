"""What is wrong with a data folder, in words, and what of it can be mended.

Looks, while the application runs or not, at: room and rights; the database; every pocket's present state and the way back from
one that does not load; every sound that present states and the shelf name, sample by sample against its hash; what killed
processes left behind. Mending goes back to the last state that loads and removes leftovers; it touches no sound.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import sqlite3
import time
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile as sf

from grainpocket.settings import Settings
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.jobs import OPEN, JobStore
from grainpocket.store.pockets import PocketStore, Unreadable
from grainpocket.store.shelf import ShelfStore

LITTLE_ROOM = 200_000_000  # bytes; an import of some minutes
LEFT_S = 600.0  # what nobody has touched for so long is nobody's
BLOCK = 1 << 18


@dataclass(frozen=True)
class Finding:
    """text: what is wrong and what to do, for a musician; mended: whether it is no longer so."""

    text: str
    mended: bool = False


def examine(settings: Settings, mend: bool = False) -> Iterator[Finding]:
    """What is wrong with a data folder, one after the other; nothing when all is well."""
    yield from _folder(settings.data)
    if not settings.database.exists():
        yield Finding(f"There is no database in {settings.data}: nothing was made here yet, or this is another folder.")
        return
    damage = _damage(settings.database)
    if damage:
        yield Finding(f"The database is damaged ({damage}). Restore a backup; the sounds in the folder are not touched by it.")
        return
    database = Database(settings.database)
    try:
        yield from _pockets(PocketStore(database), mend)
        yield from _sounds(PocketStore(database), ShelfStore(database, AudioStore(settings.audio)), settings)
        yield from _leftovers(settings, JobStore(database), mend)
    finally:
        database.close()


def _damage(file: Path) -> str:
    """What SQLite finds wrong with the file, empty when nothing. Read only: a damaged database is not written to."""
    try:
        with closing(sqlite3.connect(f"{file.absolute().as_uri()}?mode=ro", uri=True)) as raw:
            said = str(raw.execute("PRAGMA integrity_check").fetchone()[0])
    except sqlite3.DatabaseError as error:
        return str(error)
    return "" if said == "ok" else said.splitlines()[0]


def _folder(data: Path) -> Iterator[Finding]:
    if not data.is_dir():
        yield Finding(f"The folder {data} is not there.")
        return
    if not os.access(data, os.W_OK):
        yield Finding(f"Nothing can be written into {data}: change its rights, or start as the one whom it belongs to.")
    free = shutil.disk_usage(data).free
    if free < LITTLE_ROOM:
        yield Finding(f"Only {free / 1e6:,.0f} MB are free on the disk of {data}. Make some room before you bring in more.")


def _pockets(pockets: PocketStore, mend: bool) -> Iterator[Finding]:
    for row in (*pockets.listing(), *pockets.listing(binned=True)):
        try:
            pockets.load(row.id)
        except Unreadable as error:
            if error.sound is None:
                yield Finding(
                    f"Pocket {row.name}: no state of it can be opened. Restore it from a backup; other pockets are not touched."
                )
            elif mend:
                pockets.undo(row.id, error.version)
                text = f"Pocket {row.name}: its last state could not be opened; it is back after “{error.sound[0]}”."
                yield Finding(text, True)
            else:
                yield Finding(f"Pocket {row.name}: its last state cannot be opened; it can go back to after “{error.sound[0]}”.")


def _sounds(pockets: PocketStore, shelf: ShelfStore, settings: Settings) -> Iterator[Finding]:
    named: dict[str, str] = {}
    for row in (*pockets.listing(), *pockets.listing(binned=True)):
        try:
            for source in pockets.load(row.id).pocket.sources.values():
                named.setdefault(source.audio, f"{source.name} in {row.name}")
        except Unreadable:
            continue
    for entry in shelf.listing():
        named.setdefault(entry.favourite.audio, f"{entry.favourite.name} on the shelf")
    for audio, name in named.items():
        file = settings.audio / audio / "audio.wav"
        if not file.is_file():
            yield Finding(f"The sound of {name} is missing. Bring its file in again, or restore a backup.")
        elif _hash_of(file) != audio:
            yield Finding(
                f"The sound of {name} is damaged: it is not what was stored. Bring its file in again, or restore a backup."
            )


def _hash_of(file: Path) -> str:
    """As the store names it: of its samples, rate and channels."""
    try:
        with sf.SoundFile(str(file)) as sound:
            digest = hashlib.sha256(f"f32 {sound.channels} {sound.samplerate}\n".encode())
            for block in sound.blocks(BLOCK, dtype="float32", always_2d=True):
                digest.update(np.ascontiguousarray(block, dtype="<f4").tobytes())
            return digest.hexdigest()
    except (sf.LibsndfileError, OSError):
        return ""


def _leftovers(settings: Settings, jobs: JobStore, mend: bool) -> Iterator[Finding]:
    left: list[Path] = []
    for file in settings.uploads.glob("*"):
        row = jobs.get(file.stem)
        if row is None or row.state not in OPEN:
            left.append(file)
    left += [part for part in (settings.audio / ".parts").glob("*") if part.is_dir()]
    left += [file for file in settings.takes.glob("*.f32") if not file.stat().st_size]
    old = [path for path in left if time.time() - _touched(path) > LEFT_S]
    if not old:
        return
    size = sum(file.stat().st_size for path in old for file in _within(path))
    if mend:
        for path in old:
            if path.is_dir():
                shutil.rmtree(path, ignore_errors=True)
            else:
                path.unlink(missing_ok=True)
    done = "removed now" if mend else "to be removed"
    what = "1 leftover" if len(old) == 1 else f"{len(old)} leftovers"
    yield Finding(f"{what} of work that was broken off, {size / 1e6:.1f} MB, {done}.", mend)


def _within(path: Path) -> list[Path]:
    return [path] if path.is_file() else [file for file in path.rglob("*") if file.is_file()]


def _touched(path: Path) -> float:
    """When something was last written to it. A folder's own time stands still while a long import writes into its file."""
    return max([path.stat().st_mtime, *(file.stat().st_mtime for file in _within(path))])
