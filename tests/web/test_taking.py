"""What was found, fitted finds, cleaned copies and families, over the API."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.pocket import RATE
from tests.files import wav
from tests.records import band, beats_of
from tests.signals import drum_loop
from tests.web.conftest import Api

LOOP = drum_loop(bpm=97.3, bars=2)


def audio_of(api: Api, source: str = "s1") -> str:
    return api.state["pocket"]["sources"][source]["audio"]


def stereo(data: bytes) -> np.ndarray:
    return np.frombuffer(data, "<f4").reshape(2, -1).T


def test_what_is_worth_taking(api: Api) -> None:
    api.bring_in("loop.wav", wav(LOOP.samples))
    heard = api.get(f"/api/pockets/{api.id}/sources/s1/worth")
    assert heard["passages"] == [
        {"start": 0, "end": len(LOOP.samples), "kind": "bare drums", "bars": 2, "likely": heard["passages"][0]["likely"]}
    ]
    assert (heard["loops"][0]["start"], heard["loops"][0]["end"]) == (0, len(LOOP.samples))
    assert {h["role"] for h in heard["hits"]} == {"kick", "snare", "hat"}
    first = next(h for h in heard["hits"] if h["role"] == "kick")
    stretch = {"start": first["start"], "end": first["end"], "name": "Kick 1", "role": "kick"}
    reply = api.edit({"type": "stretches_to_pads", "source": "s1", "stretches": [stretch]})
    assert reply["changes"]["pads"]["0"]["role"] == "kick"
    assert reply["undo"] == "to pad"
    assert api.edit({"type": "cut_stretches", "source": "s1", "stretches": [{"start": 5, "end": 2}]}, 422)["message"]


def test_it_is_told_by_the_bars_that_a_hand_has_set(api: Api) -> None:
    record = band(beats_of(100, 48)).record()
    api.bring_in("song.wav", wav(record))
    path = f"/api/pockets/{api.id}/sources/s1/worth"
    found, grid = api.get(path), api.state["pocket"]["sources"]["s1"]["grid"]
    beat = 60 * RATE / grid["bpm"]
    assert found["loops"]
    moved = api.edit({"type": "move_grid", "source": "s1", "by": round(2 * beat)})
    later = api.get(path)
    bars = [(loop["start"] - api.state["pocket"]["sources"]["s1"]["grid"]["bar_one"]) / (4 * beat) for loop in later["loops"]]
    assert bars == pytest.approx(np.round(bars), abs=0.01)
    assert not {loop["start"] for loop in later["loops"]} & {loop["start"] for loop in found["loops"]}
    assert api.get(path) == later
    api.post(f"/api/pockets/{api.id}/undo", {"version": moved["version"]})
    assert api.get(path) == found
    api.get(f"/api/pockets/{api.id}/sources/s9/worth", 404)


def test_a_find_that_fits(api: Api) -> None:
    api.bring_in("loop.wav", wav(LOOP.samples))
    api.edit({"type": "set_pocket", "tempo": 120})
    path = f"/api/pockets/{api.id}/sources/s1/fit"
    assert api.get(path) == {"speed": None, "semitones": None}
    speed = api.get(path + "?tempo=true&key=true")
    assert speed["speed"] == pytest.approx(120 / LOOP.bpm)
    assert speed["semitones"] is None
    audio, end = audio_of(api), len(LOOP.samples)
    sound = stereo(api.get(f"/api/audio/{audio}/fitted/0/{end}?speed={speed['speed']:.6f}"))
    assert len(sound) == round(end / round(speed["speed"], 6))
    plain = stereo(api.get(f"/api/audio/{audio}/fitted/100/{end}"))
    assert np.array_equal(plain, LOOP.samples[100:])
    assert "inside" in api.get(f"/api/audio/{audio}/fitted/9/3", 422)["message"]
    api.get(f"/api/audio/{audio}/fitted/0/{end}?speed=99", 422)
    api.get(f"/api/pockets/{api.id}/sources/s9/fit", 404)


def test_the_key_of_the_pocket(api: Api) -> None:
    api.bring_in("song.wav", wav(band(beats_of(100, 32)).record()))
    heard = api.get(f"/api/audio/{audio_of(api)}/hearing")
    tonic = heard["keys"][0]["tonic"]
    api.edit({"type": "set_key", "key": {"tonic": (tonic + 2) % 12, "mode": heard["keys"][0]["mode"]}})
    fit = api.get(f"/api/pockets/{api.id}/sources/s1/fit?key=true")
    assert fit["semitones"] == pytest.approx(2 - heard["cents"] / 100, abs=0.01)
    api.edit({"type": "set_key", "key": {"tonic": 12, "mode": "major"}}, 422)
    api.edit({"type": "set_key", "key": None})
    assert api.state["pocket"]["key"] is None


def test_cleaning_is_heard_first_then_printed_and_undone(api: Api) -> None:
    rng = np.random.default_rng(1)
    dirty = np.concatenate((LOOP.samples, LOOP.samples, np.zeros((RATE, 2), np.float32)))
    dirty = (dirty * 0.8 + 0.003 * rng.standard_normal(dirty.shape)).astype(np.float32)
    api.bring_in("dirty.wav", wav(dirty))
    api.edit({"type": "add_cut", "source": "s1", "at": 3000})
    audio = audio_of(api)
    survey = api.get(f"/api/audio/{audio}/survey")
    assert -58 < survey["hiss_db"] < -45
    assert survey["hum"] is None
    kept = stereo(api.get(f"/api/audio/{audio}/cleaned/1000/60000?hiss=12"))
    removed = stereo(api.get(f"/api/audio/{audio}/cleaned/1000/60000?hiss=12&part=removed"))
    source = stereo(api.get(f"/api/audio/{audio}/fitted/1000/60000"))
    assert np.allclose(kept + removed, source, atol=1e-6)
    assert np.array_equal(stereo(api.get(f"/api/audio/{audio}/cleaned/1000/60000?hiss=12&part=original")), source)
    assert np.abs(removed).max() > 1e-4
    job = api.post(f"/api/pockets/{api.id}/sources/s1/clean", {"clicks": 0, "hum": False, "hiss": 12}, 202)
    api.worker.run(job["id"])
    assert api.get(f"/api/jobs/{job['id']}")["state"] == "done"
    made = list(api.state["pocket"]["sources"].values())[-1]
    assert (made["name"], made["frames"]) == ("dirty, cleaned", len(dirty))
    assert made["kin"] == {"root": "s1", "kind": "cleaned", "offset": 0, "likeness": None}
    assert made["cuts"] == [], "its record's cuts are its own"
    printed = stereo(api.get(f"/api/audio/{made['audio']}/fitted/1000/60000"))
    assert np.array_equal(printed, kept), "what was heard is what was printed"
    assert api.state["undo"] == "add dirty, cleaned"
    api.post(f"/api/pockets/{api.id}/undo", {"version": api.state["version"]})
    assert list(api.state["pocket"]["sources"]) == ["s1"]


def test_cleaning_refuses_what_makes_no_sense(api: Api) -> None:
    api.bring_in("loop.wav", wav(LOOP.samples))
    path = f"/api/pockets/{api.id}/sources/s1/clean"
    assert "Nothing is to be taken out" in api.post(path, {}, 422)["message"]
    api.post(path, {"clicks": 200}, 422)
    api.post(f"/api/pockets/{api.id}/sources/s7/clean", {"hiss": 3}, 404)
    assert "inside" in api.get(f"/api/audio/{audio_of(api)}/cleaned/9/3?hiss=1", 422)["message"]
    job = api.post(path, {"hiss": 6}, 202)
    api.post(f"/api/jobs/{job['id']}/cancel")
    api.worker.run(job["id"])
    assert api.get(f"/api/jobs/{job['id']}")["state"] == "cancelled"
    gone = api.post(path, {"hiss": 6}, 202)
    api.edit({"type": "remove_source", "source": "s1", "with_pads": True})
    api.worker.run(gone["id"])
    assert "no longer in the pocket" in api.get(f"/api/jobs/{gone['id']}")["message"]


def test_stems_and_their_mix(api: Api) -> None:
    beats = beats_of(100.0, 16, 0.1)
    rest, drums = band(beats, weak=True).out, band(beats).out
    mix = np.repeat((0.3 * (rest + drums))[:, None], 2, axis=1).astype(np.float32)
    stem = np.repeat((0.3 * drums)[4321:, None], 2, axis=1).astype(np.float32)
    for name, sound in (("mix", mix), ("drums", stem), ("other", LOOP.samples)):
        api.bring_in(f"{name}.wav", wav(sound))
    ids = list(api.state["pocket"]["sources"])
    found = api.get(f"/api/pockets/{api.id}/sources/{ids[1]}/kinship/{ids[0]}")
    assert (found["offset"], found["related"]) == (4321, True)
    api.edit({"type": "join_family", "source": ids[1], "root": ids[0], "offset": found["offset"], "likeness": found["likeness"]})
    assert api.state["pocket"]["sources"][ids[1]]["kin"]["offset"] == 4321
    api.get(f"/api/pockets/{api.id}/sources/{ids[1]}/kinship/s999", 404)
