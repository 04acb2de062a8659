"""Twenty who read and five who edit, for an hour: after the first ten minutes the memory of both processes stays where it is."""

from __future__ import annotations

import http.client
import threading
import time
from pathlib import Path

import numpy as np
import psutil

from bench.served import Served, served
from tests.files import wav
from tests.signals import drum_loop
from tests.web.live import Live, until
from tests.web.test_crash import child

READERS, EDITORS = 20, 5
WARM_MINUTES = 10
GROWTH = 1.15
AWAY = (OSError, http.client.HTTPException, ValueError)


def _read(live: Live, rng: np.random.Generator) -> None:
    state = live.state
    pocket = state["pocket"]
    keys = [voice["key"] for voice in (state.get("sounds") or {}).get("voices", {}).values()]
    paths = [f"/api/pockets/{live.id}/jobs", f"/api/pockets/{live.id}/sources/s1/worth", f"/api/sound/{'.'.join(keys[:4])}"]
    paths += [f"/api/pockets/{live.id}/sounds/{pattern}" for pattern in list(pocket["patterns"])[:2]]
    paths += [f"/api/audio/{source['audio']}/peaks/0/0" for source in pocket["sources"].values()]
    live.ask("GET", paths[int(rng.integers(len(paths)))])


def _edit(live: Live, rng: np.random.Generator) -> None:
    pattern = next(iter(live.state["pocket"]["patterns"]))
    # On sixteenths, where a hit takes the place of the one that is there: a pattern that grows takes memory of its own right.
    step = int(rng.integers(16)) / 4
    edits = [
        {"type": "set_pads", "pads": [int(rng.integers(8))], "sound": {"level": float(rng.uniform(-12, 0))}},
        {"type": "put_hits", "pattern": pattern, "hits": [{"pad": int(rng.integers(8)), "beat": step}]},
        {"type": "set_pocket", "tempo": float(rng.uniform(80, 120))},
    ]
    live.edit(edits[int(rng.integers(len(edits)))])


def _until(end: float, live: Live, work: object, seed: int, counts: list[int]) -> None:
    rng = np.random.default_rng(seed)
    while time.monotonic() < end:
        try:
            work(live, rng)  # type: ignore[operator]
            counts[0] += 1
        except AWAY:
            time.sleep(0.05)
        time.sleep(0.2)


def _sizes(server: Served) -> dict[str, float]:
    out = {}
    for name in ("web", "worker"):
        process = child(server, name)
        family = [process, *process.children(recursive=True)]
        out[name] = sum(p.memory_info().rss for p in family if psutil.pid_exists(p.pid)) / 1e6
    return out


def run(data: Path, many: int, seed: int) -> list[str]:
    """many: minutes."""
    with served(data) as server:
        live = Live(server)
        live.upload("loop.wav", wav(drum_loop(bpm=94, bars=4, seed=seed).samples))
        until(lambda: live.state["pocket"]["sources"])
        live.edit({"type": "slices_to_pads", "source": "s1"})
        live.edit({"type": "add_pattern", "name": "Steps"})
        end = time.monotonic() + many * 60
        counts = [0]
        work = [(_read, k) for k in range(READERS)] + [(_edit, 100 + k) for k in range(EDITORS)]
        threads = [threading.Thread(target=_until, args=(end, live, what, seed * 1000 + k, counts)) for what, k in work]
        for thread in threads:
            thread.start()
        told: list[dict[str, float]] = []
        while time.monotonic() < end:
            time.sleep(min(60, max(0, end - time.monotonic())))
            told.append(_sizes(server))
            print(len(told), "min", counts[0], "requests", {name: round(mb) for name, mb in told[-1].items()}, "MB", flush=True)
        for thread in threads:
            thread.join()
    warm = told[min(WARM_MINUTES, len(told)) - 1]
    return [
        f"{name} grew from {warm[name]:.0f} to {told[-1][name]:.0f} MB" for name in warm if told[-1][name] > GROWTH * warm[name]
    ]
