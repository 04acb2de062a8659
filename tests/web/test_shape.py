"""Shape over the API: before and after, keys, proposals, one-shots."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest
import soundfile as sf

from tests.files import GOOD
from tests.web.conftest import HOST, Api
from tests.web.test_api import stereo_of


@pytest.fixture
def kit(api: Api) -> Api:
    api.bring_in("loop.wav", GOOD["plain.wav"])
    cuts = [cut["id"] for cut in api.state["pocket"]["sources"]["s1"]["cuts"][:4]]
    api.edit({"type": "slices_to_pads", "source": "s1", "cuts": cuts})
    return api


def test_before_and_after(kit: Api) -> None:
    kit.edit({"type": "set_pads", "pads": [0], "sound": {"level": -6, "start": 5}})
    found = kit.get(f"/api/pockets/{kit.id}/pads/0/shape")
    assert found["louder_db"] == pytest.approx(-6, abs=1.5)
    assert found["start"] == kit.state["pocket"]["pads"]["0"]["chop"]["start"] + round(0.005 * 44100)
    raw, shaped = (stereo_of(kit.get(f"/api/sound/{found[name]['key']}")) for name in ("raw", "shaped"))
    assert len(raw) > len(shaped)
    grid, chop = kit.state["pocket"]["sources"]["s1"]["grid"], kit.state["pocket"]["pads"]["0"]["chop"]
    beats = (chop["end"] - chop["start"]) / 44100 * grid["bpm"] / 60
    assert found["beats"] == pytest.approx(beats, abs=0.125)
    kit.get(f"/api/pockets/{kit.id}/pads/900/shape", 404)


def test_voices_across_the_keys(kit: Api) -> None:
    kit.edit({"type": "set_pads", "pads": [0], "sound": {"root": 48}})
    keys = kit.get(f"/api/pockets/{kit.id}/pads/0/keys?low=-12&high=12")
    assert keys["root"] == 48
    assert len(keys["notes"]) == 25
    assert len({voice["key"] for voice in keys["notes"].values()}) == 25
    low, high = (keys["notes"][str(note)]["frames"] - keys["notes"]["0"]["lead"] for note in (-12, 12))
    assert low == pytest.approx(4 * high, abs=3)


def test_loops_and_filters_are_proposed_and_drawn(kit: Api) -> None:
    found = kit.get(f"/api/pockets/{kit.id}/pads/0/loops")["loops"]
    assert all(0 <= one["start_ms"] < one["end_ms"] and 0 <= one["fit"] <= 1 for one in found)
    drawn = kit.get("/api/shape/filter?kind=low&slope=24&cutoff=1000&resonance=12")
    assert max(drawn["y"]) == pytest.approx(12 - 3, abs=0.5), "over the 3 dB that it would be down"
    kit.get("/api/shape/filter?kind=magic", 422)


def test_pads_that_differ_by_velocity_have_a_voice_for_each(kit: Api) -> None:
    kit.edit({"type": "set_amounts", "pads": [1], "by": "velocity", "amounts": {"pitch": 30}})
    sounds = kit.get(f"/api/pockets/{kit.id}/sounds/none")
    assert sounds["voices"]["0"]["variants"] == []
    (row,) = sounds["voices"]["1"]["variants"]
    assert len(set(row)) == 16
    assert row[-1] == sounds["voices"]["1"]["key"]
    # What a hand needs to know of its velocity comes from the core.
    about = kit.get("/api/about")
    assert set(about["velocity_places"]) == set(range(len(row)))
    assert about["velocity_gains"][127] == 1
    assert about["velocity_gains"] == sorted(about["velocity_gains"])
    assert len(about["velocity_gains"]) == len(about["velocity_places"]) == 128


def test_pads_come_out_as_one_shots(kit: Api) -> None:
    one = kit.ask("GET", f"/api/pockets/{kit.id}/oneshots?pads=0")
    assert one.status_code == 200
    sound, rate = sf.read(io.BytesIO(one.data), always_2d=True)
    assert (rate, sf.info(io.BytesIO(one.data)).subtype) == (44100, "PCM_24")
    assert np.abs(sound[-1]).max() > 1e-5, "what is silent at its end is left out"
    several = kit.ask("GET", f"/api/pockets/{kit.id}/oneshots?pads=0,1,2")
    with zipfile.ZipFile(io.BytesIO(several.data)) as archive:
        names = archive.namelist()
        assert len(set(names)) == 3
        assert archive.read(names[0]) == one.data
    kit.get(f"/api/pockets/{kit.id}/oneshots?pads=0,77", 404)
    kit.get(f"/api/pockets/{kit.id}/oneshots?pads=x", 422)


def test_presets_are_settings_that_there_are(kit: Api) -> None:
    about = kit.get("/api/about")
    assert len(about["presets"]) >= 10
    for preset in about["presets"]:
        kit.edit({"type": "set_pads", "pads": [0], "sound": preset["settings"]})
    groups = [name for name in about["settings"] if name.startswith("sound_")]
    assert sum(len(about["settings"][name]) for name in groups) == len(about["settings"]["pad"])


def test_patterns_go_out_and_come_in_as_midi(kit: Api) -> None:
    kit.edit({"type": "add_pattern", "name": "Line"})
    pattern = list(kit.state["pocket"]["patterns"])[-1]
    kit.edit({"type": "put_hits", "pattern": pattern, "hits": [{"pad": 1, "beat": 1.25, "velocity": 77}, {"pad": 0, "beat": 6}]})
    out = kit.ask("GET", f"/api/pockets/{kit.id}/patterns/{pattern}.mid")
    assert out.data[:4] == b"MThd"
    read = kit.client.post(f"/api/pockets/{kit.id}/midi?page=0&pad=0", data=out.data, headers=HOST)
    assert read.status_code == 200, read.text
    found = read.get_json()
    assert [(hit["pad"], hit["beat"], hit["velocity"]) for hit in found["hits"]] == [(1, 1.25, 77), (0, 6, 100)]
    kit.edit({"type": "add_pattern", "name": "In", "bars": found["bars"], "hits": found["hits"]})
    made = list(kit.state["pocket"]["patterns"].values())[-1]
    assert len(made["hits"]) == 2
    assert len({hit["id"] for hit in made["hits"]}) == 2
    bad = kit.client.post(f"/api/pockets/{kit.id}/midi", data=b"nonsense", headers=HOST)
    assert bad.status_code == 422
    assert "no MIDI file" in bad.text


def test_a_voice_is_tried_out_and_nothing_is_written(kit: Api) -> None:
    before = kit.state["version"]
    url = f"/api/pockets/{kit.id}/pads/0/voice"
    tried = kit.client.post(url, json={"sound": {"level": -6, "pitch": 3}, "note": -2}, headers=HOST)
    assert tried.status_code == 200
    assert kit.state["version"] == before
    kit.edit({"type": "set_pads", "pads": [0], "sound": {"level": -6, "pitch": 3}})
    key = kit.get(f"/api/pockets/{kit.id}/pads/0/keys")["notes"]["-2"]["key"]
    assert tried.data == kit.client.get(f"/api/sound/{key}", headers=HOST).data
    for body in ({"sound": {"level": 900}}, {"sound": {"magic": 1}}, {"note": 99}):
        assert kit.client.post(url, json=body, headers=HOST).status_code == 422, body
    assert kit.client.post(f"/api/pockets/{kit.id}/pads/99/voice", json={}, headers=HOST).status_code == 404
