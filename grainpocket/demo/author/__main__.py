"""Render the demo records into grainpocket/demo/audio."""

import json
from pathlib import Path

import numpy as np
import soundfile as sf

from grainpocket.demo.author.perform import RATE
from grainpocket.demo.author.records import ALL

TARGET = Path(__file__).parent.parent / "audio"

truths = {}
for make in ALL:
    record = make()
    path = TARGET / f"{record.name}.flac"
    sf.write(path, record.sound, RATE, subtype="PCM_16", format="FLAC", compression_level=1.0)
    truths[record.name] = record.truth
    peak = 20 * np.log10(np.abs(record.sound).max())
    print(f"{record.name:16s} {len(record.sound) / RATE:6.2f} s  peak {peak:5.1f} dB  {path.stat().st_size / 1e6:.2f} MB")
(TARGET / "truth.json").write_text(json.dumps(truths, indent=1) + "\n")
