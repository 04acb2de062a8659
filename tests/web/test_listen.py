"""What the Listen station asks of the server."""

from __future__ import annotations

import io

import mutagen.flac
import numpy as np
import soundfile as sf

from grainpocket.core.sound.audio import planar
from grainpocket.core.sound.reference import click, tone
from grainpocket.store.audio import HEARING
from tests.files import wav
from tests.signals import RATE, drum_loop
from tests.web.conftest import Api

LOOP = drum_loop(bpm=97.3, bars=2)


def hearing(api: Api) -> tuple[str, dict]:
    audio = api.state["pocket"]["sources"]["s1"]["audio"]
    return audio, api.get(f"/api/audio/{audio}/hearing")


def test_all_that_was_heard(api: Api) -> None:
    api.bring_in("loop.wav", wav(LOOP.samples))
    _, heard = hearing(api)
    assert abs(heard["tempi"][0]["bpm"] / LOOP.bpm - 1) < 1e-6
    assert (heard["tempi"][0]["bars"], heard["tempi"][0]["metre"], heard["tempi"][0]["bar_one"]) == (2, "4/4", 0)
    assert sum(t["confidence"] for t in heard["tempi"]) <= 1.001
    assert len(heard["transients"]["roles"]) == len(heard["transients"]["at"])
    assert heard["loudness"]["true_peak_db"] >= heard["peak_db"] - 0.01
    assert heard["chords"][-1]["end"] <= len(LOOP.samples) + 1


def test_a_stretch_alone_and_sharpened(api: Api) -> None:
    silence = np.zeros((RATE * 2, 2), np.float32)
    api.bring_in("late.wav", wav(np.concatenate((silence, LOOP.samples, LOOP.samples))))
    audio, _ = hearing(api)
    start, end = RATE * 2, RATE * 2 + 2 * len(LOOP.samples)
    for query in ("", "?sharpen=true"):
        tempi = api.get(f"/api/audio/{audio}/tempi/{start}/{end}{query}")["tempi"]
        assert abs(tempi[0]["bpm"] / LOOP.bpm - 1) < 1e-3
        assert tempi[0]["bar_one"] - start < 60 / LOOP.bpm * RATE * 4
        assert tempi[0]["bar_one"] >= start
    assert "inside" in api.get(f"/api/audio/{audio}/tempi/5/3", 422)["message"]
    assert "between" in api.get(f"/api/audio/{audio}/tempi/0/100", 422)["message"]
    assert api.get(f"/api/audio/{audio}/tempi/0/{RATE}")["tempi"] == []


def test_the_lines_of_a_grid(api: Api) -> None:
    api.bring_in("loop.wav", wav(LOOP.samples))
    api.edit({"type": "set_grid", "source": "s1", "bars": 2})
    lines = api.get(f"/api/pockets/{api.id}/sources/s1/lines")
    assert len(lines["beats"]) == 8
    assert lines["bars"] == [0, 4]
    assert lines["beats"][0] == 0
    assert api.get(f"/api/pockets/{api.id}/sources/s9/lines", 404)["code"] == "not-found"


def test_pitch_tone_and_click(api: Api) -> None:
    api.bring_in("tone.wav", wav(tone(57, 20.0, RATE)))
    audio, _ = hearing(api)
    found = api.get(f"/api/audio/{audio}/pitch/0/{RATE}")
    assert (found["note"], found["key"]) == ("A3", 57)
    assert abs(found["cents"] - 20) < 2
    assert api.get("/api/tone/57/120") == planar(tone(57, 20.0, RATE))
    assert api.get("/api/click/1") == planar(click(True, RATE))
    api.get("/api/click/2", 422)
    api.get("/api/tone/300/100", 422)


def test_tags_are_offered_beside_what_was_heard(api: Api, tmp_path) -> None:
    path = tmp_path / "a.flac"
    sf.write(path, LOOP.samples, RATE)
    file = mutagen.flac.FLAC(path)
    file.update({"bpm": "194.6", "artist": "The Dockers", "title": "Night ferry"})
    file.save()
    api.bring_in("a.flac", path.read_bytes())
    source = api.state["pocket"]["sources"]["s1"]
    assert source["origin"]["bpm"] == 194.6
    assert (source["credits"]["artist"], source["credits"]["title"], source["credits"]["cleared"]) == (
        "The Dockers",
        "Night ferry",
        None,
    )
    assert abs(source["grid"]["bpm"] / LOOP.bpm - 1) < 1e-6, "heard, not read"


def test_what_an_older_program_heard_is_heard_again(api: Api) -> None:
    api.bring_in("loop.wav", wav(LOOP.samples))
    api.edit({"type": "set_grid", "source": "s1", "bpm": 50.0})
    audio, heard = hearing(api)
    file = api.worker.audio.root / audio / HEARING
    file.rename(file.with_name("hearing-0.json"))
    api.worker.audio._hearings.clear()
    api.worker.recover()
    (job,) = api.get(f"/api/pockets/{api.id}/jobs")["jobs"]
    assert (job["kind"], job["state"]) == ("listen", "queued")
    api.worker.recover()
    assert len(api.get(f"/api/pockets/{api.id}/jobs")["jobs"]) == 1, "asked for once"
    api.worker.run(job["id"])
    assert api.get(f"/api/jobs/{job['id']}")["state"] == "done"
    assert file.is_file()
    assert hearing(api)[1]["transients"] == heard["transients"]
    assert api.state["pocket"]["sources"]["s1"]["grid"]["bpm"] == 50.0, "what was set by hand stays"


def test_stretches_of_one_channel(api: Api) -> None:
    memory = io.BytesIO()
    sf.write(memory, LOOP.samples[:, :1], RATE, format="WAV", subtype="FLOAT")
    api.bring_in("mono.wav", memory.getvalue())
    _, heard = hearing(api)
    assert heard["loudness"]["lufs"] < 0
