"""The launcher: web process and worker process under one roof, each started again when it dies."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path
from types import FrameType

from grainpocket.settings import Settings

PARENT = "GRAINPOCKET_PARENT"
_RESTART_S = 0.5
# The C library moves these up by itself to the largest block that was ever freed, and then keeps what nobody holds any more. In
# bytes; other libraries than glibc take no notice. Not for the worker: its long jobs would be a fourteenth slower.
_MEMORY = {"MALLOC_MMAP_THRESHOLD_": str(4 << 20), "MALLOC_TRIM_THRESHOLD_": str(32 << 20)}


def watch_parent() -> None:
    """In a child: end with the launcher, even when that was killed and could not say so."""
    parent = int(os.environ.get(PARENT, "0"))
    if not parent:
        return

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(0.5)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def run_reloading(settings: Settings, sources: Path) -> None:
    """Run, and start again whenever a Python file below `sources` changes. For development."""

    def newest() -> float:
        return max(path.stat().st_mtime for path in sources.rglob("*.py"))

    while True:
        seen = newest()
        child = subprocess.Popen(
            [sys.executable, "-m", "grainpocket", "serve", "--data", str(settings.data), "--port", str(settings.port)]
        )
        try:
            while newest() <= seen and child.poll() is None:
                time.sleep(0.5)
        except KeyboardInterrupt:
            child.terminate()
            child.wait()
            return
        child.terminate()
        child.wait()
        print("Python changed; starting again.", flush=True)


def run(settings: Settings) -> int:
    """Run until told to stop (SIGINT, SIGTERM)."""
    env = {**os.environ, PARENT: str(os.getpid()), "GRAINPOCKET_DATA": str(settings.data), "GRAINPOCKET_PORT": str(settings.port)}
    children: dict[str, subprocess.Popen[bytes]] = {}
    stopping = threading.Event()

    def stop(number: int, frame: FrameType | None) -> None:
        stopping.set()

    signal.signal(signal.SIGINT, stop)
    signal.signal(signal.SIGTERM, stop)
    while not stopping.is_set():
        for name in ("web", "worker"):
            child = children.get(name)
            if child is None or child.poll() is not None:
                if child is not None:
                    print(f"The {name} process ended ({child.returncode}); starting it again.", flush=True)
                    time.sleep(_RESTART_S)
                # A group of its own: Ctrl-C reaches the launcher, which ends its children in order.
                mine = {**_MEMORY, **env} if name == "web" else env
                children[name] = subprocess.Popen([sys.executable, "-m", "grainpocket", name], env=mine, start_new_session=True)
        stopping.wait(0.2)
    for child in children.values():
        child.terminate()
    for child in children.values():
        try:
            child.wait(5)
        except subprocess.TimeoutExpired:
            child.kill()
    return 0
