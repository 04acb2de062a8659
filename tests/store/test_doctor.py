"""The doctor says what is wrong and mends what can be mended; backups come back as they went."""

from __future__ import annotations

import os
import sqlite3
import time
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner

from grainpocket.cli import main
from grainpocket.core.edits.pocket_wide import AddSource, SetPocket
from grainpocket.core.pocket import Pocket
from grainpocket.settings import Settings
from grainpocket.store.audio import AudioStore
from grainpocket.store.backup import NoBackup, backup, restore
from grainpocket.store.database import Database
from grainpocket.store.doctor import examine
from grainpocket.store.pockets import PocketStore
from tests.signals import RATE, drum_loop
from tests.store.test_opening import break_head


@pytest.fixture
def made(settings: Settings, database: Database, audio: AudioStore) -> str:
    """A pocket with a find in it; its audio."""
    sound = drum_loop(bars=1).samples.astype(np.float32)
    digest = audio.add(sound, RATE)
    pockets = PocketStore(database)
    state = pockets.create(Pocket(name="Ferry"), "ferry")
    add = AddSource(name="Loop", audio=digest, frames=len(sound), channels=2)
    state = pockets.edit("ferry", state.version, add, audio).after
    pockets.edit("ferry", state.version, SetPocket(tempo=99.0), audio)
    return digest


def said(settings: Settings, mend: bool = False) -> list[str]:
    return [finding.text for finding in examine(settings, mend)]


def test_a_sound_folder_has_nothing_wrong(settings: Settings, made: str) -> None:
    assert said(settings) == []


def test_a_state_that_does_not_load_is_told_and_mended(settings: Settings, database: Database, made: str) -> None:
    break_head(database, "ferry")
    assert "can go back to after “add Loop”" in said(settings)[0]
    assert "is back after “add Loop”" in said(settings, mend=True)[0]
    assert said(settings) == []
    assert PocketStore(database).load("ferry").pocket.tempo == Pocket(name="x").tempo


@pytest.mark.parametrize("how", ["missing", "damaged", "cut off"])
def test_a_sound_that_is_not_what_was_stored(settings: Settings, made: str, how: str) -> None:
    file = settings.audio / made / "audio.wav"
    if how == "missing":
        file.unlink()
    elif how == "damaged":
        data = bytearray(file.read_bytes())
        data[len(data) // 2] ^= 0x40
        file.write_bytes(data)
    else:
        file.write_bytes(file.read_bytes()[:2000])
    (text,) = said(settings)
    assert "Loop in Ferry" in text
    assert ("missing" if how == "missing" else "damaged") in text
    assert said(settings, mend=True) == [text], "no sound is touched"


def test_leftovers_are_told_and_removed_when_they_are_old(settings: Settings, made: str) -> None:
    settings.uploads.mkdir(parents=True)
    part = settings.audio / ".parts" / "worker-1"
    part.mkdir(parents=True)
    for path in (settings.uploads / "x", part):
        if path != part:
            path.write_bytes(b"1")
    assert said(settings) == [], "they may be at work"
    for path in (settings.uploads / "x", part):
        os.utime(path, (time.time() - 4000, time.time() - 4000))
    assert "2 leftovers" in said(settings)[0]
    writing = part / "audio.wav"
    writing.write_bytes(b"1")
    os.utime(part, (time.time() - 4000, time.time() - 4000))
    assert "1 leftover of" in said(settings)[0], "a long import still writes into the other"
    os.utime(writing, (time.time() - 4000, time.time() - 4000))
    assert "removed now" in said(settings, mend=True)[0]
    assert not part.exists()
    assert said(settings) == []


def test_a_damaged_database_and_an_empty_folder(settings: Settings, made: str, tmp_path: Path) -> None:
    assert "no database" in said(replace(settings, data=tmp_path))[0]
    with sqlite3.connect(settings.database) as raw:
        raw.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        pages = raw.execute("PRAGMA page_count").fetchone()[0]
    raw.close()
    data = bytearray(settings.database.read_bytes())
    size = len(data) // pages
    for page in range(3, pages):
        data[page * size : page * size + 60] = b"\xff" * 60
    settings.database.write_bytes(data)
    (finding,) = said(settings)
    assert "database is damaged" in finding
    settings.database.write_bytes(b"no database at all")
    assert "not a database" in said(settings)[0]


def test_a_backup_comes_back_as_it_went(settings: Settings, database: Database, made: str, tmp_path: Path) -> None:
    file = tmp_path / "all.zip"
    assert backup(settings, file) >= 7
    with pytest.raises(NoBackup, match="there already"):
        backup(settings, file)
    with pytest.raises(NoBackup, match="holds pockets already"):
        restore(settings, file)
    other = replace(settings, data=tmp_path / "other")
    restore(other, file)
    assert said(other) == []
    again = Database(other.database)
    assert PocketStore(again).load("ferry").pocket == PocketStore(database).load("ferry").pocket
    again.close()
    assert not list(tmp_path.glob("*.part"))


@pytest.mark.parametrize("name", ["../outside", "/etc/outside", "web/index.html"])
def test_a_zip_that_is_no_backup_is_refused(settings: Settings, tmp_path: Path, name: str) -> None:
    file = tmp_path / "hostile.zip"
    with zipfile.ZipFile(file, "w") as out:
        out.writestr("grainpocket.db", b"")
        out.writestr(name, b"x")
    fresh = replace(settings, data=tmp_path / "fresh")
    with pytest.raises(NoBackup, match="no backup holds"):
        restore(fresh, file)
    assert not (tmp_path / "outside").exists()
    file.write_bytes(b"no zip at all")
    with pytest.raises(NoBackup, match="cannot be read"):
        restore(fresh, file)


def test_the_commands(settings: Settings, made: str, tmp_path: Path) -> None:
    run = CliRunner().invoke
    good = run(main, ["doctor", "--data", str(settings.data)])
    assert (good.exit_code, good.output) == (0, "All is well.\n")
    assert run(main, ["backup", "--data", str(settings.data), str(tmp_path / "b.zip")]).exit_code == 0
    assert run(main, ["restore", "--data", str(settings.data), str(tmp_path / "b.zip")]).exit_code == 1
    assert run(main, ["restore", "--data", str(tmp_path / "new"), str(tmp_path / "b.zip")]).exit_code == 0
    (settings.audio / made / "audio.wav").unlink()
    bad = run(main, ["doctor", "--data", str(settings.data)])
    assert bad.exit_code == 1
    assert "1 to see to" in bad.output
