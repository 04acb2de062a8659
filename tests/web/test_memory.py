"""What both processes hold at most, whatever comes."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import psutil
import pytest

from bench.served import Served, served
from grainpocket.web.memory import give_back
from grainpocket.web.security import MOST_JSON
from tests.files import wav
from tests.signals import RATE
from tests.web.live import Live, until
from tests.web.test_crash import child

WEB_MB, WORKER_MB = 500, 800
PADS, VOICE_S = 128, 20


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Served]:
    with served(tmp_path_factory.mktemp("served")) as running:
        yield running


def most(server: Served, name: str) -> float:
    """MB that one of the server's processes has held at once since it began."""
    status = Path(f"/proc/{child(server, name).pid}/status").read_text()
    return next(int(line.split()[1]) for line in status.splitlines() if line.startswith("VmHWM")) / 1024


def noise(seconds: float, rate: int = RATE, channels: int = 1) -> np.ndarray:
    rng = np.random.default_rng(4)
    return (0.2 * rng.standard_normal((round(seconds * rate), channels))).astype(np.float32)


def test_a_kit_of_long_voices_and_much_json_leave_the_web_process_small(server: Served) -> None:
    live = Live(server)
    live.upload("minute.flac", wav(noise(60), subtype="PCM_16", container="FLAC"))
    until(lambda: live.state["pocket"]["sources"])
    live.edit({"type": "add_pattern", "name": "Steps"})
    stretches = [{"start": k * 9000, "end": k * 9000 + VOICE_S * RATE} for k in range(PADS)]
    status, answer = live.edit({"type": "stretches_to_pads", "source": "s1", "stretches": stretches})
    assert status == 200, answer
    pattern = next(iter(live.state["pocket"]["patterns"]))
    _, sounds = live.ask("GET", f"/api/pockets/{live.id}/sounds/{pattern}")
    keys = [voice["key"] for voice in sounds["voices"].values()]
    assert len(set(keys)) == PADS
    heard = 0
    for key in keys:
        status, sound = live.ask("GET", f"/api/sound/{key}")
        assert status == 200
        heard += len(sound)
    assert heard > 2 * WEB_MB * 1e6 * 0.8, "more than it may hold has gone through it"
    status, _ = live.ask("POST", f"/api/pockets/{live.id}/edits", {"a": "x" * (MOST_JSON - 100)})
    assert status == 422
    assert most(server, "web") < WEB_MB


def test_a_fast_wide_file_leaves_the_worker_small(server: Served) -> None:
    live = Live(server)
    job = live.upload("wide.wav", wav(noise(60, 192_000, 4), 192_000, "PCM_16"))
    until(lambda: live.job(job["id"])["state"] == "done", seconds=100)
    assert most(server, "worker") < WORKER_MB
    assert most(server, "web") < WEB_MB


def test_what_lies_free_between_what_is_held_is_given_back() -> None:
    def held() -> float:
        return psutil.Process().memory_info().rss / 1e6

    blocks = [np.ones(4000) for _ in range(4000)]
    full = held()
    # One in a hundred stays: no end of the heap is free.
    kept = blocks[::100]
    del blocks
    before = held()
    give_back()
    assert held() < before - 60
    assert held() < full - 100
    assert all(block.sum() == len(block) for block in kept)
