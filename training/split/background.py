"""Generate songs and voices and fit the separation network on them, beside all other work.

    python -m training.split.background on        # starts or resumes both, at nice 19, one thread each; returns at once
    python -m training.split.background status
    python -m training.split.background off       # ends both cleanly; nothing that was made is lost

    python -m training.split.background while COMMAND...  # holds both still while it runs: for benchmarks

All of it lives in one folder outside the work tree, `$GRAINPOCKET_TRAIN` or `~/.cache/grainpocket-train`: the code that runs (a
copy, so that the tree can change under it), the bank, the run, a log for each process and its process id. A folder that is new
begins from the weights in the repository.
"""

from __future__ import annotations

import argparse
import json
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

ROOT = Path(__file__).parents[2]
CODE = ("training", "bench", "grainpocket", "pyproject.toml")
PROCESSES = ("generate", "fit")
SONGS, VOICES = 1500, 600
WATCHED_SONGS, WATCHED_VOICES = 10, 8
ROUND = 5  # songs made before two voices are
ENOUGH_SONGS, ENOUGH_VOICES = 30, 12  # with which fitting begins
SEED = 11
MOST_STEPS = 40_000
PACE = 6e-4  # half of a fresh fit's: it begins from weights that are fitted
END_S = 60  # a fit that is told to end writes its state first
NICE = 19


def folder() -> Path:
    return Path(os.environ.get("GRAINPOCKET_TRAIN") or Path.home() / ".cache" / "grainpocket-train")


def running(name: str) -> int | None:
    """Process id of a process of ours that runs, and None where there is none or the id is another program's by now."""
    file = folder() / f"{name}.pid"
    try:
        pid = int(file.read_text())
        command = Path(f"/proc/{pid}/cmdline").read_bytes()
    except (OSError, ValueError):
        return None
    return pid if b"training.split" in command and name.encode() in command else None


def on() -> None:
    """Start what does not run yet. Nothing is waited for."""
    home = folder()
    (home / "bank").mkdir(parents=True, exist_ok=True)
    if not any(running(name) for name in PROCESSES):
        copied(home / "code")
    for name in PROCESSES:
        if running(name):
            continue
        command = ["nice", "-n", str(NICE), sys.executable, "-m", "training.split.background", name]
        one = {name: "1" for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS", "NUMBA_NUM_THREADS")}
        with (home / f"{name}.log").open("ab") as log:
            made = subprocess.Popen(
                command, cwd=home / "code", stdout=log, stderr=log, stdin=subprocess.DEVNULL, start_new_session=True,
                env={**os.environ, **one, "PYTHONPATH": str(home / "code"), "GRAINPOCKET_TRAIN": str(home)},
            )  # fmt: skip
        (home / f"{name}.pid").write_text(str(made.pid))


def off() -> None:
    """End what runs and wait until its state is written."""
    for name in PROCESSES:
        pid = running(name)
        if pid is None:
            continue
        os.killpg(pid, signal.SIGCONT)
        os.killpg(pid, signal.SIGTERM)
        until = time.monotonic() + END_S
        while running(name) and time.monotonic() < until:
            time.sleep(0.2)
        if running(name):
            os.killpg(pid, signal.SIGKILL)
        (folder() / f"{name}.pid").unlink(missing_ok=True)


@contextmanager
def paused() -> Iterator[None]:
    """Both stand still meanwhile: for benchmarks, which want the cores to themselves."""
    stopped = [pid for pid in map(running, PROCESSES) if pid is not None]
    for pid in stopped:
        os.killpg(pid, signal.SIGSTOP)
    try:
        yield
    finally:
        for pid in stopped:
            os.killpg(pid, signal.SIGCONT)


def copied(code: Path) -> None:
    """The code as it stands, where a change of the tree does not reach it."""
    shutil.rmtree(code, ignore_errors=True)
    for name in CODE:
        if (ROOT / name).is_dir():
            ignored = shutil.ignore_patterns("__pycache__", "static", "*.flac")
            shutil.copytree(ROOT / name, code / name, ignore=ignored)
        else:
            shutil.copy(ROOT / name, code / name)


def made() -> tuple[int, int]:
    """How many songs and voices the bank holds."""
    bank = folder() / "bank"
    return sum(1 for _ in bank.glob("songs/*.npy")), sum(1 for _ in bank.glob("voices/*.npy"))


def status() -> dict[str, object]:
    log = folder() / "run" / "log.jsonl"
    lines = log.read_text().splitlines() if log.is_file() else []
    songs, voices = made()
    return {name: running(name) for name in PROCESSES} | {
        "songs": songs,
        "voices": voices,
        "last look": json.loads(lines[-1]) if lines else None,
    }


def generate() -> None:
    """Fill the bank: first what is only watched, then songs and voices in turn, so that a bank of any size holds both."""
    bank = folder() / "bank"

    def run(module: str, out: str, count: int, *more: str) -> None:
        seed = ["--seed", str(9 if more else SEED)]
        command = [sys.executable, "-m", f"training.split.{module}", str(bank / out), *seed, f"--{module}", str(count), *more]
        subprocess.run(command, check=True)

    run("songs", "watched", WATCHED_SONGS, "--watched")
    run("voices", "watched", WATCHED_VOICES, "--watched")
    songs = voices = 0
    while songs < SONGS or voices < VOICES:
        songs, voices = min(SONGS, songs + ROUND), min(VOICES, voices + 2)
        if voices > made()[1]:
            run("voices", "voices", voices)
        if songs > made()[0]:
            run("songs", "songs", songs)


def fit() -> None:
    """Fit for as long as nobody ends it, once there is enough to begin with."""
    bank = folder() / "bank"
    while made()[0] < ENOUGH_SONGS or made()[1] < ENOUGH_VOICES:
        time.sleep(5)
    from training.split import fit as fitting

    sys.argv = [
        "fit", str(folder() / "run"), "--bank", str(bank / "songs"), str(bank / "voices"), "--watched", str(bank / "watched"),
        "--minutes", "1e9", "--steps", str(MOST_STEPS), "--pace", str(PACE), "--workers", "0",
        "--begin", str(Path("grainpocket/core/split/models/learned.onnx").resolve()),
    ]  # fmt: skip
    fitting.main()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("what", choices=("on", "off", "status", "while", *PROCESSES))
    parser.add_argument("command", nargs=argparse.REMAINDER)
    asked = parser.parse_args()
    what = asked.what
    if what == "status":
        print(json.dumps(status(), indent=1))
    elif what == "while":
        with paused():
            sys.exit(subprocess.run(asked.command, check=False).returncode)
    else:
        {"on": on, "off": off, "generate": generate, "fit": fit}[what]()


if __name__ == "__main__":
    main()
