"""What happens to sound between the drum and the record: rooms, levelling, drive, worn tops, hiss, lossy files."""

from __future__ import annotations

import io

import numpy as np
import pedalboard as pb
import soundfile as sf

from bench.truth.synth import RATE, Wave


def dirty(sound: Wave, rng: np.random.Generator) -> Wave:
    """A room, a compressor, drive and a low-pass, then hiss; each drawn from a wide range."""
    u = rng.uniform
    board = pb.Pedalboard(
        [
            pb.Reverb(room_size=u(0.1, 0.6), wet_level=u(0.05, 0.3), dry_level=u(0.4, 0.9)),
            pb.Compressor(u(-32, -14), u(2, 8), u(1, 15), u(50, 250)),
            pb.Distortion(u(0, 14)),
            pb.LowpassFilter(float(np.exp(u(np.log(4500), np.log(16000))))),
        ]
    )
    out = np.asarray(board(np.ascontiguousarray(sound.T), RATE).T, np.float32)
    hiss = 10 ** (u(-66, -46) / 20)
    return np.asarray(out + hiss * rng.standard_normal((len(out), 1)), np.float32)


def mastered(sound: Wave, rng: np.random.Generator) -> Wave:
    """A gentle bus compressor and limiter, as on any finished record."""
    u = rng.uniform
    board = pb.Pedalboard([pb.Compressor(u(-24, -12), u(1.5, 3), u(5, 30), u(80, 300)), pb.Limiter(u(-6, -1), u(50, 200))])
    scaled = sound / max(1e-6, float(np.abs(sound).max()))
    return np.asarray(board(np.ascontiguousarray(scaled.T), RATE).T, np.float32)


def lossy(sound: Wave, rng: np.random.Generator) -> Wave:
    """Through a lossy codec and back, its delay kept out (Ogg Vorbis has none)."""
    memory = io.BytesIO()
    with sf.SoundFile(memory, "w", RATE, 2, format="OGG", subtype="VORBIS") as file:
        # In small pieces: the encoder takes its working memory from the stack.
        for first in range(0, len(sound), 4096):
            file.write(sound[first : first + 4096])
    memory.seek(0)
    out, _ = sf.read(memory, dtype="float32", always_2d=True)
    return np.asarray(np.pad(out, ((0, max(0, len(sound) - len(out))), (0, 0)))[: len(sound)], np.float32)


def level(sound: Wave, peak: float = 0.9) -> Wave:
    return np.asarray(sound * np.float32(peak / max(1e-6, float(np.abs(sound).max()))), np.float32)
