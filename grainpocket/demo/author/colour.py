"""Rooms and tape."""

from __future__ import annotations

import numpy as np
import pedalboard as pb
from scipy import signal

from grainpocket.demo.author.perform import RATE, Wave


def room(sound: Wave, size: float, wet: float) -> Wave:
    board = pb.Pedalboard([pb.Reverb(room_size=size, damping=0.6, wet_level=wet, dry_level=1.0 - wet / 2, width=0.8)])
    return np.asarray(board(sound.T.astype(np.float32), RATE).T, np.float64)


def squeeze(sound: Wave, threshold: float, ratio: float, attack: float = 8, release: float = 110) -> Wave:
    board = pb.Pedalboard([pb.Compressor(threshold, ratio, attack, release)])
    return np.asarray(board(sound.T.astype(np.float32), RATE).T, np.float64)


def tape(sound: Wave, drive: float, top: float, hiss: float, seed: int) -> Wave:
    """Soft saturation, a low bump, a rolled-off top and a little hiss."""
    rng = np.random.default_rng(seed)
    peak = np.abs(sound).max() or 1.0
    pushed: Wave = np.tanh(sound / peak * drive) / np.tanh(drive) * peak
    bump = signal.iirpeak(70, 1.0, fs=RATE)
    pushed = pushed + 0.15 * signal.lfilter(*bump, pushed, axis=0)
    pushed = signal.sosfilt(signal.butter(2, top, "lowpass", fs=RATE, output="sos"), pushed, axis=0)
    return np.asarray(pushed + rng.standard_normal(sound.shape) * hiss * peak)


def level(sound: Wave, peak_db: float) -> Wave:
    return np.asarray(sound / np.abs(sound).max() * 10 ** (peak_db / 20))
