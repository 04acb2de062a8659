"""Rows and queue are kept in step, and a full disk leaves nothing open and nothing behind."""

from __future__ import annotations

import errno
import os
import sqlite3
import time
import uuid
from pathlib import Path

import pytest
import soundfile as sf
from sqlalchemy.exc import OperationalError

from bench.served import Served
from grainpocket.jobs import worker as worker_module
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.jobs import JobStore
from tests.files import GOOD
from tests.web.conftest import HOST, Api
from tests.web.live import Live, until


def no_room(*_: object, **__: object) -> None:
    raise OSError(errno.ENOSPC, "No space left on device")


def full_database(*_: object, **__: object) -> None:
    cause = sqlite3.OperationalError("database or disk is full")
    cause.sqlite_errorcode = sqlite3.SQLITE_FULL
    raise OperationalError("UPDATE", {}, cause)


def test_a_row_that_never_came_into_the_queue_is_carried_out(server: Served) -> None:
    live = Live(server)
    job = uuid.uuid4().hex
    (server.data / "uploads").mkdir(exist_ok=True)
    (server.data / "uploads" / job).write_bytes(GOOD["plain.wav"])
    JobStore(Database(server.data / "grainpocket.db")).create(live.id, "import", "plain.wav", {"name": "plain.wav"}, job)
    until(lambda: live.job(job)["state"] == "done")
    assert [s["name"] for s in live.state["pocket"]["sources"].values()] == ["plain"]


def test_a_job_whose_worker_lost_it_waits_again(api: Api) -> None:
    answer = api.client.post(f"/api/pockets/{api.id}/imports?name=a.wav", data=GOOD["plain.wav"], headers=HOST)
    job = answer.json["id"]
    api.worker.jobs.start(job)
    api.worker.reconcile()
    assert api.get(f"/api/jobs/{job}")["state"] == "queued"
    api.worker.run(job)
    assert api.get(f"/api/jobs/{job}")["state"] == "done"


def test_an_end_that_could_not_be_written_is_written_when_there_is_room(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    with monkeypatch.context() as full:
        full.setattr(JobStore, "finish", full_database)
        assert api.bring_in("loop.wav", GOOD["plain.wav"])["state"] == "running"
        (upload,) = api.worker.settings.uploads.iterdir()
        api.worker.reconcile()
        assert upload.exists()
    api.worker.reconcile()
    assert api.get(f"/api/jobs/{upload.name}")["state"] == "done"
    assert not upload.exists()
    assert len(api.state["pocket"]["sources"]) == 1


def test_progress_that_cannot_be_written_ends_no_job(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    job = api.worker.jobs.create(api.id, "import", "a", {}).id
    api.worker.jobs.start(job)
    with monkeypatch.context() as full:
        full.setattr(Database, "write", full_database)
        assert api.worker.jobs.report(job, 0.5, "Decoding") is False
    api.worker.jobs.cancel(job)
    with monkeypatch.context() as full:
        full.setattr(Database, "write", full_database)
        assert api.worker.jobs.report(job, 0.5, "Decoding") is True


def test_whatever_fails_on_a_full_disk_is_told_as_such(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(*_: object, **__: object) -> None:
        raise RuntimeError("a library that does not say why")

    monkeypatch.setattr(worker_module, "import_file", broken)
    assert "went wrong" in api.bring_in("a.wav", GOOD["plain.wav"])["message"]
    monkeypatch.setattr(worker_module, "has_no_room", lambda _: True)
    ended = api.bring_in("a.wav", GOOD["plain.wav"])
    assert ended["state"] == "failed"
    assert "disk is full" in ended["message"]
    assert "damaged" not in ended["message"]


@pytest.mark.parametrize("where", ["open", "fsync"])
def test_the_shelf_on_a_full_disk(api: Api, where: str, monkeypatch: pytest.MonkeyPatch) -> None:
    api.bring_in("loop.wav", GOOD["plain.wav"])
    api.edit({"type": "slices_to_pads", "source": "s1"})
    with monkeypatch.context() as full:
        if where == "open":
            real = sf.SoundFile.__init__

            def refuse(self: sf.SoundFile, file: str, mode: str = "r", *more: object, **named: object) -> None:
                if mode == "w":
                    raise sf.LibsndfileError(2, "System error.")
                real(self, file, mode, *more, **named)

            full.setattr(sf.SoundFile, "__init__", refuse)
        else:
            full.setattr(os, "fsync", no_room)
        answer = api.post(f"/api/pockets/{api.id}/shelf", {"pads": [0]}, 507)
    assert "disk is full" in answer["message"]
    assert list((api.worker.settings.audio / ".parts").iterdir()) == []
    assert len(api.post(f"/api/pockets/{api.id}/shelf", {"pads": [0]})["shelf"]) == 1


def test_a_take_that_could_not_begin_leaves_nothing(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    with monkeypatch.context() as full:
        full.setattr(Path, "touch", no_room)
        assert "disk is full" in api.post(f"/api/pockets/{api.id}/takes", {"name": "Tape"}, 507)["message"]
    assert list(api.worker.settings.takes.iterdir()) == []


def test_uploads_that_nobody_waits_for_go(api: Api) -> None:
    uploads = api.worker.settings.uploads
    uploads.mkdir(exist_ok=True)
    old, fresh, ours = uploads / uuid.uuid4().hex, uploads / f"{uuid.uuid4().hex}.part", uploads / uuid.uuid4().hex
    for file in (old, fresh, ours):
        file.write_bytes(b"x")
    for file in (old, ours):
        os.utime(file, (time.time() - 3600, time.time() - 3600))
    api.worker.jobs.create(api.id, "import", "a", {}, ours.name)
    api.worker.sweep()
    assert sorted(uploads.iterdir()) == sorted([fresh, ours])


def test_a_start_leaves_alone_what_another_process_is_writing(api: Api, audio: AudioStore) -> None:
    with AudioStore(audio.root, "web").writer(44100, 1) as writing, AudioStore(audio.root, "worker").writer(44100, 1) as broken:
        api.worker.recover()
        assert writing._folder.exists()
        assert not broken._folder.exists()
