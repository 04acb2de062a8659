"""Mix and song over the API: exact loops, windows of the song, exports and prints as jobs."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import pytest
import soundfile as sf

from grainpocket.jobs.queue import Queues
from tests.files import GOOD
from tests.web.conftest import HOST, Api
from tests.web.test_api import assembled, stereo_of


@pytest.fixture
def tune(api: Api) -> tuple[Api, str]:
    """A loop's own rhythm through a bus with a compressor and a send to a reverb, a limiter on the master, and a song of it."""
    api.bring_in("loop.wav", GOOD["plain.wav"])
    reply = api.edit({"type": "original_rhythm", "source": "s1"})
    pattern = next(iter(reply["changes"]["patterns"]))
    pads = [int(pad) for pad in api.state["pocket"]["pads"]]
    api.edit({"type": "add_bus", "name": "All", "pads": pads, "effects": ["compressor"]})
    api.edit({"type": "add_bus", "name": "Reverb", "is_return": True, "effects": ["reverb"]})
    bus, room = api.state["pocket"]["buses"]
    (effect,) = api.state["pocket"]["buses"][room]["chain"]
    api.edit({"type": "set_effect", "bus": room, "effect": effect["id"], "settings": {"decay": 0.4}})
    api.edit({"type": "set_send", "bus": bus, "to": room, "level": -12})
    api.edit({"type": "add_effect", "bus": "master", "kind": "limiter"})
    api.edit({"type": "add_section", "name": "One", "bars": 1, "patterns": [pattern]})
    api.edit({"type": "add_section", "name": "Two", "bars": 2, "patterns": [pattern]})
    return api, pattern


def job(api: Api, path: str, body: dict[str, Any]) -> Any:
    made = api.post(f"/api/pockets/{api.id}/{path}", body, 202)
    api.worker.run(made["id"])
    return api.get(f"/api/jobs/{made['id']}")


def file_of(api: Api, made: dict[str, Any]) -> tuple[np.ndarray, Any]:
    answer = api.ask("GET", f"/api/jobs/{made['id']}/file")
    assert answer.status_code == 200
    whole, rate = sf.read(io.BytesIO(answer.data), dtype="int32")
    assert rate == 44100
    return (whole >> 8) / 8388607, answer


def test_what_is_heard_at_rest_is_what_is_exported(tune: tuple[Api, str]) -> None:
    api, pattern = tune
    loop = api.get(f"/api/pockets/{api.id}/sounds/{pattern}")["loop"]
    assert not loop["settled"]
    assert np.isfinite(assembled(api, loop)).all()
    sounds = api.get(f"/api/pockets/{api.id}/sounds/{pattern}")
    assert {voice["bus"] for voice in sounds["voices"].values()} == {next(iter(api.state["pocket"]["buses"]))}
    assert [(one["at"], one["beats"]) for one in sounds["song"]] == [(0, 4), (4, 8)]
    settled = api.get(f"/api/pockets/{api.id}/settled/{pattern}")
    assert settled["loop"]["settled"]
    heard = assembled(api, settled["loop"])
    written, _ = file_of(api, job(api, "exports", {"what": pattern}))
    assert np.abs(written - heard).max() <= 0.51 / 8388607
    flac, answer = file_of(api, job(api, "exports", {"what": pattern, "format": "flac"}))
    np.testing.assert_allclose(flac, written, atol=1.01 / 8388607)
    assert ".flac" in answer.headers["Content-Disposition"]
    assert settled["buses"]["master"]["peak_db"] <= -0.9
    assert settled["lufs"] < 0
    # Round and round, every 3 s hold about as much as the whole.
    assert abs(len(settled["short"]) - 10 * loop["length"] / loop["rate"]) <= 1
    assert max(abs(value - settled["lufs"]) for value in settled["short"]) < 2


def test_an_edit_answers_before_anything_is_rendered_and_only_its_own_run_is_named(tune: tuple[Api, str]) -> None:
    api, pattern = tune
    bus = next(iter(api.state["pocket"]["buses"]))
    first = api.edit({"type": "set_bus", "bus": bus, "level": -3}, heard=pattern)["sounds"]["loop"]
    second = api.edit({"type": "set_bus", "bus": bus, "level": -6}, heard=pattern)["sounds"]["loop"]
    assert {s["key"] for s in first["segments"]}.isdisjoint(s["key"] for s in second["segments"])
    quieter = assembled(api, second)
    assert np.abs(quieter).max() > 0.001
    forgotten = first["segments"][0]["key"].replace("draft-", "draft-f")
    assert api.get(f"/api/sound/{forgotten}", 404)["code"] == "unknown-key"


def test_the_song_by_windows_is_the_exported_song(tune: tuple[Api, str]) -> None:
    api, _ = tune
    parts, at = [], 0
    while True:
        window = api.get(f"/api/pockets/{api.id}/song?first={at}&last={at + 50000}")
        for segment in window["segments"]:
            if segment["start"] >= at:
                parts.append(stereo_of(api.get(f"/api/sound/{segment['key']}")))
                at = segment["start"] + segment["frames"]
        if at >= window["end"]:
            break
    heard = np.concatenate(parts)
    assert window["length"] < len(heard) == window["end"]
    made = job(api, "exports", {"what": "song"})
    assert made["state"] == "done", made
    written, _ = file_of(api, made)
    assert window["length"] <= len(written) <= len(heard)
    assert np.abs(written - heard[: len(written)]).max() <= 0.51 / 8388607
    assert np.abs(heard[len(written) :]).max(initial=0) < 2e-5, "only silence is left out"


def test_an_export_is_of_the_pocket_as_it_was_asked_for(tune: tuple[Api, str]) -> None:
    api, pattern = tune
    before, _ = file_of(api, job(api, "exports", {"what": pattern}))
    made = api.post(f"/api/pockets/{api.id}/exports", {"what": pattern}, 202)
    api.edit({"type": "set_pocket", "level": -40})
    api.worker.run(made["id"])
    np.testing.assert_array_equal(file_of(api, made)[0], before)


def test_exports_that_cannot_be_say_why_and_leave_nothing(tune: tuple[Api, str], tmp_path: Any) -> None:
    api, pattern = tune
    api.post(f"/api/pockets/{api.id}/exports", {"what": "gone"}, 404)
    made = job(api, "exports", {"what": pattern, "ending": "tail", "passes": 2})
    assert made["state"] == "done"
    for section in api.state["pocket"]["song"]:
        api.edit({"type": "remove_section", "section": section})
    made = job(api, "exports", {"what": "song"})
    assert (made["state"], "no sections" in made["message"]) == ("failed", True)
    made = api.post(f"/api/pockets/{api.id}/exports", {"what": pattern}, 202)
    api.post(f"/api/jobs/{made['id']}/cancel", status=200)
    api.worker.run(made["id"])
    api.get(f"/api/jobs/{made['id']}/file", 404)
    assert not list(api.worker.settings.exports.glob("*.part"))


def test_a_print_takes_on_grid_cuts_roles_and_records(tune: tuple[Api, str]) -> None:
    api, pattern = tune
    bus = next(iter(api.state["pocket"]["buses"]))
    recipe = {"what": "bus", "bus": bus, "pattern": pattern, "master": False, "ending": "wrap"}
    made = job(api, "prints", recipe)
    assert made["state"] == "done", made
    pocket = api.state["pocket"]
    first = pocket["sources"]["s1"]
    key, found = list(pocket["sources"].items())[-1]
    assert found["origin"]["recipe"]["bus"] == bus
    assert found["grid"]["bpm"] == pytest.approx(pocket["tempo"])
    assert found["grid"]["bars"] == pocket["patterns"][pattern]["bars"]
    assert found["frames"] == api.get(f"/api/pockets/{api.id}/sounds/{pattern}")["loop"]["length"]
    roles = [cut["role"] for cut in found["cuts"]]
    assert len(roles) == len(first["cuts"])
    assert any(roles)
    for part in found["origin"]["parts"]:
        assert part["audio"] == first["audio"]
        assert part["at"] is not None
        assert part["start"] - part["at"] == pytest.approx(0, abs=2), "the loop lies where it lay in the record"
    # And a print of a print leads to the same seconds.
    api.edit({"type": "slices_to_pads", "source": key, "cuts": [found["cuts"][1]["id"]], "first": 40})
    made = job(api, "prints", {"what": "pad", "pad": 40, "master": False, "ending": "ring"})
    assert made["state"] == "done", made
    twice = list(api.state["pocket"]["sources"].values())[-1]
    (part,) = twice["origin"]["parts"]
    assert part["audio"] == first["audio"]
    assert part["start"] == pytest.approx(found["cuts"][1]["at"], abs=2)
    api.post(f"/api/pockets/{api.id}/prints", {"what": "pad", "pad": 900}, 404)


def test_a_shaped_pad_is_printed_as_long_as_it_sounds_and_names_the_seconds_that_it_plays(tune: tuple[Api, str]) -> None:
    api, _ = tune
    pad = int(next(iter(api.state["pocket"]["pads"])))
    record = api.state["pocket"]["sources"]["s1"]
    api.edit({"type": "set_pads", "pads": [pad], "bus": "master", "sound": {"start": 20, "time": "fit", "beats": 6}})
    made = job(api, "prints", {"what": "pad", "pad": pad, "ending": "cut", "master": False})
    assert made["state"] == "done", made
    found = list(api.state["pocket"]["sources"].values())[-1]
    assert found["frames"] == round(8 * 60 / api.state["pocket"]["tempo"] * 44100), "two bars hold six beats"
    (part,) = found["origin"]["parts"]
    chop = api.state["pocket"]["pads"][str(pad)]["chop"]
    assert part["audio"] == record["audio"]
    assert (part["start"], part["end"]) == (chop["start"] + 882, chop["end"])


def test_a_print_and_a_file_are_made_of_the_pocket_as_it_was_when_they_were_asked_for(tune: tuple[Api, str]) -> None:
    api, pattern = tune
    before = api.get(f"/api/pockets/{api.id}/sounds/{pattern}")["loop"]["length"]
    api.edit({"type": "set_pocket", "name": "Now"})
    recipe = {"what": "pattern", "pattern": pattern, "ending": "wrap"}
    asked = [
        api.post(f"/api/pockets/{api.id}/prints", recipe, 202),
        api.post(f"/api/pockets/{api.id}/exports", {"what": pattern}, 202),
    ]
    api.edit({"type": "set_pocket", "tempo": 200})
    for one in asked:
        api.worker.run(one["id"])
    done = api.get(f"/api/jobs/{asked[1]['id']}")
    assert "after “rename pocket”" in done["message"] or done["over_db"]
    assert len(file_of(api, done)[0]) == before
    assert list(api.state["pocket"]["sources"].values())[-1]["frames"] == before


def test_a_part_of_the_song_is_printed_to_the_bar(tune: tuple[Api, str]) -> None:
    api, _ = tune
    two = api.state["pocket"]["song"][1]
    made = job(api, "prints", {"what": "song", "sections": [two], "ending": "cut"})
    assert made["state"] == "done", made
    pocket = api.state["pocket"]
    found = list(pocket["sources"].values())[-1]
    assert found["frames"] == round(8 * 60 / pocket["tempo"] * 44100)
    assert found["name"].startswith("Two")


def test_a_print_with_a_pitch_in_it_is_in_the_key_of_the_pocket(tune: tuple[Api, str]) -> None:
    api, pattern = tune
    api.edit({"type": "set_key", "key": {"tonic": 2, "mode": "minor"}})
    for role, key in (("kick", None), ("tonal", {"tonic": 2, "mode": "minor"})):
        api.edit({"type": "set_pads", "pads": [int(pad) for pad in api.state["pocket"]["pads"]], "role": role})
        assert job(api, "prints", {"what": "pattern", "pattern": pattern, "ending": "cut"})["state"] == "done"
        found = list(api.state["pocket"]["sources"].values())[-1]
        assert found["key"] == key
    api.edit({"type": "set_source_key", "source": found["id"], "key": {"tonic": 5, "mode": "minor"}})
    fit = api.get(f"/api/pockets/{api.id}/sources/{found['id']}/fit?key=true")
    assert fit["semitones"] == pytest.approx(-3, abs=0.6), "what was said of it counts more than what is heard"


def test_what_is_asked_for_waits_behind_no_import(api: Api) -> None:
    queues = Queues(api.worker.settings)
    queues.empty()
    queues.hand_over("a" * 32, "import")
    queues.hand_over("b" * 32, "export")
    assert queues.waiting() == {"a" * 32, "b" * 32}
    assert [len(lane.pending()) for lane in queues.lanes] == [1, 1]


def test_pictures_of_effects(api: Api) -> None:
    kinds = [effect["kind"] for effect in api.get("/api/about")["effects"]]
    assert len(kinds) >= 8
    for kind in kinds:
        drawn = api.post(f"/api/effects/{kind}/drawing", {"settings": {}, "tempo": 94})
        assert len(drawn["x"]) == len(drawn["y"])
    drawn = api.post("/api/effects/eq/drawing", {"settings": {"peak1_db": 6.0, "peak1_hz": 1000.0, "amount": 50}})
    peak = int(np.argmax(drawn["y"]))
    assert drawn["y"][peak] == pytest.approx(6, abs=0.1)
    assert drawn["x"][peak] == pytest.approx(1000, rel=0.05)
    api.post("/api/effects/magic/drawing", {}, 404)


def test_a_pad_is_tried_out_through_its_bus_as_it_will_sound(tune: tuple[Api, str]) -> None:
    api, _ = tune
    pad = next(iter(api.state["pocket"]["pads"]))
    url, sound = f"/api/pockets/{api.id}/pads/{pad}/voice", {"level": -6, "pitch": 2}
    bare, through = (api.client.post(url, json={"sound": sound, "through": on}, headers=HOST).data for on in (False, True))
    api.edit({"type": "set_pads", "pads": [int(pad)], "sound": sound})
    voice = api.get(f"/api/pockets/{api.id}/sounds/none")["voices"][pad]
    assert voice["through"] is not None
    assert bare == api.client.get(f"/api/sound/{voice['key']}", headers=HOST).data
    assert through == api.client.get(f"/api/sound/{voice['through']}", headers=HOST).data
    assert len(through) > len(bare), "the room that it is sent to rings on"
