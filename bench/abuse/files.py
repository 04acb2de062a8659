"""Audio files with bytes turned, cut out, doubled and broken off: each comes in or is refused in words, and in good time."""

from __future__ import annotations

import collections
import functools
import time
from pathlib import Path

import numpy as np

from bench.served import served
from tests.files import GOOD
from tests.web.live import Live, until
from tests.web.test_crash import child

LONGEST_S = 60
AT_ONCE = 8
# What is said where we did not expect it.
OURS = ("inside", "went wrong")


def mutated(data: bytes, rng: np.random.Generator) -> bytes:
    out = bytearray(data)
    for _ in range(int(rng.integers(1, 5))):
        kind = rng.integers(5)
        # Half of the harm falls on the head, where the claims stand.
        span = min(len(out), 128) if rng.random() < 0.5 else len(out)
        at = int(rng.integers(max(1, span)))
        size = int(2 ** rng.uniform(0, 10))
        if kind == 0 and out:
            out[at % len(out)] ^= 1 << int(rng.integers(8))
        elif kind == 1:
            out[at : at + 4] = rng.choice([b"\x00\x00\x00\x00", b"\xff\xff\xff\xff", b"\x00\x00\x00\x80", b"\xff\xff\xff\x7f"])
        elif kind == 2:
            del out[at : at + size]
        elif kind == 3:
            out[at:at] = rng.integers(0, 256, size, dtype=np.uint8).tobytes()
        else:
            del out[max(1, at) :]
    return bytes(out)


def _at_rest(live: Live) -> bool:
    return not live.open_jobs()


def run(data: Path, many: int, seed: int) -> list[str]:
    rng = np.random.default_rng(seed)
    seeds = sorted(GOOD)
    wrong: list[str] = []
    ends: collections.Counter[str] = collections.Counter()
    with served(data) as server:
        workers = {child(server, "worker").pid}
        for first in range(0, many, AT_ONCE):
            live = Live(server)
            jobs = {}
            for k in range(first, min(many, first + AT_ONCE)):
                name = seeds[k % len(seeds)]
                ending = name.rpartition(".")[2] if "." in name else "wav"
                status, job = live.ask("POST", f"/api/pockets/{live.id}/imports?name=m{k}.{ending}", raw=mutated(GOOD[name], rng))
                if status == 202:
                    jobs[job["id"]] = f"{k} of {name}"
                elif status >= 500:
                    wrong.append(f"{k} of {name}: {status}, {job}")
                else:
                    ends[f"refused {status}"] += 1
            began = time.monotonic()
            try:
                until(functools.partial(_at_rest, live), seconds=LONGEST_S)
            except AssertionError:
                wrong.append(f"{list(jobs.values())}: not ended after {time.monotonic() - began:.0f} s")
            for job, what in jobs.items():
                told = live.job(job)
                ends[told["state"]] += 1
                if any(word in (told["message"] or "") for word in OURS):
                    wrong.append(f"{what}: {told['message']}")
            live.ask("DELETE", f"/api/pockets/{live.id}")
            workers.add(child(server, "worker").pid)
            if first % 200 < AT_ONCE:
                print(first, dict(ends), len(wrong), "wrong", flush=True)
    if len(workers) > 1:
        wrong.append(f"the worker died {len(workers) - 1} times")
    print(dict(ends))
    return wrong
