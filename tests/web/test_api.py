"""Edits, undo, sounds and exports through the API; and who may talk to it."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import pytest
import soundfile as sf

from tests.files import GOOD
from tests.signals import RATE, drum_loop
from tests.web.conftest import HOST, Api


@pytest.fixture
def rhythm(api: Api) -> tuple[Api, str]:
    """A pocket with a loop and its own rhythm; the pattern's id."""
    api.bring_in("loop.wav", GOOD["plain.wav"])
    reply = api.edit({"type": "original_rhythm", "source": "s1"})
    return api, next(iter(reply["changes"]["patterns"]))


def stereo_of(data: bytes) -> np.ndarray:
    return np.frombuffer(data, "<f4").reshape(2, -1).T


def assembled(api: Api, loop: dict[str, Any]) -> np.ndarray:
    """The loop as a browser puts it together."""
    segments = loop["segments"]
    parts = [stereo_of(api.get(f"/api/sound/{segment['key']}")) for segment in segments]
    assert [len(part) for part in parts] == [segment["frames"] for segment in segments]
    assert [segment["start"] for segment in segments] == [0, *np.cumsum([len(part) for part in parts])[:-1]]
    out = np.concatenate(parts)
    assert len(out) == loop["length"]
    return out


def test_several_sounds_in_one_answer(rhythm: tuple[Api, str]) -> None:
    api, pattern = rhythm
    keys = [segment["key"] for segment in api.get(f"/api/pockets/{api.id}/sounds/{pattern}")["loop"]["segments"]]
    apart = b"".join(api.get(f"/api/sound/{key}") for key in keys[:5])
    assert api.get(f"/api/sound/{'.'.join(keys[:5])}") == apart
    assert api.get(f"/api/sound/{keys[0]}.0123", 404)["code"] == "unknown-key"
    api.get(f"/api/sound/{'.'.join([keys[0]] * 17)}", 404)


def test_the_export_is_what_the_browser_plays(rhythm: tuple[Api, str]) -> None:
    api, pattern = rhythm
    loop = api.get(f"/api/pockets/{api.id}/sounds/{pattern}")["loop"]
    wav = api.get(f"/api/pockets/{api.id}/export/{pattern}.wav")
    assert wav == api.get(f"/api/pockets/{api.id}/export/{pattern}.wav")
    samples, rate = sf.read(io.BytesIO(wav), dtype="float64", always_2d=True)
    assert rate == RATE
    assert np.abs(samples * 8388608 / 8388607 - assembled(api, loop)).max() < 1 / 8388607
    # And both are the loop that came in.
    difference = assembled(api, loop) - drum_loop().samples
    assert 10 * np.log10((difference**2).sum() / (drum_loop().samples ** 2).sum() + 1e-20) < -60


def test_export_with_level_passes_and_tail(rhythm: tuple[Api, str]) -> None:
    api, pattern = rhythm
    once, _ = sf.read(io.BytesIO(api.get(f"/api/pockets/{api.id}/export/{pattern}.wav")), always_2d=True)
    api.edit({"type": "set_pocket", "level": -6.0})
    twice, _ = sf.read(io.BytesIO(api.get(f"/api/pockets/{api.id}/export/{pattern}.wav?passes=2")), always_2d=True)
    np.testing.assert_allclose(twice[: len(once)], once * 10 ** (-6 / 20), atol=3e-7)
    np.testing.assert_array_equal(twice[: len(once)], twice[len(once) :])
    tail = api.ask("GET", f"/api/pockets/{api.id}/export/{pattern}.wav?ending=tail&passes=2")
    assert tail.headers["X-Clipped"] == "0"
    assert sf.info(io.BytesIO(tail.data)).frames >= len(twice)


def test_clipping_is_told(rhythm: tuple[Api, str]) -> None:
    api, pattern = rhythm
    api.edit({"type": "set_pocket", "level": 12.0})
    answer = api.ask("GET", f"/api/pockets/{api.id}/export/{pattern}.wav")
    assert int(answer.headers["X-Clipped"]) > 0
    assert float(answer.headers["X-Peak-dB"]) > 0


def test_replies_carry_only_what_changed(rhythm: tuple[Api, str]) -> None:
    api, pattern = rhythm
    reply = api.edit({"type": "set_pads", "pads": [2], "sound": {"pitch": -3}}, heard=pattern)
    assert list(reply["changes"]["pads"]) == ["2"]
    assert reply["changes"]["sources"] == {}
    assert reply["changes"]["patterns"] == {}
    assert reply["changes"]["fields"] == {}
    assert reply["undo"] == "pad pitch"
    undone = api.post(f"/api/pockets/{api.id}/undo", {"version": reply["version"]})
    assert "pitch" not in undone["changes"]["pads"]["2"]["sound"], "written is only what differs from its default"
    assert undone["redo"] == "pad pitch"


def test_the_loop_tells_where_its_hits_are(rhythm: tuple[Api, str]) -> None:
    api, pattern = rhythm
    api.edit({"type": "add_pattern", "name": "Two"})
    two = next(key for key in api.state["pocket"]["patterns"] if key != pattern)
    some = [{"pad": 3, "beat": 0.0}, {"pad": 1, "beat": 1.0}, {"pad": 3, "beat": 1.0}]
    api.edit({"type": "set_pattern", "pattern": two, "swing": 50})
    loop = api.edit({"type": "put_hits", "pattern": two, "hits": some}, heard=two)["sounds"]["loop"]
    beat = round(60 / loop["tempo"] * loop["rate"])
    assert loop["hits"] == [0, 3, beat, 1, beat, 3]


def test_an_edit_changes_only_the_segments_it_touches(rhythm: tuple[Api, str]) -> None:
    api, pattern = rhythm
    before = api.get(f"/api/pockets/{api.id}/sounds/{pattern}")["loop"]["segments"]
    hits = api.state["pocket"]["patterns"][pattern]["hits"]
    reply = api.edit({"type": "set_hits", "pattern": pattern, "hits": [hits[-3]["id"]], "velocity": 40}, heard=pattern)
    after = reply["sounds"]["loop"]["segments"]
    changed = [i for i, (a, b) in enumerate(zip(before, after, strict=True)) if a["key"] != b["key"]]
    beat = int(hits[-3]["beat"])
    assert beat in changed
    # Its neighbours sound on into it or out of it, but no more than they.
    assert set(changed) <= {beat - 1, beat, beat + 1}


def test_a_stale_edit_gets_the_new_state(api: Api) -> None:
    old = api.state["version"]
    api.edit({"type": "set_pocket", "tempo": 111.0})
    answer = api.edit({"type": "set_pocket", "tempo": 99.0}, status=409, version=old)
    assert answer["code"] == "stale"
    assert answer["state"]["pocket"]["tempo"] == 111
    assert answer["since"] == ["tempo"]
    assert "not made" in answer["message"]
    assert api.state["pocket"]["tempo"] == 111


def test_refusals_and_bad_requests_are_clear(api: Api) -> None:
    assert "no longer in the pocket" in api.edit({"type": "rename_source", "source": "s7", "name": "x"}, status=422)["message"]
    assert "level" in api.edit({"type": "set_pads", "pads": [0], "level": 99}, status=422)["message"]
    assert api.post(f"/api/pockets/{api.id}/edits", {"version": 1}, 422)["code"] == "invalid"
    assert api.get("/api/pockets/none", 404)["code"] == "no-pocket"
    assert api.get("/api/sound/0123", 404)["code"] == "unknown-key"
    assert api.get(f"/api/audio/{'0' * 64}/pcm/0", 404)["code"] == "missing"


def test_slices_sound_like_fresh_pads(rhythm: tuple[Api, str]) -> None:
    api, _ = rhythm
    source = api.state["pocket"]["sources"]["s1"]
    start, end = source["cuts"][1]["at"], source["cuts"][2]["at"]
    heard = api.get(f"/api/audio/{source['audio']}/slice/{start}/{end}")
    voice = api.get(f"/api/pockets/{api.id}/sounds/none")["voices"]["1"]
    assert heard == api.get(f"/api/sound/{voice['key']}")
    assert len(stereo_of(heard)) == voice["frames"]
    api.get(f"/api/audio/{source['audio']}/slice/{end}/{start}", 422)
    api.get(f"/api/audio/{source['audio']}/slice/0/{source['frames'] + 1}", 422)


def test_rendered_sound_may_be_kept_for_ever(rhythm: tuple[Api, str]) -> None:
    api, pattern = rhythm
    key = api.get(f"/api/pockets/{api.id}/sounds/{pattern}")["loop"]["segments"][0]["key"]
    assert "immutable" in api.ask("GET", f"/api/sound/{key}").headers["Cache-Control"]
    assert api.ask("GET", f"/api/pockets/{api.id}").headers["Cache-Control"] == "no-store"


@pytest.mark.parametrize(
    "headers",
    [
        {"Host": "evil.example"},
        {"Host": "127.0.0.1:9999"},
        {"Host": "127.0.0.1.evil.example:8000"},
        {"Origin": "http://evil.example"},
        {"Origin": "null"},
        {"Origin": "https://127.0.0.1:8000.evil.example"},
        {"Sec-Fetch-Site": "cross-site"},
    ],
)
def test_other_sites_are_refused(api: Api, headers: dict[str, str]) -> None:
    for method, path in (("GET", "/api/pockets"), ("POST", "/api/pockets")):
        answer = api.client.open(path, method=method, json={"name": "x"}, headers={**HOST, **headers})
        assert answer.status_code == 403
    assert len(api.get("/api/pockets")["pockets"]) == 1


def test_our_own_page_may(api: Api) -> None:
    for host in ("127.0.0.1:8000", "localhost:8000"):
        answer = api.client.get("/api/pockets", headers={"Host": host, "Origin": f"http://{host}", "Sec-Fetch-Site": "same-origin"})
        assert answer.status_code == 200


@pytest.mark.parametrize(
    "path",
    [
        "/../pyproject.toml",
        "/%2e%2e/%2e%2e/pyproject.toml",
        "/..%2f..%2fgrainpocket%2fcli.py",
        "/assets/../../app.py",
        "//etc/passwd",
        "/api/audio/..%2f..%2f..%2fetc/pcm/0",
        "/api/audio/%2e%2e/peaks/0/0",
    ],
)
def test_no_file_outside_the_store_is_served(api: Api, path: str) -> None:
    answer = api.client.get(path, headers=HOST)
    assert answer.status_code in (400, 403, 404, 308), answer.data[:100]
    assert b"grainpocket" not in answer.data


def test_the_parameters_describe_the_ranges(api: Api) -> None:
    about = api.get("/api/about")
    level = next(p for p in about["parameters"]["pad"] if p["name"] == "level")
    assert (level["low"], level["high"], level["default"], level["unit"]) == (-60, 12, 0, "dB")
    assert about["rate"] == RATE
