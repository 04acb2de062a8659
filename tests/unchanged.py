"""Tests of training and of the benchmarks run when what they test has changed since they last passed: `python -m tests.unchanged`
runs them and writes down what they passed with. RUN_ALL=1 runs them anyway."""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
RECORD = Path(__file__).parent / "unchanged.txt"
OF = {
    "training": ("training", "tests/training", "bench/truth", "grainpocket/core/listen", "grainpocket/core/sound"),
    "bench": ("bench", "tests/bench", "grainpocket/core/listen/tempo", "grainpocket/core/sound"),
}


def digest(name: str) -> str:
    """Of every Python file and every weight that these tests rest on."""
    out = hashlib.sha256()
    for folder in OF[name]:
        for file in sorted((ROOT / folder).rglob("*")):
            if file.suffix in (".py", ".npz") and "__pycache__" not in file.parts:
                out.update(str(file.relative_to(ROOT)).encode())
                out.update(file.read_bytes())
    return out.hexdigest()


def passed(name: str) -> bool:
    """Whether these tests have passed with all as it is."""
    known = dict(line.split() for line in RECORD.read_text().splitlines()) if RECORD.exists() else {}
    return not os.environ.get("RUN_ALL") and known.get(name) == digest(name)


def skip_unchanged(name: str, items: list[pytest.Item]) -> None:
    if not passed(name):
        return
    mark = pytest.mark.skip(reason="nothing that it tests has changed since it passed")
    for item in items:
        if f"tests/{name}/" in item.path.as_posix():
            item.add_marker(mark)


def main() -> None:
    subprocess.run(
        [sys.executable, "-m", "pytest", *(f"tests/{name}" for name in OF)], check=True, env={**os.environ, "RUN_ALL": "1"}
    )
    RECORD.write_text("".join(f"{name} {digest(name)}\n" for name in OF))


if __name__ == "__main__":
    main()
