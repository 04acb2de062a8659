"""Kills at random moments, with edits, imports, exports and takes going on: nothing that was acknowledged may be lost."""

from __future__ import annotations

import collections
import http.client
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from bench.served import Served, served
from tests.files import wav
from tests.signals import RATE, drum_loop
from tests.web.live import Live, until
from tests.web.test_crash import child

AWAY = (OSError, http.client.HTTPException, ValueError)
# A pocket of its own for so many kills: documents stay as large as those of musicians.
ROUND = 10
ENDED_S = 30
LOOP = drum_loop(bpm=90, bars=2, seed=1).samples


class Hand:
    """Someone who works on a pocket, and knows what was acknowledged."""

    def __init__(self, live: Live, number: int) -> None:
        self.live, self.number = live, number
        self.rng = np.random.default_rng(number)
        self.tempo = self.made = float(live.state["pocket"]["tempo"])
        # Sent since the last that was acknowledged: any of them may have been made, though its answer was lost.
        self.sent: set[float] = set()
        self.version = 0
        self.jobs: dict[str, str] = {}
        self.exports: list[str] = []
        self.takes: set[str] = set()
        self.dead = threading.Event()

    def level(self) -> np.float32:
        """Another each time: the same audio twice would be one find."""
        return np.float32(self.rng.uniform(0.2, 1))

    def edits(self) -> None:
        while not self.dead.is_set():
            self.tempo = round(60 + (self.tempo - 60 + 0.01) % 200, 2)
            self.sent.add(self.tempo)
            status, answer = self.live.edit({"type": "set_pocket", "tempo": self.tempo})
            if status == 200:
                self.made, self.version, self.sent = self.tempo, answer["version"], set()

    def imports(self) -> None:
        name = f"File {self.number} {len(self.jobs)}"
        sound = LOOP * self.level()
        self.jobs[self.live.upload(f"{name.replace(' ', '%20')}.wav", wav(sound))["id"]] = name

    def export(self) -> None:
        pattern = next(iter(self.live.state["pocket"]["patterns"]))
        status, job = self.live.ask("POST", f"/api/pockets/{self.live.id}/exports", {"what": pattern})
        if status == 202:
            self.exports.append(job["id"])

    def take(self) -> None:
        name = f"Take {self.number} {len(self.takes)}"
        path = f"/api/pockets/{self.live.id}/takes"
        status, take = self.live.ask("POST", path, {"name": name, "rate": RATE})
        if status != 201:
            return
        level = self.level()
        for first in (0, 22050, 44100):
            block = np.ascontiguousarray(LOOP[first : first + 22050] * level, "<f4")
            self.live.ask("POST", f"{path}/{take['id']}/blocks", raw=block.tobytes())
        status, job = self.live.ask("POST", f"{path}/{take['id']}/end")
        if status == 202:
            self.jobs[job["id"]] = name
            self.takes.add(name)

    def going_on(self, work: Callable[[], None]) -> threading.Thread:
        def loop() -> None:
            while not self.dead.is_set():
                try:
                    work()
                except AWAY:
                    self.dead.wait(0.05)

        thread = threading.Thread(target=loop)
        thread.start()
        return thread


def _kill(server: Served, what: str) -> None:
    if what == "all":
        server.kill()
    else:
        child(server, what).kill()


def _after(hand: Hand) -> list[str]:
    """What of the acknowledged is not there, and jobs that did not end."""
    live, wrong = hand.live, []
    try:
        until(lambda: not live.open_jobs(), seconds=ENDED_S)
    except AssertionError:
        wrong.append(f"jobs open after {ENDED_S} s: {[(job['kind'], job['state']) for job in live.open_jobs()]}")
    state: Any = until(lambda: live.state)
    if state["version"] < hand.version or state["pocket"]["tempo"] not in {hand.made, *hand.sent}:
        wrong.append(f"edit {hand.made} at {hand.version} is lost: {state['pocket']['tempo']} at {state['version']}")
    names = {source["name"] for source in state["pocket"]["sources"].values()}
    for job, name in hand.jobs.items():
        told = live.job(job)
        if told["state"] != "done" or name not in names:
            wrong.append(f"{name}: {told['state']}, {told['message']}")
    for job in hand.exports:
        if live.job(job)["state"] not in ("done", "failed"):
            wrong.append(f"an export is {live.job(job)['state']}")
    return wrong


def run(data: Path, many: int, seed: int) -> list[str]:
    rng = np.random.default_rng(seed)
    wrong: list[str] = []
    done: collections.Counter[str] = collections.Counter()
    with served(data) as server:
        for number in range(many):
            if number % ROUND == 0:
                live = Live(server)
                live.edit({"type": "add_pattern", "name": "Steps"})
            hand = Hand(live, number)
            threads = [hand.going_on(work) for work in (hand.edits, hand.imports, hand.export, hand.take)]
            hand.dead.wait(float(rng.uniform(0.2, 2.0)))
            what = str(rng.choice(["all", "web", "worker"]))
            _kill(server, what)
            hand.dead.set()
            for thread in threads:
                thread.join()
            if what == "all":
                server.again()
            server.wait()
            found = [f"kill {number} of {what}: {line}" for line in _after(hand)]
            wrong += found
            for line in found:
                print(line, flush=True)
            done.update({what: 1, "files": len(hand.jobs), "exports": len(hand.exports), "takes": len(hand.takes)})
            if number % 10 == 9:
                print(number + 1, "kills,", dict(done), len(wrong), "wrong", flush=True)
    return wrong
