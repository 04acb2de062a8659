"""What holds for all files. That the folders keep their order (the contracts in pyproject.toml) is checked by `make lint`."""

from __future__ import annotations

import gzip
import json
import re
import subprocess
from pathlib import Path

from grainpocket.core.listen.harmony.chords import ROOTS
from grainpocket.core.listen.tempo.bar_profile import METRES
from grainpocket.core.listen.tempo.metre import ODD
from grainpocket.core.pocket import QUARTERS

ROOT = Path(__file__).parent.parent


def test_nothing_of_a_file_is_too_long() -> None:
    """A file over 400 lines is a room to divide; generated ones apart."""
    kept = [p for folder in ("grainpocket", "frontend/src", "bench", "tests") for p in (ROOT / folder).rglob("*")]
    files = [p for p in kept if p.suffix in (".py", ".ts", ".tsx", ".css") and p.name != "schema.d.ts" and "static" not in p.parts]
    assert files
    assert [p.name for p in files if len(p.read_text().splitlines()) > 400] == []


def test_no_file_is_too_large_for_git() -> None:
    """What is over 4 MiB may be kept beside it, with a pointer in its place, and lost."""
    listed = subprocess.run(["git", "ls-files", "-z"], cwd=ROOT, capture_output=True, text=True, check=True).stdout.split("\0")
    kept = [ROOT / name for name in listed if name and (ROOT / name).is_file()]
    assert len(kept) > 500
    assert [path.name for path in kept if path.stat().st_size > 4 << 20] == []
    assert [path.name for path in kept if path.read_bytes().startswith(b"version https://git-lfs")] == []


def test_no_component_is_too_long() -> None:
    """One over 150 lines does two things: its hand or its painting goes beside it."""
    long, seen = [], 0
    for path in (ROOT / "frontend/src").rglob("*.tsx"):
        # Prettier sets what ends a function of the file at its left edge.
        for made in re.finditer(r"^(?:export )?function ([A-Z]\w*)[\s\S]*?^\}$", path.read_text(), re.MULTILINE):
            seen += 1
            if made.group(0).count("\n") + 1 > 150:
                long.append((path.name, made.group(1)))
    assert seen > 100
    assert long == []


def test_the_front_end_is_small() -> None:
    """What a browser loads before it can show anything, fonts apart: at most 300 kB, gzipped."""
    assets = list((ROOT / "grainpocket/web/static/assets").iterdir())
    loaded = [p for p in assets if p.suffix in (".js", ".css")]
    assert loaded, "not built"
    assert sum(len(gzip.compress(p.read_bytes())) for p in loaded) < 300_000


def listed(file: str, start: str) -> tuple[str, ...]:
    """The strings of a list that a line of the front end beginning with `start` gives."""
    line = next(x for x in (ROOT / "frontend/src" / file).read_text().splitlines() if x.startswith(start))
    return tuple(json.loads(line.partition("=")[2].partition("]")[0] + "]"))


def test_notes_are_spelled_alike_on_both_sides() -> None:
    assert listed("design/format.ts", "export const NOTES") == ROOTS


def test_metres_are_the_same_wherever_they_are_listed() -> None:
    assert listed("stations/listen/Tempo.tsx", "const METRES") == tuple(QUARTERS)
    heard = dict((*METRES, *ODD))
    assert heard == {name: QUARTERS[name] for name in heard}
