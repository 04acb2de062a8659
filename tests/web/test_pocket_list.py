"""The list of pockets: what each holds, copies, and the bin that keeps what was put away for a month."""

from __future__ import annotations

import time

import pytest

from grainpocket.store.pockets import BIN_DAYS
from tests.files import wav
from tests.signals import drum_loop
from tests.web.conftest import Api


def test_a_pocket_is_listed_with_what_it_holds(api: Api) -> None:
    api.bring_in("loop.wav", wav(drum_loop(bpm=120, bars=1).samples))
    api.edit({"type": "add_pattern", "name": "A"})
    api.edit({"type": "set_pocket", "tempo": 120})
    (entry,) = [one for one in api.get("/api/pockets")["pockets"] if one["id"] == api.id]
    assert (entry["finds"], entry["patterns"], entry["seconds"], entry["binned"]) == (1, 1, None, None)
    api.edit({"type": "add_section", "name": "Verse", "bars": 4})
    api.edit({"type": "set_section", "section": api.state["pocket"]["song"][0], "repeats": 2})
    (entry,) = [one for one in api.get("/api/pockets")["pockets"] if one["id"] == api.id]
    assert entry["seconds"] == pytest.approx(16.0)


def test_a_copy_goes_its_own_way(api: Api) -> None:
    api.edit({"type": "add_pattern", "name": "A"})
    copy = api.post(f"/api/pockets/{api.id}/copy", {"name": "Other"}, 201)
    assert copy["pocket"] | {"name": ""} == api.state["pocket"] | {"name": ""}
    assert copy["undo"] is None
    api.edit({"type": "add_pattern", "name": "B"})
    assert len(api.get(f"/api/pockets/{copy['id']}")["pocket"]["patterns"]) == 1


def test_what_is_in_the_bin_is_kept_and_comes_back(api: Api) -> None:
    api.edit({"type": "add_pattern", "name": "A"})
    state = api.state
    told = api.delete(f"/api/pockets/{api.id}")
    assert api.id not in {one["id"] for one in told["pockets"]}
    assert [one["id"] for one in told["bin"]] == [api.id]
    # It can be looked at there, with all its history.
    assert api.state == state
    api.worker.sweep()
    assert api.id in {one["id"] for one in api.post(f"/api/pockets/{api.id}/restore")["pockets"]}
    api.post(f"/api/pockets/{api.id}/undo", {"version": state["version"]})
    assert api.state["pocket"]["patterns"] == {}


def test_after_a_month_it_is_gone_and_nothing_else_is(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    other = api.post("/api/pockets", {"name": "Other"}, 201)["id"]
    api.bring_in("loop.wav", wav(drum_loop(bpm=120, bars=1).samples))
    api.edit({"type": "add_pattern", "name": "A"})
    api.delete(f"/api/pockets/{api.id}")
    now = time.time()
    monkeypatch.setattr(time, "time", lambda: now + (BIN_DAYS - 1) * 86400)
    api.worker.sweep()
    assert api.state["pocket"]["name"] == "Test"
    monkeypatch.setattr(time, "time", lambda: now + (BIN_DAYS + 1) * 86400)
    api.worker.sweep()
    api.get(f"/api/pockets/{api.id}", 404)
    assert [one["id"] for one in api.get("/api/pockets")["pockets"]] == [other]
    assert api.get("/api/pockets")["bin"] == []


def test_what_is_not_there_is_told(api: Api) -> None:
    api.delete("/api/pockets/nothing", 404)
    api.post("/api/pockets/nothing/restore", {}, 404)
    api.post("/api/pockets/nothing/copy", {"name": "x"}, 404)
