"""What is fitted beside other work: found again by its process, held still for benchmarks, ended cleanly."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import psutil
import pytest

from training.split import background

# Stands in for the process of this name: its command line is what it is known by. Told to end, it writes that it did.
STAND_IN = """
import signal, sys, time
from pathlib import Path
def ended(*_):
    Path(sys.argv[3]).write_text("ended")
    sys.exit()
signal.signal(signal.SIGTERM, ended)
Path(sys.argv[3]).write_text("began")
while True:
    time.sleep(0.05)
"""


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("GRAINPOCKET_TRAIN", str(tmp_path))
    return tmp_path


@pytest.fixture
def fit(home: Path) -> Iterator[subprocess.Popen[bytes]]:
    command = [sys.executable, "-c", STAND_IN, "training.split.background", "fit", str(home / "told")]
    process = subprocess.Popen(command, start_new_session=True)
    (home / "fit.pid").write_text(str(process.pid))
    while not (home / "told").exists() or not (home / "told").read_text():
        time.sleep(0.01)
    yield process
    process.kill()
    process.wait()


def test_a_number_that_is_another_programs_by_now_is_not_ours(home: Path, fit: subprocess.Popen[bytes]) -> None:
    assert background.running("fit") == fit.pid
    (home / "generate.pid").write_text(str(os.getpid()))
    assert background.running("generate") is None
    (home / "generate.pid").write_text("")
    assert background.running("generate") is None


def test_it_stands_still_for_a_benchmark_and_goes_on_after_it(fit: subprocess.Popen[bytes]) -> None:
    seen = psutil.Process(fit.pid)
    with background.paused():
        while seen.status() != psutil.STATUS_STOPPED:
            time.sleep(0.01)
    while seen.status() == psutil.STATUS_STOPPED:
        time.sleep(0.01)


def test_it_is_told_to_end_and_waited_for(home: Path, fit: subprocess.Popen[bytes], monkeypatch: pytest.MonkeyPatch) -> None:
    # Nobody waits for this one's end but the test, as nobody does for one that was left to itself.
    monkeypatch.setattr(background.time, "sleep", lambda s: fit.poll())
    background.off()
    assert (home / "told").read_text() == "ended"
    assert background.running("fit") is None
    assert not (home / "fit.pid").exists()


def test_the_code_that_runs_is_a_copy_without_what_it_does_not_need(home: Path) -> None:
    background.copied(home / "code")
    assert (home / "code/training/split/fit.py").read_text() == (background.ROOT / "training/split/fit.py").read_text()
    assert (home / "code/grainpocket/core/split/models/learned.onnx").is_file()
    assert not (home / "code/grainpocket/web/static").exists()
