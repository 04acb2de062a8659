"""Recording: blocks that come in while it goes on, and what is left when it is broken off."""

from __future__ import annotations

import errno
import os
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from grainpocket.store.takes import TakeStore
from tests.signals import RATE, drum_loop
from tests.web.conftest import HOST, Api

LOOP = drum_loop().samples


def begin(api: Api, name: str = "Take") -> str:
    return str(api.post(f"/api/pockets/{api.id}/takes", {"name": name, "rate": RATE}, 201)["id"])


def add(api: Api, take: str, block: np.ndarray, status: int = 200) -> dict:
    path = f"/api/pockets/{api.id}/takes/{take}/blocks"
    answer = api.client.post(path, data=np.ascontiguousarray(block, "<f4").tobytes(), headers=HOST)
    assert answer.status_code == status, answer.text
    return dict(answer.json)


def test_a_take_becomes_a_find_sample_for_sample(api: Api) -> None:
    take = begin(api, "Kettle")
    sent = 0
    for first in range(0, len(LOOP), 8192):
        block = LOOP[first : first + 8192]
        sent += len(block)
        assert add(api, take, block)["frames"] == sent
    job = api.post(f"/api/pockets/{api.id}/takes/{take}/end", status=202)
    api.worker.run(job["id"])
    assert api.get(f"/api/jobs/{job['id']}")["state"] == "done"
    source = api.state["pocket"]["sources"]["s1"]
    assert (source["name"], source["frames"]) == ("Kettle", len(LOOP))
    heard, _ = sf.read(api.worker.audio.root / source["audio"] / "audio.wav", dtype="float32")
    np.testing.assert_array_equal(heard, LOOP)
    assert list(api.worker.settings.takes.iterdir()) == []


def test_a_take_that_was_broken_off_comes_in_by_itself(api: Api) -> None:
    take = begin(api)
    add(api, take, LOOP[:30000])
    raw: Path = api.worker.settings.takes / f"{take}.f32"
    api.worker.recover()
    assert raw.exists(), "it may still be going on"
    old = raw.stat().st_mtime - 3600
    os.utime(raw, (old, old))
    empty = begin(api)
    os.utime(api.worker.settings.takes / f"{empty}.f32", (old, old))
    api.worker.recover()
    (job,) = api.get(f"/api/pockets/{api.id}/jobs")["jobs"]
    api.worker.run(job["id"])
    source = api.state["pocket"]["sources"]["s1"]
    assert (source["name"], source["frames"]) == ("Take, broken off", 30000)
    assert list(api.worker.settings.takes.iterdir()) == []


def test_blocks_that_are_none(api: Api) -> None:
    take = begin(api)
    bad = np.array([[np.nan, np.inf], [0.5, -0.5]], np.float32)
    assert add(api, take, bad)["frames"] == 2
    path = f"/api/pockets/{api.id}/takes/{take}/blocks"
    assert api.client.post(path, data=b"12345", headers=HOST).status_code == 422
    add(api, "0" * 32, bad, 404)
    api.post(f"/api/pockets/{api.id}/takes/{'0' * 32}/end", status=404)
    api.post("/api/pockets/nowhere/takes", {"name": "x"}, 404)
    api.post(f"/api/pockets/{api.id}/takes", {"name": "", "rate": RATE}, 422)
    job = api.post(f"/api/pockets/{api.id}/takes/{take}/end", status=202)
    api.worker.run(job["id"])
    heard, _ = sf.read(api.worker.audio.root / api.state["pocket"]["sources"]["s1"]["audio"] / "audio.wav", dtype="float32")
    np.testing.assert_array_equal(heard, [[0, 0], [0.5, -0.5]])


def begun(api: Api, frames: int = 22050) -> str:
    """A take with so many frames in it."""
    take = begin(api, "Tape")
    add(api, take, np.full((frames, 2), 0.25))
    return take


def test_an_end_whose_answer_got_lost_can_be_asked_for_again(api: Api) -> None:
    take = begun(api)
    first = api.post(f"/api/pockets/{api.id}/takes/{take}/end", status=202)
    assert api.post(f"/api/pockets/{api.id}/takes/{take}/end", status=202)["id"] == first["id"]
    api.worker.run(first["id"])
    # Even when it is a find by now, it is the same one.
    again = api.post(f"/api/pockets/{api.id}/takes/{take}/end", status=202)
    assert (again["id"], again["state"]) == (first["id"], "done")
    api.worker.run(again["id"])
    assert len(api.state["pocket"]["sources"]) == 1
    api.post(f"/api/pockets/{api.id}/takes/{'0' * 32}/end", status=404)


def test_what_was_recorded_and_never_brought_in_is_offered(api: Api) -> None:
    path = f"/api/pockets/{api.id}/takes"
    older, newer, going_on = begun(api), begun(api, 4410), begun(api)
    empty = begin(api)
    store = TakeStore(api.worker.settings.takes)
    for take, minutes in ((older, 9), (newer, 5), (empty, 9)):
        then = (store.root / f"{take}.f32").stat().st_mtime - 60 * minutes
        os.utime(store.root / f"{take}.f32", (then, then))
    told = [{"id": older, "name": "Tape", "seconds": 22050 / RATE}, {"id": newer, "name": "Tape", "seconds": 0.1}]
    assert api.get(path)["takes"] == told
    api.worker.run(api.post(f"{path}/{older}/end", status=202)["id"])
    assert [t["id"] for t in api.get(path)["takes"]] == [newer]
    # Another pocket's are not offered here; and to look removes nothing.
    other = api.post("/api/pockets", {"name": "Other"}, 201)["id"]
    assert api.get(f"/api/pockets/{other}/takes")["takes"] == []
    assert {f.stem for f in store.root.iterdir()} == {newer, going_on, empty}
    api.get("/api/pockets/nowhere/takes", 404)


def test_a_crash_between_the_job_and_the_take_brings_it_in_once(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    take = begun(api)

    def crash(*_: object) -> None:
        raise OSError("the power is gone")

    with monkeypatch.context() as broken:
        broken.setattr(TakeStore, "let_go", crash)
        api.client.application.config["PROPAGATE_EXCEPTIONS"] = False
        api.post(f"/api/pockets/{api.id}/takes/{take}/end", status=500)
    store = TakeStore(api.worker.settings.takes)
    for file in store.root.iterdir():
        os.utime(file, (0, 0))
    assert store.left(30.0) == [take]
    api.worker.recover()
    assert store.left(0.0) == []
    api.worker.run(take)
    (source,) = api.state["pocket"]["sources"].values()
    assert (source["name"], source["frames"]) == ("Tape", 22050)
    assert api.get(f"/api/pockets/{api.id}/jobs")["jobs"] == []


def test_a_take_that_cannot_be_brought_in_does_not_keep_the_worker_from_starting(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    takes = [begun(api), begun(api, 11025)]
    store = TakeStore(api.worker.settings.takes)
    for file in store.root.iterdir():
        os.utime(file, (0, 0))
    real = TakeStore.write

    def full(self: TakeStore, take: str, target: Path) -> None:
        if take == takes[0]:
            raise OSError(errno.ENOSPC, "No space left on device")
        real(self, take, target)

    with monkeypatch.context() as narrow:
        narrow.setattr(TakeStore, "write", full)
        api.worker.recover()
    assert store.left(0.0) == [takes[0]]
    api.worker.recover()
    assert store.left(0.0) == []
    for take in takes:
        api.worker.run(take)
    assert sorted(s["frames"] for s in api.state["pocket"]["sources"].values()) == [11025, 22050]
