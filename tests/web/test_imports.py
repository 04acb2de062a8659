"""Files through the API: each becomes a find or says what is wrong, and nothing half-imported remains."""

from __future__ import annotations

import unicodedata
from pathlib import Path

import numpy as np
import pytest

from grainpocket.jobs.importing import Cancelled, clean_name, find_name, import_file
from grainpocket.settings import Settings
from grainpocket.store.audio import AudioStore, is_hash
from tests.files import BAD, GOOD, tone, wav
from tests.signals import RATE, drum_loop
from tests.web.conftest import HOST, Api


def left_over(settings: Settings) -> list[str]:
    """Files that belong to no find."""
    uploads = [p.name for p in settings.uploads.glob("*")]
    parts = [p.name for p in (settings.audio / ".parts").glob("*")]
    return uploads + parts


@pytest.mark.parametrize("name", list(GOOD))
def test_good_files(api: Api, settings: Settings, name: str) -> None:
    job = api.bring_in(name, GOOD[name])
    assert job["state"] == "done", job
    (source,) = api.state["pocket"]["sources"].values()
    assert not any(unicodedata.category(c) == "Cc" for c in source["name"])
    assert "/" not in source["name"]
    assert "\\" not in source["name"]
    assert source["frames"] >= 1
    first = np.frombuffer(api.get(f"/api/audio/{source['audio']}/pcm/0"), "<f4")
    assert len(first) == 2 * min(source["frames"], 65536)
    assert np.isfinite(first).all()
    assert left_over(settings) == []
    if "truncated" in name or "nonsense" in name:
        assert job["message"], "says what was wrong with it"


@pytest.mark.parametrize("name", list(BAD))
def test_bad_files(api: Api, settings: Settings, name: str) -> None:
    data, words = BAD[name]
    job = api.bring_in(name, data)
    assert job["state"] == "failed"
    assert words in job["message"]
    assert api.state["pocket"]["sources"] == {}
    assert [p for p in settings.audio.iterdir() if is_hash(p.name)] == []
    assert left_over(settings) == []


def test_a_file_over_the_limit(api: Api, settings: Settings) -> None:
    url = f"/api/pockets/{api.id}/imports?name=big.wav"
    answer = api.client.post(url, data=b"0" * (settings.most_bytes + 1), headers=HOST)
    assert answer.status_code == 413
    assert "20 MB" in answer.json["message"]
    assert left_over(settings) == []


def test_names_are_what_the_musician_sees(api: Api) -> None:
    assert find_name("../../../etc/passwd.wav") == "passwd"
    assert find_name("🥁👨‍👩‍👧 beat é.WAV") == "🥁👨‍👩‍👧 beat é"
    assert find_name("a\x00b\n\u202ec.flac") == "abc"
    assert find_name("...") == "Untitled"
    assert len(find_name("x" * 500 + ".wav")) == 80
    assert clean_name("C:\\music\\loop.wav", 99) == "loop.wav"


def test_the_same_file_twice_is_told_to_be_there(api: Api) -> None:
    assert api.bring_in("loop.wav", GOOD["plain.wav"])["found"] is None
    told = api.bring_in("other name.wav", GOOD["plain.wav"])
    assert (told["state"], told["found"]) == ("done", "s1")
    assert told["message"] == "The very same audio is among the finds, as loop. Nothing was added."
    assert len(api.state["pocket"]["sources"]) == 1


def test_the_same_file_twice_is_stored_once(api: Api, settings: Settings) -> None:
    api.bring_in("loop.wav", GOOD["plain.wav"])
    api.bring_in("loop.wav", GOOD["plain.wav"], again=True)
    sources = list(api.state["pocket"]["sources"].values())
    assert [s["name"] for s in sources] == ["loop", "loop (2)"]
    assert sources[0]["audio"] == sources[1]["audio"]
    assert len([p for p in settings.audio.iterdir() if is_hash(p.name)]) == 1


def test_a_lossy_source_is_marked(api: Api) -> None:
    api.bring_in("a.mp3", GOOD["mp3.mp3"])
    api.bring_in("b.wav", GOOD["plain.wav"])
    assert [s["origin"]["lossy"] for s in api.state["pocket"]["sources"].values()] == [True, False]


def test_a_repeated_job_adds_its_find_once(api: Api) -> None:
    """The worker may die between adding the find and saying that it is done."""
    job = api.bring_in("loop.wav", GOOD["plain.wav"])
    api.worker.jobs.finish(job["id"], "queued")
    api.worker.run(job["id"])
    assert len(api.state["pocket"]["sources"]) == 1
    assert api.get(f"/api/jobs/{job['id']}")["state"] == "done"


def test_a_cancelled_import_leaves_nothing(settings: Settings, audio: AudioStore, tmp_path: Path) -> None:
    path = tmp_path / "loop.wav"
    path.write_bytes(wav(drum_loop(bars=4).samples))

    def stop(progress: float, step: str) -> None:
        if progress > 0.6:
            raise Cancelled

    with pytest.raises(Cancelled):
        import_file(path, "loop.wav", audio, 30, stop)
    assert [p for p in settings.audio.rglob("*") if p.is_file()] == []


def test_cancel_through_the_api(api: Api, settings: Settings) -> None:
    answer = api.client.post(f"/api/pockets/{api.id}/imports?name=a.wav", data=GOOD["plain.wav"], headers=HOST)
    job = answer.json["id"]
    assert api.post(f"/api/jobs/{job}/cancel")["state"] == "cancelled"
    api.worker.run(job)
    assert api.state["pocket"]["sources"] == {}
    api.worker.recover()
    assert left_over(settings) == []


def test_a_full_disk(api: Api, settings: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
    import soundfile as sf

    def full(self: sf.SoundFile, data: np.ndarray) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(sf.SoundFile, "write", full)
    job = api.bring_in("loop.wav", GOOD["plain.wav"])
    assert job["state"] == "failed"
    assert "disk is full" in job["message"]
    assert api.state["pocket"]["sources"] == {}
    assert left_over(settings) == []


def test_sources_come_at_the_pockets_rate(api: Api) -> None:
    api.bring_in("tone.wav", wav(tone(1.0, rate=48000), rate=48000))
    (source,) = api.state["pocket"]["sources"].values()
    assert abs(source["frames"] - RATE) <= 1
    assert source["origin"]["rate"] == 48000


def test_audio_that_is_known_is_not_listened_to_again(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    loop = wav(drum_loop(bpm=101, bars=1).samples)
    assert api.bring_in("first.wav", loop)["state"] == "done"

    def never(*_: object) -> None:
        raise AssertionError("it was heard before")

    monkeypatch.setattr("grainpocket.jobs.importing.hear", never)
    assert api.bring_in("second.wav", loop, again=True)["state"] == "done"
    first, second = api.state["pocket"]["sources"].values()
    assert first["audio"] == second["audio"]
    assert (first["grid"], first["trim"]) == (second["grid"], second["trim"])
    assert [c["at"] for c in first["cuts"]] == [c["at"] for c in second["cuts"]]
    assert api.bring_in("other.wav", wav(drum_loop(bpm=90, bars=1).samples))["state"] == "failed", "what is new is heard"
