"""Killed in the middle of things: what was acknowledged is there afterwards, and no job hangs."""

from __future__ import annotations

import http.client
import threading

import psutil

from bench.served import Served
from grainpocket.store.audio import HEARING, is_hash
from tests.files import tone, wav
from tests.signals import drum_loop
from tests.web.live import Live, until

LONG, OTHER = (wav(drum_loop(bpm=90, bars=16, seed=seed).samples, subtype="PCM_16") for seed in (1, 2))


def child(server: Served, name: str) -> psutil.Process:
    """The launcher's child of a name; there from shortly after its start."""

    def found() -> psutil.Process | None:
        children = psutil.Process(server.process.pid).children()
        return next((c for c in children if c.status() != psutil.STATUS_ZOMBIE and c.cmdline()[-1:] == [name]), None)

    process = until(found)
    assert isinstance(process, psutil.Process)
    return process


def nothing_half_done(server: Served) -> None:
    assert list((server.data / "uploads").glob("*")) == []
    for folder in (server.data / "audio").iterdir():
        if is_hash(folder.name):
            names = {p.name for p in folder.iterdir()}
            assert names == {"audio.wav", HEARING, "peaks-0.bin", "peaks-1.bin", "peaks-2.bin", "peaks-3.bin"}
        else:
            assert list(folder.iterdir()) == []


def test_the_worker_is_killed_in_the_middle_of_an_import(server: Served) -> None:
    live = Live(server)
    jobs = [live.upload(f"take{i}.wav", data) for i, data in enumerate((LONG, OTHER))]
    until(lambda: live.job(jobs[0]["id"])["state"] == "running")
    child(server, "worker").kill()
    until(lambda: all(live.job(j["id"])["state"] == "done" for j in jobs))
    assert sorted(s["name"] for s in live.state["pocket"]["sources"].values()) == ["take0", "take1"]
    nothing_half_done(server)


def test_everything_is_killed_in_the_middle_of_edits_and_imports(server: Served) -> None:
    live = Live(server)
    live.upload("before.wav", wav(tone(1.0)))
    until(lambda: live.state["pocket"]["sources"])
    jobs = [live.upload(f"take{i}.wav", data) for i, data in enumerate((LONG, OTHER))]
    acknowledged: list[str] = []
    dead = threading.Event()

    def keep_editing() -> None:
        number = 0
        while not dead.is_set():
            name = f"Pattern {number}"
            try:
                # The import adds a revision in between now and then: that edit is refused as stale and not counted.
                status, _ = live.edit({"type": "add_pattern", "name": name})
            except (OSError, http.client.HTTPException, ValueError):
                continue
            if status == 200:
                acknowledged.append(name)
                number += 1

    editing = threading.Thread(target=keep_editing)
    editing.start()
    until(lambda: len(acknowledged) >= 8)
    child(server, "web").kill()
    until(lambda: len(acknowledged) >= 16)
    server.kill()
    dead.set()
    editing.join()
    server.again()
    until(lambda: all(live.job(j["id"])["state"] == "done" for j in jobs))
    pocket = live.state["pocket"]
    names = [p["name"] for p in pocket["patterns"].values()]
    # An edit may have been made whose answer was lost; none that was acknowledged may be missing.
    assert set(acknowledged) <= set(names)
    assert len(names) <= len(acknowledged) + 2
    assert {"before", "take0", "take1"} == {s["name"] for s in pocket["sources"].values()}
    assert live.open_jobs() == []
    nothing_half_done(server)
    assert live.edit({"type": "set_pocket", "tempo": 101.0})[0] == 200


def test_the_server_dies_with_its_launcher_and_an_upload_that_broke_off_leaves_nothing(server: Served) -> None:
    live = Live(server)
    connection = http.client.HTTPConnection("127.0.0.1", server.port)
    connection.putrequest("POST", f"/api/pockets/{live.id}/imports?name=half.wav")
    connection.putheader("Content-Length", str(len(LONG)))
    connection.endheaders()
    connection.send(LONG[: len(LONG) // 2])
    children = psutil.Process(server.process.pid).children()
    server.kill()
    _, alive = psutil.wait_procs(children, timeout=10)
    assert alive == []
    connection.close()
    server.again()
    assert live.state["pocket"]["sources"] == {}
    assert live.open_jobs() == []
