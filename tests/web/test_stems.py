"""Stems over the API: leaks told and moved, what lies where, files of them, and models of one's own."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile as sf

from grainpocket.core.chop.facts import cleanness
from grainpocket.core.listen.onsets.classifier import ROLES
from grainpocket.settings import RECORDS
from tests.files import wav
from tests.models import spectrogram, waveform
from tests.signals import drum_loop
from tests.web.conftest import Api
from tests.web.test_split import heard, split, stems

LOOP = drum_loop(bpm=97.3, bars=2)


@pytest.fixture
def parted(api: Api) -> Api:
    api.bring_in("loop.wav", wav(LOOP.samples))
    assert split(api, parts=["drums", "bass", "other"], engine="filter")["state"] == "done"
    return api


def run(api: Api, path: str, body: Any) -> Any:
    job = api.post(f"/api/pockets/{api.id}{path}", body, 202)
    api.worker.run(job["id"])
    return api.get(f"/api/jobs/{job['id']}")


def test_stems_tell_their_leak_and_records_have_none(parted: Api) -> None:
    made = stems(parted)
    leak = parted.get(f"/api/audio/{made['bass']['audio']}/leak")["leak"]
    assert leak["decibels"] is None or leak["decibels"] < 0
    assert len(leak["shares"]) == pytest.approx(made["bass"]["frames"] / 44100 / leak["step_s"], abs=1)
    record = parted.state["pocket"]["sources"]["s1"]
    assert parted.get(f"/api/audio/{record['audio']}/leak") == {"leak": None}


def test_a_leak_moves_from_one_stem_to_another_and_back(parted: Api) -> None:
    before = stems(parted)
    drums, bass = before["drums"], before["bass"]
    region = {"start": 20_000, "end": 60_000, "low": 40, "high": 300}
    both = [{"source": drums["id"]}, {"source": bass["id"]}]
    together, alone = heard(parted, 0, 80_000, *both), heard(parted, 0, 80_000, both[0])
    query = "&".join(f"{key}={value}" for key, value in region.items())
    lifted = np.frombuffer(parted.get(f"/api/audio/{drums['audio']}/lifted?{query}"), "<f4").reshape(2, -1).T
    assert len(lifted) == 40_000
    assert np.abs(lifted).max() > 0.01
    assert run(parted, f"/sources/{drums['id']}/leak", {"region": region, "to": bass["id"]})["state"] == "done"
    after = stems(parted)
    assert after["drums"]["audio"] != drums["audio"]
    assert after["drums"] | {"audio": ""} == drums | {"audio": ""}
    # Together they are what they were, sample by sample, and one has less.
    np.testing.assert_allclose(heard(parted, 0, 80_000, *both), together, atol=1e-6)
    np.testing.assert_allclose(heard(parted, 20_000, 60_000, both[0]) + lifted, alone[20_000:60_000], atol=1e-6)
    assert parted.state["undo"] == "move a leak"
    # How much leaks is told anew, of the same fellow stems.
    told = [
        parted.get(f"/api/audio/{stems(parted)['drums']['audio']}/leak")["leak"],
        parted.get(f"/api/audio/{drums['audio']}/leak")["leak"],
    ]
    assert told[0]["shares"] != told[1]["shares"]
    assert told[0]["source"] in (None, "bass", "other")
    # What was made of a sound that is no longer the stem's is not swapped in.
    stale = {"type": "swap_sounds", "sounds": [[drums["id"], drums["audio"], bass["audio"]]]}
    assert "changed meanwhile" in parted.edit(stale, 422)["message"]
    parted.post(f"/api/pockets/{parted.id}/undo", {"version": parted.state["version"]}, 200)
    assert stems(parted)["drums"]["audio"] == drums["audio"]


def test_a_leak_that_cannot_be_moved_changes_nothing(parted: Api) -> None:
    version, drums = parted.state["version"], stems(parted)["drums"]["id"]
    short = {"start": 10, "end": 9000, "low": 0, "high": 300}
    for region, to, why in (
        (short | {"end": 10**9}, None, "outside"),
        (short | {"low": 800}, None, "above"),
        (short, drums, "from one stem to another"),
        (short, "s99", "no longer"),
    ):
        ended = run(parted, f"/sources/{drums}/leak", {"region": region, "to": to})
        assert ended["state"] == "failed"
        assert why in ended["message"]
        assert parted.state["version"] == version
        assert list((parted.worker.settings.audio / ".parts").glob("*")) == []


def test_where_a_stem_sounds_is_seen(parted: Api) -> None:
    audio = stems(parted)["drums"]["audio"]
    made = np.frombuffer(parted.get(f"/api/audio/{audio}/seen/0/80000/200"), np.uint8).reshape(-1, 200)
    assert made.max() == 255
    assert made[:, ::20].std() > 5


def test_stems_are_saved_as_files(parted: Api) -> None:
    made = stems(parted)
    job = run(parted, "/saved", {"sources": [made["drums"]["id"], made["bass"]["id"]]})
    with zipfile.ZipFile(io.BytesIO(parted.get(f"/api/jobs/{job['id']}/file"))) as archive:
        assert sorted(archive.namelist()) == ["loop, bass.wav", "loop, drums.wav"]
        data, rate = sf.read(io.BytesIO(archive.read("loop, drums.wav")), dtype="float32")
    assert rate == 44100
    assert len(data) == made["drums"]["frames"]
    gain = 10 ** (made["drums"]["trim"] / 20)
    np.testing.assert_allclose(data[:50_000] / gain, heard(parted, 0, 50_000, {"source": made["drums"]["id"]}), atol=2e-6 / gain)
    one = run(parted, "/saved", {"sources": [made["drums"]["id"]], "format": "flac"})
    assert parted.get(f"/api/jobs/{one['id']}/file")[:4] == b"fLaC"
    assert "no longer" in run_missing(parted)


def run_missing(api: Api) -> str:
    drums = stems(api)["drums"]["id"]
    job = api.post(f"/api/pockets/{api.id}/saved", {"sources": [drums]}, 202)
    api.edit({"type": "remove_source", "source": drums})
    api.worker.run(job["id"])
    return str(api.get(f"/api/jobs/{job['id']}")["message"])


def test_the_first_seconds_are_there_while_the_rest_is_made(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    api.bring_in("loop.wav", wav(LOOP.samples))
    seen: list[Any] = []
    from grainpocket.jobs.worker import Worker

    real = Worker._first

    def first(self: Worker, row: Any, parts: Any) -> None:
        real(self, row, parts)
        told = api.get(f"/api/jobs/{row.id}/first")
        seen.append((told, np.frombuffer(api.get(f"/api/jobs/{row.id}/first/bass"), "<f4").reshape(2, -1).T, parts["bass"]))

    monkeypatch.setattr(Worker, "_first", first)
    job = split(api, parts=["drums", "bass"], engine="filter")
    ((told, heard_first, made),) = seen
    assert told["parts"] == ["drums", "bass"]
    np.testing.assert_array_equal(heard_first, made)
    # What it was heard from is gone with the job.
    assert api.get(f"/api/jobs/{job['id']}/first") == {"parts": [], "frames": 0}


def test_a_model_of_ones_own_is_an_engine_until_it_is_taken_away(api: Api, tmp_path: Path) -> None:
    api.bring_in("loop.wav", wav(LOOP.samples))
    data = waveform(tmp_path / "m.onnx", label="Two bands").read_bytes()
    engines = api.post_bytes("/api/split/models?name=My%20Model.onnx", data, 200)["engines"]
    mine = next(one for one in engines if one["own"])
    assert (mine["name"], mine["label"], mine["parts"]) == ("own my-model", "Two bands", ["drums", "voice", "rest"])
    assert split(api, engine=mine["name"])["state"] == "done"
    assert set(stems(api)) == {"drums", "voice", "rest"}
    both = [{"source": s["id"]} for s in stems(api).values()]
    np.testing.assert_allclose(heard(api, 0, 50_000, *both), heard(api, 0, 50_000, {"source": "s1"}), atol=1e-5)
    assert all(not one["own"] for one in api.delete(f"/api/split/models/{mine['name']}", 200)["engines"])
    assert "no engine called own my-model" in split(api, engine=mine["name"])["message"]


def test_a_model_that_does_not_fit_is_told_why_and_not_kept(api: Api, tmp_path: Path) -> None:
    data = spectrogram(tmp_path / "m.onnx", window="square").read_bytes()
    assert "window" in api.post_bytes("/api/split/models?name=x.onnx", data, 422)["message"]
    assert "cannot be read" in api.post_bytes("/api/split/models?name=x.onnx", b"nothing", 422)["message"]
    folder = api.worker.settings.models
    assert [path.name for path in folder.glob("*")] == []
    # One that was put there by hand, and is no model, is told beside the engines.
    (folder / "odd.onnx").write_bytes(b"nothing")
    told = api.get("/api/split/engines")
    assert [(one["name"], "cannot be read" in one["problem"]) for one in told["misfits"]] == [("own odd", True)]
    assert json.loads((folder / "odd.json").read_text())["described"] is None


def test_a_kick_lifted_through_the_drum_stem_is_cleaner_than_in_its_record(api: Api) -> None:
    """In a mastered song, where bass and keys lie under every kick."""
    path = next(RECORDS.glob("Lantern street.*"))
    song, rate = sf.read(path, dtype="float32", always_2d=True, start=12 * 44100, stop=22 * 44100)
    api.bring_in("Lantern street.wav", wav(song, rate))
    before = api.worker.audio.hearing(api.state["pocket"]["sources"]["s1"]["audio"])
    assert split(api, engine="learned", quality="draft", parts=["drums"])["state"] == "done"
    after = api.worker.audio.hearing(stems(api)["drums"]["audio"])
    kicks = [
        int(at) for at, role in zip(before.onsets.at, before.onsets.roles, strict=True) if role.argmax() == ROLES.index("kick")
    ]
    both = [(cleanness(before, at), cleanness(after, at)) for at in kicks]
    told = np.array([pair for pair in both if None not in pair], float)
    assert len(told) >= 6
    assert np.median(told[:, 0]) < 0.6
    assert np.median(told[:, 1]) > 0.9
