"""The folder of one's own separation models: which files in it keep the contract, and why others do not.

A file is tried in a process of its own, once: what came of it is kept beside it until the file changes.
"""

from __future__ import annotations

import json
import logging
import re
import subprocess
import sys
import uuid
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from grainpocket.core.split.base import Engine
from grainpocket.core.split.contract import Description, Misfit
from grainpocket.core.split.networks import Network

log = logging.getLogger(__name__)
PATIENCE_S = 120
_SPACED = re.compile(r"[^a-z0-9]+")


@dataclass(frozen=True)
class Found:
    """described: what the model says of itself; problem: why it cannot be used, when it cannot."""

    name: str
    path: Path
    described: Description | None
    problem: str


def tried(path: Path) -> Description:
    """What a file says of itself, read and run by another process. Raises Misfit."""
    command = [sys.executable, "-m", "grainpocket", "check-model", str(path)]
    try:
        done = subprocess.run(command, capture_output=True, text=True, timeout=PATIENCE_S, check=False)
    except subprocess.TimeoutExpired:
        raise Misfit(f"It was tried for {PATIENCE_S} s and did not come to an end.") from None
    try:
        said = json.loads(done.stdout.strip().splitlines()[-1])
    except (ValueError, IndexError):
        log.warning("model %s ended its trial with %s: %s", path.name, done.returncode, done.stderr[-400:])
        raise Misfit("It made the process that tried it end.") from None
    if "problem" in said:
        raise Misfit(said["problem"])
    return Description.model_validate(said)


class Models:
    def __init__(self, folder: Path, trial: Callable[[Path], Description] = tried) -> None:
        self.folder, self._trial = folder, trial

    def listing(self) -> list[Found]:
        """Every model in the folder, by name; one that is new or has changed is tried first."""
        return [self._found(path) for path in sorted(self.folder.glob("*.onnx"))] if self.folder.is_dir() else []

    def engines(self) -> Mapping[str, Engine]:
        """Those that can be used."""
        return {one.name: Network(one.name, one.path, one.described) for one in self.listing() if one.described is not None}

    def _found(self, path: Path) -> Found:
        stamp = [path.stat().st_size, path.stat().st_mtime_ns]
        card = path.with_suffix(".json")
        try:
            kept = json.loads(card.read_text())
            if kept["stamp"] != stamp:
                raise ValueError("another file since")
        except (OSError, ValueError, KeyError, TypeError):
            kept = {"stamp": stamp, "problem": "", "described": None}
            try:
                kept["described"] = self._trial(path).model_dump(mode="json")
            except Misfit as error:
                kept["problem"] = str(error)
            _write(card, json.dumps(kept))
        described = Description.model_validate(kept["described"]) if kept["described"] else None
        return Found(f"own {path.stem}"[:40], path, described, kept["problem"])

    def add(self, name: str, write: Callable[[Path], None]) -> Found:
        """Take a model in: write(path) puts it down. Raises Misfit when it does not keep the contract; then nothing of it stays."""
        self.folder.mkdir(parents=True, exist_ok=True)
        stem = _SPACED.sub("-", name.rpartition(".")[0].lower() or name.lower()).strip("-")[:32] or "model"
        part = self.folder / f"{uuid.uuid4().hex}.part"
        try:
            write(part)
            self._trial(part)
            target = self.folder / f"{stem}.onnx"
            part.rename(target)
        finally:
            part.unlink(missing_ok=True)
        return self._found(target)

    def remove(self, name: str) -> bool:
        """Whether there was one of that name."""
        for one in self.listing():
            if one.name == name:
                one.path.unlink(missing_ok=True)
                one.path.with_suffix(".json").unlink(missing_ok=True)
                return True
        return False


def _write(path: Path, text: str) -> None:
    part = path.with_suffix(f".{uuid.uuid4().hex}.part")
    try:
        part.write_text(text)
        part.rename(path)
    except OSError as error:
        # It is tried again the next time.
        part.unlink(missing_ok=True)
        log.warning("%s was not kept: %s", path.name, error)
