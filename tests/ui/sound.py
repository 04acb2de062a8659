"""What is heard and what is saved, as numbers."""

from __future__ import annotations

import base64
import io

import numpy as np
import soundfile as sf

from tests.signals import RATE
from tests.ui.conftest import Ui

BYTES = """Object.values(%s).map((side) => {
  const bytes = new Uint8Array(side.buffer, side.byteOffset, side.byteLength);
  let text = ""; for (let i = 0; i < bytes.length; i += 32768) text += String.fromCharCode(...bytes.subarray(i, i + 32768));
  return btoa(text); })"""


def floats(ui: Ui, expression: str) -> np.ndarray:
    """(n, 2) of a pair of Float32Arrays in the page."""
    left, right = ui.look(BYTES % expression)
    return np.stack([np.frombuffer(base64.b64decode(side), "<f4") for side in (left, right)], axis=1)


def exported(ui: Ui) -> np.ndarray:
    ui.button("Export").click()
    # A song is many seconds of work, on a machine that others use.
    with ui.page.expect_download(timeout=90_000) as download:
        ui.button("Save WAV").click()
        clipped = ui.button("Save it clipped")
        clipped.or_(ui.page.get_by_text("is saved.", exact=False)).first.wait_for(timeout=90_000)
        if clipped.is_visible():
            clipped.click()
    data = download.value.path().read_bytes()
    ui.page.keyboard.press("Escape")
    assert sf.info(io.BytesIO(data)).subtype == "PCM_24"
    samples, rate = sf.read(io.BytesIO(data), dtype="int32", always_2d=True)
    assert rate == RATE
    return (samples >> 8) / 8388607
