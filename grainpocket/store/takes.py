"""Takes that are being recorded: raw frames on disk as they come, and a note of where they belong.

<root>/<take>.f32   interleaved stereo float32
<root>/<take>.json  pocket, name, rate
"""

from __future__ import annotations

import json
import os
import time
from pathlib import Path
from typing import Any

import numpy as np
import soundfile as sf

from grainpocket.core.sound.audio import Samples

FRAME = 8
_BLOCK = 1 << 16


class TakeStore:
    def __init__(self, root: Path) -> None:
        self.root = root

    def begin(self, take: str, pocket: str, name: str, rate: int) -> None:
        self.root.mkdir(parents=True, exist_ok=True)
        try:
            (self.root / f"{take}.json").write_text(json.dumps({"pocket": pocket, "name": name, "rate": rate}))
            (self.root / f"{take}.f32").touch()
        except OSError:
            self.let_go(take)
            raise

    def about(self, take: str) -> dict[str, Any]:
        """Raises KeyError when there is no such take."""
        try:
            return dict(json.loads((self.root / f"{take}.json").read_text()))
        except (FileNotFoundError, ValueError) as error:
            raise KeyError(take) from error

    def add(self, take: str, block: Samples, most: int) -> int:
        """Append (n, 2) float32, up to `most` frames in all; what is not a number becomes silence. Returns the frames kept."""
        file = self.root / f"{take}.f32"
        if not file.exists():
            raise KeyError(take)
        have = file.stat().st_size // FRAME
        clean = np.nan_to_num(block[: max(0, most - have)], nan=0.0, posinf=0.0, neginf=0.0)
        rest = memoryview(np.ascontiguousarray(clean, "<f4").tobytes())
        with file.open("r+b", buffering=0) as out:
            out.seek(have * FRAME)
            try:
                while rest:
                    rest = rest[out.write(rest) or 0 :]
                os.fsync(out.fileno())
            except OSError:
                # Half a block would put all that follows out of step.
                out.truncate(have * FRAME)
                raise
        return have + len(clean)

    def write(self, take: str, target: Path) -> None:
        """Write what there is as a WAV at `target`; the take stays until it is let go. Raises KeyError."""
        about = self.about(take)
        raw = self.root / f"{take}.f32"
        target.parent.mkdir(parents=True, exist_ok=True)
        part = target.with_suffix(".part")
        try:
            with sf.SoundFile(str(part), "w", about["rate"], 2, subtype="FLOAT", format="WAV") as out, raw.open("rb") as data:
                while piece := data.read(_BLOCK * FRAME):
                    out.write(np.frombuffer(piece[: len(piece) // FRAME * FRAME], "<f4").reshape(-1, 2))
            part.rename(target)
        finally:
            part.unlink(missing_ok=True)

    def let_go(self, take: str) -> None:
        """Forget a take that is safe elsewhere."""
        (self.root / f"{take}.f32").unlink(missing_ok=True)
        (self.root / f"{take}.json").unlink(missing_ok=True)

    def waiting(self, pocket: str, older_than_s: float) -> list[tuple[str, str, float]]:
        """(take, name, seconds) of what was recorded for a pocket and never brought in, oldest first."""
        out: list[tuple[str, str, float]] = []
        for file in sorted(self._resting(older_than_s), key=lambda f: f.stat().st_mtime):
            try:
                about = self.about(file.stem)
            except KeyError:
                continue
            if about["pocket"] == pocket and file.stat().st_size >= FRAME:
                out.append((file.stem, about["name"], file.stat().st_size // FRAME / about["rate"]))
        return out

    def left(self, older_than_s: float) -> list[str]:
        """Takes that nothing was added to for so long, and that hold something; empty ones are removed."""
        out: list[str] = []
        for file in self._resting(older_than_s):
            if file.stat().st_size >= FRAME:
                out.append(file.stem)
            else:
                self.let_go(file.stem)
        return out

    def _resting(self, older_than_s: float) -> list[Path]:
        return [file for file in self.root.glob("*.f32") if time.time() - file.stat().st_mtime >= older_than_s]
