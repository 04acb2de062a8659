"""At the edges of the API: what is not there, what is too much, what breaks; the answer always says what to do."""

from __future__ import annotations

import errno
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sqlalchemy import event
from werkzeug.http import parse_options_header

from grainpocket.settings import Settings
from grainpocket.web import app as app_module
from tests.files import GOOD
from tests.web.conftest import HOST, Api

NONE = "0" * 64
NAMED = {"type": "set_pocket"}


@pytest.mark.parametrize(
    "path",
    [
        "/api/jobs/nobody",
        f"/api/audio/{NONE}/pcm/0",
        f"/api/audio/{NONE}/peaks/0/0",
        f"/api/audio/{NONE}/hearing",
        "/api/pockets/nobody",
        "/api/pockets/nobody/jobs",
        "/api/pockets/nobody/events",
        "/api/pockets/nobody/sounds/none",
        "/api/nothing/of/the/kind",
    ],
)
def test_what_is_not_there_is_not_there(api: Api, path: str) -> None:
    assert api.get(path, 404)["message"]


def test_sound_and_peaks_end_where_the_find_ends(api: Api) -> None:
    api.bring_in("loop.wav", GOOD["plain.wav"])
    (source,) = api.state["pocket"]["sources"].values()
    last = (source["frames"] - 1) // 65536
    whole = [api.get(f"/api/audio/{source['audio']}/pcm/{k}") for k in range(last + 1)]
    assert sum(len(part) for part in whole) == source["frames"] * 8
    assert "not that long" in api.get(f"/api/audio/{source['audio']}/pcm/{last + 1}", 404)["message"]


def test_jobs_that_nobody_knows_cannot_be_cancelled(api: Api) -> None:
    assert api.post("/api/jobs/nobody/cancel", status=404)["message"] == "That job is not known."


def test_a_disk_that_fills_during_the_upload_leaves_no_half_file(
    api: Api, settings: Settings, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = Path.rename

    def full(self: Path, target: Path) -> Path:
        if self.suffix == ".part":
            raise OSError(errno.ENOSPC, "No space left on device")
        return real(self, target)

    monkeypatch.setattr(Path, "rename", full)
    answer = api.client.post(f"/api/pockets/{api.id}/imports?name=a.wav", data=GOOD["plain.wav"], headers=HOST)
    assert answer.status_code == 507
    assert "disk is full" in answer.json["message"]
    assert "try again" in answer.json["message"]
    assert list(settings.uploads.iterdir()) == []
    assert api.get(f"/api/pockets/{api.id}/jobs")["jobs"] == []


@contextmanager
def full_database(api: Api) -> Iterator[None]:
    """No page more than there are now, as on a full disk."""
    engine = api.client.application.extensions["desk"].database._writing

    def narrow(connection: Any, *_: object) -> None:
        connection.execute("PRAGMA max_page_count = 1")

    event.listen(engine, "checkout", narrow)
    yield
    event.remove(engine, "checkout", narrow)
    event.listen(engine, "checkout", lambda connection, *_: connection.execute("PRAGMA max_page_count = 1073741823"))


def test_an_edit_on_a_full_disk_is_not_made_and_can_be_made_later(api: Api) -> None:
    for tempo in range(60, 100):
        api.edit({"type": "set_pocket", "tempo": float(tempo)})
    before = api.state
    with full_database(api):
        for number in range(400):
            answer = api.ask(
                "POST",
                f"/api/pockets/{api.id}/edits",
                {"version": before["version"], "edit": NAMED | {"tempo": 100.0 + number / 4}},
            )
            if answer.status_code != 200:
                break
            before = api.state
        assert answer.status_code == 507
        assert "The disk is full" in answer.json["message"]
        assert "is kept" in answer.json["message"]
        assert api.state == before
        uploads = api.client.application.extensions["desk"].settings.uploads
        told = api.client.post(f"/api/pockets/{api.id}/imports?name={'n' * 900}", data=GOOD["plain.wav"], headers=HOST)
        if told.status_code != 202:
            assert told.status_code == 507
            assert "was not taken" in told.json["message"]
            assert list(uploads.iterdir()) == []
    api.edit(NAMED | {"tempo": 99.0})
    assert api.state["pocket"]["tempo"] == 99.0


def no_room(*_: object) -> None:
    raise OSError(errno.ENOSPC, "No space left on device")


def test_a_recording_on_a_full_disk_says_so_and_keeps_what_came_before(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    take = api.post(f"/api/pockets/{api.id}/takes", {"name": "Tape"}, 201)["id"]
    blocks = [np.full((4410, 2), level, "<f4") for level in (0.25, 0.5, 0.75)]
    path = f"/api/pockets/{api.id}/takes/{take}"

    def send(block: np.ndarray) -> Any:
        return api.client.post(f"{path}/blocks", data=block.tobytes(), headers=HOST)

    assert send(blocks[0]).json["frames"] == 4410
    with monkeypatch.context() as full:
        full.setattr(os, "fsync", no_room)
        answer = send(blocks[1])
    assert answer.status_code == 507
    assert "What was recorded before is kept" in answer.json["message"]
    # There is room again: what follows is in step with what came before.
    assert send(blocks[2]).json["frames"] == 8820
    with monkeypatch.context() as full:
        full.setattr(api.client.application.extensions["desk"].jobs, "create", no_room)
        assert api.post(f"{path}/end", None, 507)["message"]
    api.worker.run(api.post(f"{path}/end", None, 202)["id"])
    (source,) = api.state["pocket"]["sources"].values()
    planar = np.frombuffer(api.get(f"/api/audio/{source['audio']}/pcm/0"), "<f4").reshape(2, -1)
    assert planar.shape[1] == source["frames"] == 8820
    assert np.ptp(planar[:, :4410]) == np.ptp(planar[:, 4410:]) == 0
    assert planar[0, -1] == pytest.approx(3 * planar[0, 0])


def test_what_nobody_foresaw_is_told_as_such_and_costs_nothing(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    api.edit({"type": "set_pocket", "tempo": 101.0})
    before = api.state

    def broken(*_: object, **__: object) -> None:
        raise RuntimeError("a mistake of ours")

    api.client.application.config["PROPAGATE_EXCEPTIONS"] = False
    monkeypatch.setattr("grainpocket.store.pockets.PocketStore.undo", broken)
    answer = api.post(f"/api/pockets/{api.id}/undo", {"version": before["version"]}, 500)
    assert "a mistake of ours" not in answer["message"]
    assert "What you made is kept" in answer["message"]
    assert api.state == before


def test_a_page_that_was_not_built_says_how(api: Api, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(app_module, "STATIC", tmp_path)
    answer = api.client.get("/", headers=HOST)
    assert answer.status_code == 503
    assert "make build" in answer.text


def test_pages_are_fresh_and_assets_are_kept(api: Api, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    (tmp_path / "assets").mkdir()
    (tmp_path / "index.html").write_text("<p>page</p>")
    (tmp_path / "assets" / "a-1f2e.js").write_text("1")
    (tmp_path / "icon.svg").write_text("<svg/>")
    monkeypatch.setattr(app_module, "STATIC", tmp_path)
    kept = {path: api.client.get(path, headers=HOST).headers["Cache-Control"] for path in ("/", "/assets/a-1f2e.js", "/icon.svg")}
    assert kept["/"] == kept["/icon.svg"] == "no-cache"
    assert "immutable" in kept["/assets/a-1f2e.js"]


def test_the_shelf_forgets_and_does_not_mind_being_told_twice(api: Api) -> None:
    api.bring_in("loop.wav", GOOD["plain.wav"])
    api.edit({"type": "slices_to_pads", "source": "s1"})
    once = api.post(f"/api/pockets/{api.id}/shelf", {"pads": [0, 1]})
    again = api.post(f"/api/pockets/{api.id}/shelf", {"pads": [0, 1]})
    assert once == again, "what is there already is not there twice"
    assert len(once["shelf"]) == 2
    for _ in range(2):
        left = api.ask("DELETE", f"/api/shelf/{once['shelf'][0]['id']}").json
        assert left["shelf"] == once["shelf"][1:]
    assert "empty" in api.post(f"/api/pockets/{api.id}/shelf", {"pads": [90]}, 404)["message"]


def test_exported_files_are_named_in_letters_of_all_scripts(api: Api) -> None:
    names = set()
    for pocket, pattern, wanted in (
        ("Ночной паром", "夜明け", "Ночной паром - 夜明け.wav"),
        ("Дневной поезд", "夕暮れ", "Дневной поезд - 夕暮れ.wav"),
        ("a/b:c", 'd"e', "a_b_c - d_e.wav"),
    ):
        api.edit({"type": "set_pocket", "name": pocket})
        api.edit({"type": "add_pattern", "name": pattern})
        key = list(api.state["pocket"]["patterns"])[-1]
        answer = api.client.get(f"/api/pockets/{api.id}/export/{key}.wav", headers=HOST)
        assert answer.status_code == 200
        _, options = parse_options_header(answer.headers["Content-Disposition"])
        assert options["filename"] == wanted
        names.add(options["filename"])
    assert len(names) == 3
