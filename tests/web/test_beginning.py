"""What a start does not wait for."""

from __future__ import annotations

import subprocess
import sys

SLOW = ("scipy.signal", "scipy.ndimage", "scipy.fft", "scipy.stats", "onnxruntime")


def test_the_web_process_starts_without_what_only_sounds_need() -> None:
    code = f"import grainpocket.web.app, sys; print([name for name in {SLOW!r} if name in sys.modules])"
    told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert told.stdout.strip() == "[]"
