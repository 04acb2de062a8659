"""Imports, edits, takes and favourites on a disk that fills up, and what is left once there is room again.

Needs to be root, for a small disk of its own: `.venv/bin/python -m bench.full_disk`.
"""

from __future__ import annotations

import collections
import os
import subprocess
import tempfile
import time
from pathlib import Path

import numpy as np

from bench.served import served
from grainpocket.store.audio import is_hash
from tests.files import wav
from tests.signals import drum_loop
from tests.web.live import Live, until

DISK_MB = 24
IMPORTS = 40


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={DISK_MB}m", "none", folder], check=True)
        try:
            run(Path(folder))
        finally:
            subprocess.run(["umount", "-l", folder], check=True)


def run(disk: Path) -> None:
    filler = disk / "filler"
    with served(disk / "data") as server:
        live = Live(server)
        answers: collections.Counter[object] = collections.Counter()
        jobs = []
        sounds = [wav(drum_loop(bpm=80 + k, bars=2, seed=k).samples) for k in range(IMPORTS)]
        live.upload("first.wav", sounds[0])
        until(lambda: live.state["pocket"]["sources"])
        live.edit({"type": "slices_to_pads", "source": "s1"})
        for number, data in enumerate(sounds):
            if number == 2:
                with filler.open("wb") as out:
                    room = os.statvfs(disk).f_bavail * os.statvfs(disk).f_frsize
                    out.write(bytes(max(0, room - 3_000_000)))
            status, answer = live.ask("POST", f"/api/pockets/{live.id}/imports?name=loop{number}.wav", raw=data)
            answers["import", status] += 1
            jobs += [answer["id"]] if status == 202 else []
            answers["edit", live.edit({"type": "set_pocket", "tempo": 60.0 + number})[0]] += 1
            answers["shelf", live.ask("POST", f"/api/pockets/{live.id}/shelf", {"pads": [number % 8]})[0]] += 1
            status, take = live.ask("POST", f"/api/pockets/{live.id}/takes", {"name": "Take"})
            answers["take", status] += 1
            if status == 201:
                block = np.zeros((44100, 2), "<f4").tobytes()
                answers["block", live.ask("POST", f"/api/pockets/{live.id}/takes/{take['id']}/blocks", raw=block)[0]] += 1
                answers["end", live.ask("POST", f"/api/pockets/{live.id}/takes/{take['id']}/end")[0]] += 1
        time.sleep(3)
        full = ends(live, jobs)
        filler.unlink()
        began = time.monotonic()
        until(lambda: not live.open_jobs(), seconds=30)
        print("answers", dict(answers))
        print("jobs while it was full", full)
        print(
            "jobs once there was room", dict(collections.Counter((live.job(j)["state"], live.job(j)["message"][:50]) for j in jobs))
        )
        print(
            f"all ended after {time.monotonic() - began:.1f} s; an edit then: {live.edit({'type': 'set_pocket', 'tempo': 99.0})[0]}"
        )
        left = [p for p in (disk / "data" / "audio").iterdir() if not is_hash(p.name)]
        print("parts left", [list(p.iterdir()) for p in left], "uploads", list((disk / "data" / "uploads").iterdir()))
        print("empty takes", [p.name for p in (disk / "data" / "takes").glob("*.f32") if not p.stat().st_size])


def ends(live: Live, jobs: list[str]) -> dict[object, int]:
    found = [live.job(job) for job in jobs]
    return dict(collections.Counter((job["state"], job["message"][:50]) for job in found))


if __name__ == "__main__":
    main()
