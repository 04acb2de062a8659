"""A data folder as one file, made while the application runs, and back again.

The file is a ZIP: `grainpocket.db`, a snapshot of the database by SQLite's own backup, and `audio/`, `takes/` and `models/` as
they lie on disk. A sound is in its folder whole or not at all, so that what the snapshot names is there when the sounds are read
after it.
"""

from __future__ import annotations

import sqlite3
import tempfile
import zipfile
from pathlib import Path

from grainpocket.settings import Settings
from grainpocket.store.audio import is_hash


class NoBackup(Exception):
    """A backup that cannot be made or restored; the message says why and what to do."""


def backup(settings: Settings, target: Path) -> int:
    """Write everything to `target`; how many files it holds. Raises NoBackup; then nothing is left of it."""
    if not settings.database.exists():
        raise NoBackup(f"There is nothing in {settings.data} to back up.")
    if target.exists():
        raise NoBackup(f"{target} is there already. Choose another name.")
    part = target.with_name(f"{target.name}.part")
    count = 1
    try:
        with tempfile.TemporaryDirectory(dir=target.parent) as folder, zipfile.ZipFile(part, "w", zipfile.ZIP_STORED, True) as out:
            snapshot = Path(folder) / "grainpocket.db"
            with sqlite3.connect(settings.database) as live, sqlite3.connect(snapshot) as copy:
                live.backup(copy)
            out.write(snapshot, "grainpocket.db", zipfile.ZIP_DEFLATED)
            for file in _files(settings):
                out.write(file, str(file.relative_to(settings.data)))
                count += 1
        part.rename(target)
    except OSError as error:
        raise NoBackup(f"The backup could not be written: {error.strerror or error}.") from error
    finally:
        part.unlink(missing_ok=True)
    return count


def _files(settings: Settings) -> list[Path]:
    sounds = [folder for folder in sorted(settings.audio.glob("*")) if is_hash(folder.name)]
    return [file for folder in [*sounds, settings.takes, settings.models] for file in sorted(folder.glob("*")) if file.is_file()]


def restore(settings: Settings, source: Path) -> int:
    """Unpack a backup into a data folder that holds nothing yet; how many files.

    Raises NoBackup; then nothing is left of it.
    """
    if settings.database.exists() or settings.audio.exists():
        raise NoBackup(
            f"{settings.data} holds pockets already, and nothing is written over them. Choose an empty folder with --data."
        )
    try:
        with zipfile.ZipFile(source) as file:
            names = file.namelist()
            if "grainpocket.db" not in names:
                raise NoBackup(f"{source} is no backup of Grain Pocket.")
            for name in names:
                path = Path(name)
                if path.is_absolute() or ".." in path.parts or path.parts[0] not in ("grainpocket.db", "audio", "takes", "models"):
                    raise NoBackup(f"{source} holds a file that no backup holds ({name}). Nothing was restored.")
            # The database last: a folder without one is one that was not finished.
            for name in [*(n for n in names if n != "grainpocket.db"), "grainpocket.db"]:
                file.extract(name, settings.data)
    except (zipfile.BadZipFile, OSError) as error:
        raise NoBackup(f"{source} cannot be read: {error}. What was unpacked so far lies in {settings.data}.") from error
    return len(names)
