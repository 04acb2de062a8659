"""Stems over the API: a job that leaves all of them or nothing, their family, balances heard and printed."""

from __future__ import annotations

import json
from typing import Any
from urllib.parse import quote

import numpy as np
import pytest

from grainpocket.jobs.importing import Report
from grainpocket.jobs.worker import Worker
from grainpocket.settings import Settings
from tests.files import wav
from tests.signals import drum_loop
from tests.web.conftest import Api

LOOP = drum_loop(bpm=97.3, bars=2)
SOURCE = "/api/pockets/{id}/sources/s1"


@pytest.fixture
def loop(api: Api) -> Api:
    api.bring_in("loop.wav", wav(LOOP.samples))
    return api


def split(api: Api, status: int = 202, **asked: Any) -> Any:
    job = api.post(f"{SOURCE.format(id=api.id)}/split", asked, status)
    if status == 202:
        api.worker.run(job["id"])
        return api.get(f"/api/jobs/{job['id']}")
    return job


def heard(api: Api, start: int, end: int, *stems: dict[str, Any]) -> np.ndarray:
    path = f"{SOURCE.format(id=api.id)}/balanced/{start}/{end}?stems={quote(json.dumps(stems))}"
    return np.frombuffer(api.get(path), "<f4").reshape(2, -1).T


def stems(api: Api) -> dict[str, Any]:
    return {s["name"].split(", ")[-1]: s for s in api.state["pocket"]["sources"].values() if s["kin"]}


def test_engines_tell_their_parts_and_how_quick_they_are(api: Api) -> None:
    (first, *_) = api.get("/api/split/engines")["engines"]
    assert first["parts"][-1] == "other"
    assert first["qualities"][0]["speed"] > 1


def test_stems_are_a_family_and_add_up_to_the_record(loop: Api) -> None:
    job = split(loop, parts=["drums", "bass", "other"])
    assert job["state"] == "done"
    made = stems(loop)
    assert set(made) == {"drums", "bass", "other"}
    assert all(s["kin"] == {"root": "s1", "kind": "stem", "offset": 0, "likeness": None} for s in made.values())
    assert all(s["grid"] == loop.state["pocket"]["sources"]["s1"]["grid"] for s in made.values())
    assert loop.state["undo"] == "add stems"
    whole = heard(loop, 0, 50_000, {"source": "s1"})
    together = heard(loop, 0, 50_000, *({"source": s["id"]} for s in made.values()))
    assert np.abs(whole - together).max() < 1e-4
    assert whole[:, 0] == pytest.approx(LOOP.samples[:50_000, 0], abs=1e-4)
    quiet = heard(loop, 0, 50_000, {"source": made["drums"]["id"], "level": -6.0206, "pan": 100})
    assert quiet[:, 1] == pytest.approx(heard(loop, 0, 50_000, {"source": made["drums"]["id"]})[:, 1] / 2, abs=1e-4)
    assert np.abs(quiet[:, 0]).max() < 1e-6
    # One step back takes all of them.
    loop.post(f"/api/pockets/{loop.id}/undo", {"version": loop.state["version"]})
    assert stems(loop) == {}


def test_a_selection_lies_where_it_lay_and_a_balance_is_printed(loop: Api) -> None:
    split(loop, parts=["drums", "other"], start=20_000, end=90_000)
    made = stems(loop)
    assert {s["kin"]["offset"] for s in made.values()} == {20_000}
    assert {s["frames"] for s in made.values()} == {70_000}
    assert not heard(loop, 0, 19_000, {"source": made["drums"]["id"]}).any()
    balance = {"name": "Drums, darker", "stems": [{"source": made["drums"]["id"], "high": -18}]}
    job = loop.post(f"{SOURCE.format(id=loop.id)}/balance", balance, 202)
    loop.worker.run(job["id"])
    printed = next(s for s in loop.state["pocket"]["sources"].values() if s["name"] == "Drums, darker")
    assert printed["kin"]["root"] == "s1"
    dark, plain = (heard(loop, 30_000, 80_000, {"source": key})[:, 0] for key in (printed["id"], made["drums"]["id"]))
    top = lambda x: np.abs(np.fft.rfft(x))[int(8000 * len(x) / 44100) :].sum()  # noqa: E731
    assert top(dark) < 0.3 * top(plain)


def test_silent_parts_are_not_made_and_nonsense_is_refused(loop: Api) -> None:
    t = np.arange(44100) / 44100
    loop.bring_in("mono.wav", wav((0.3 * np.sin(2 * np.pi * 900 * t)).astype(np.float32)[:, None]))
    job = loop.post(f"/api/pockets/{loop.id}/sources/s{_last(loop)}/split", {"parts": ["vocals", "other"], "engine": "filter"}, 202)
    loop.worker.run(job["id"])
    told = loop.get(f"/api/jobs/{job['id']}")
    assert (told["state"], told["message"]) == ("done", "No vocals in it.")
    assert "parts into" in split(loop, parts=["violin"])["message"]
    assert "no engine" in split(loop, engine="magic")["message"]
    assert split(loop, start=10, end=11)["state"] == "failed"
    loop.get(f"{SOURCE.format(id=loop.id)}/balanced/0/99999999?stems=[]", 422)


def _last(api: Api) -> int:
    return max(int(key[1:]) for key in api.state["pocket"]["sources"])


def test_cancelled_in_the_middle_nothing_of_it_is_there(loop: Api, settings: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
    before = {path.name for path in settings.audio.rglob("*")}
    job = loop.post(f"{SOURCE.format(id=loop.id)}/split", {}, 202)
    real = Worker._reporter

    def reporter(self: Worker, job_id: str) -> Report:
        inner = real(self, job_id)

        def report(share: float, step: str) -> None:
            if step == "Listening to bass":
                loop.post(f"/api/jobs/{job['id']}/cancel", status=200)
            inner(share, step)

        return report

    monkeypatch.setattr(Worker, "_reporter", reporter)
    loop.worker.run(job["id"])
    assert loop.get(f"/api/jobs/{job['id']}")["state"] == "cancelled"
    assert stems(loop) == {}
    assert {path.name for path in settings.audio.rglob("*")} == before
