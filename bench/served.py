"""The application, started on a data folder of its own and a free port."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psutil


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


class Served:
    """url: where it answers; process: the launcher."""

    def __init__(self, data: Path, port: int, **env: str) -> None:
        self.data, self.port, self.url = data, port, f"http://127.0.0.1:{port}/"
        self._env = {**os.environ, "GRAINPOCKET_DATA": str(data), "GRAINPOCKET_PORT": str(port), **env}
        self.process = self._start()

    def _start(self) -> subprocess.Popen[bytes]:
        out = (self.data / "server.log").open("ab")
        return subprocess.Popen([sys.executable, "-m", "grainpocket", "serve"], env=self._env, stdout=out, stderr=out)

    def wait(self, seconds: float = 120) -> None:
        """Until it answers: a start is nine seconds of work, which others may be at too."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            try:
                urllib.request.urlopen(f"{self.url}api/about", timeout=1).read()
            except OSError:
                time.sleep(0.05)
            else:
                return
        raise TimeoutError((self.data / "server.log").read_text()[-2000:])

    def kill(self) -> None:
        """As a crash: no chance to tidy up. Its children see that it is gone and go too; until then they would answer still."""
        children = psutil.Process(self.process.pid).children(recursive=True)
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()
        psutil.wait_procs(children, timeout=20)

    def again(self) -> None:
        self.process = self._start()
        self.wait()

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait(15)


@contextmanager
def served(data: Path, **env: str) -> Iterator[Served]:
    data.mkdir(parents=True, exist_ok=True)
    server = Served(data, free_port(), **env)
    try:
        server.wait()
        yield server
    finally:
        if server.process.poll() is None:
            server.stop()
