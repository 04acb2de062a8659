"""Audio by the hash of its samples, with its peaks and hearing: written once, never changed.

    <root>/<hash>/audio.wav     float32 WAV at the pocket's rate
    <root>/<hash>/peaks-<k>.bin zoom level k, see core.sound.peaks
    <root>/<hash>/hearing-<v>.json  the analysis, by its version

An asset's folder is made under another name and moved into place when it is whole, so that a folder with a hash for a
name is always complete.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import shutil
import threading
import uuid
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from types import TracebackType

import numpy as np
import soundfile as sf

from grainpocket.core.listen.hearing import VERSION, Hearing, hear
from grainpocket.core.listen.measures.loudness import LoudnessMeter
from grainpocket.core.listen.spectra.bands import Progress, no_progress
from grainpocket.core.sound.audio import Samples, one_channel
from grainpocket.core.sound.peaks import PeakBuilder, Peaks
from grainpocket.store.room import NoRoom, is_full

_PARTS = ".parts"
HEARING = f"hearing-{VERSION}.json"
LEAK = "leak.json"
_OPEN_FILES, _PIECE = 24, 1 << 18


def is_hash(text: str) -> bool:
    return len(text) == 64 and all(c in "0123456789abcdef" for c in text)


class AudioWriter:
    """Takes (n, channels) float32 blocks; `keep` puts the asset in the store and returns its hash.

    Used as a context: what was not kept when it ends leaves nothing behind.
    """

    def __init__(self, root: Path, rate: int, channels: int, owner: str) -> None:
        self._root = root
        self._folder = root / _PARTS / f"{owner}-{uuid.uuid4().hex}"
        self._rate, self.channels, self.frames = rate, channels, 0
        self._hash = hashlib.sha256(f"f32 {channels} {rate}\n".encode())
        try:
            self._folder.mkdir(parents=True)
            self._file = sf.SoundFile(str(self._folder / "audio.wav"), "w", rate, channels, subtype="FLOAT", format="WAV")
        except (sf.LibsndfileError, OSError) as error:
            shutil.rmtree(self._folder, ignore_errors=True)
            raise NoRoom from error

    def write(self, block: Samples) -> None:
        try:
            self._file.write(block)
        except (sf.LibsndfileError, OSError) as error:
            raise NoRoom from error
        self._hash.update(np.ascontiguousarray(block, dtype="<f4").tobytes())
        self.frames += len(block)

    def close(self) -> str:
        """No more samples; the hash of all that came. Raises NoRoom when not all of it is on the disk."""
        try:
            self._file.close()
            whole = sf.info(str(self._folder / "audio.wav")).frames == self.frames
        except (sf.LibsndfileError, OSError) as error:
            raise NoRoom from error
        if not whole:
            raise NoRoom
        return self._hash.hexdigest()

    def read_mono(self) -> Samples:
        """(n,) float32 of what was written, after close, as `one_channel` makes it."""

        def blocks() -> Iterator[Samples]:
            with sf.SoundFile(str(self._folder / "audio.wav")) as file:
                yield from file.blocks(1 << 18, dtype="float32", always_2d=True)

        return one_channel(blocks, self.frames)

    def known(self, digest: str) -> Hearing | None:
        """The analysis of the same audio, if it is in the store and of this program's version."""
        file = self._root / digest / HEARING
        return Hearing.from_json(json.loads(file.read_text())) if file.is_file() else None

    def keep(self, digest: str, peaks: Sequence[Peaks], hearing: Hearing, leak: str = "") -> None:
        """leak: how much of it is not its own, as JSON, when it is a stem."""
        try:
            if leak:
                (self._folder / LEAK).write_text(leak)
            for level, array in enumerate(peaks):
                (self._folder / f"peaks-{level}.bin").write_bytes(array.tobytes())
            (self._folder / HEARING).write_text(json.dumps(hearing.to_json()))
            for path in self._folder.iterdir():
                _sync(path)
            target = self._root / digest
            if not target.exists():
                os.rename(self._folder, target)
                _sync(self._root)
        except OSError as error:
            if is_full(error):
                raise NoRoom from error
            if not (self._root / digest).exists():
                raise

    def __enter__(self) -> AudioWriter:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        with contextlib.suppress(sf.LibsndfileError, OSError):
            self._file.close()
        shutil.rmtree(self._folder, ignore_errors=True)


class AudioStore:
    """Reads assets. Satisfies the core's Reader and Library protocols. owner: the process that writes through it; each
    clears away what it left half made itself, and nothing that another is writing."""

    def __init__(self, root: Path, owner: str = "app") -> None:
        root.mkdir(parents=True, exist_ok=True)
        self.root, self._owner = root, owner
        self._lock = threading.Lock()
        self._open: OrderedDict[str, tuple[sf.SoundFile, threading.Lock]] = OrderedDict()
        self._hearings: dict[str, Hearing] = {}
        self._listening = threading.RLock()

    def writer(self, rate: int, channels: int) -> AudioWriter:
        return AudioWriter(self.root, rate, channels, self._owner)

    def add(self, samples: Samples, rate: int) -> str:
        """Keep (n, channels) float32 with its peaks and hearing; its hash."""
        with self.writer(rate, samples.shape[1]) as writer:
            writer.write(samples)
            digest = writer.close()
            if not self.has(digest):
                peaks, meter = PeakBuilder(rate), LoudnessMeter(rate)
                peaks.feed(samples)
                meter.feed(samples)
                writer.keep(
                    digest, peaks.finish(), hear(one_channel(lambda: iter((samples,)), len(samples)), rate, loudness=meter.finish())
                )
        return digest

    def has(self, audio: str) -> bool:
        return is_hash(audio) and (self.root / audio).is_dir()

    def clear_parts(self) -> None:
        """Remove what this process left half made when it was killed. Only at its start."""
        for part in (self.root / _PARTS).glob(f"{self._owner}-*"):
            shutil.rmtree(part, ignore_errors=True)

    def frames(self, audio: str) -> int:
        file, _ = self._file(audio)
        return int(file.frames)

    def read(self, audio: str, start: int, end: int) -> Samples:
        """(end - start, channels) float32; outside the audio is silence."""
        file, lock = self._file(audio)
        out = np.zeros((max(0, end - start), file.channels), np.float32)
        a, b = max(0, start), min(file.frames, end)
        if b > a:
            with lock:
                file.seek(a)
                out[a - start : b - start] = file.read(b - a, dtype="float32", always_2d=True)
        return out

    def read_mono(self, audio: str, see: Callable[[Samples], None] | None = None) -> Samples:
        """(n,) float32 as `one_channel` makes it, read piece by piece; see: shown each piece with all channels."""
        frames = self.frames(audio)
        seen: list[int] = []

        def blocks() -> Iterator[Samples]:
            for first in range(0, frames, _PIECE):
                block = self.read(audio, first, min(frames, first + _PIECE))
                if see is not None and first >= len(seen) * _PIECE:
                    seen.append(first)
                    see(block)
                yield block

        return one_channel(blocks, frames)

    def peaks_path(self, audio: str, level: int) -> Path:
        if not self.has(audio):
            raise KeyError(audio)
        return self.root / audio / f"peaks-{level}.bin"

    def leak(self, audio: str) -> str:
        """How much of a stem is not its own, as JSON; empty for what is no stem. Raises KeyError for what is not there."""
        if not self.has(audio):
            raise KeyError(audio)
        file = self.root / audio / LEAK
        return file.read_text() if file.is_file() else ""

    def hearing(self, audio: str) -> Hearing:
        """The analysis of an audio; made now if the one that is stored is of an older program."""
        with self._listening:
            if audio not in self._hearings:
                if not self.has(audio):
                    raise KeyError(audio)
                file = self.root / audio / HEARING
                if not file.is_file():
                    return self.relisten(audio)
                self._hearings[audio] = Hearing.from_json(json.loads(file.read_text()))
            return self._hearings[audio]

    def is_stale(self, audio: str) -> bool:
        return self.has(audio) and not (self.root / audio / HEARING).is_file()

    def relisten(self, audio: str, progress: Progress = no_progress) -> Hearing:
        """Analyse a stored audio and keep what was found beside it."""
        rate = self._file(audio)[0].samplerate
        meter = LoudnessMeter(rate)
        whole = self.read_mono(audio, meter.feed)
        found = hear(whole, rate, progress, meter.finish() if len(whole) else None)
        part = self.root / audio / f".{uuid.uuid4().hex}"
        try:
            part.write_text(json.dumps(found.to_json()))
            part.rename(self.root / audio / HEARING)
        except OSError as error:
            part.unlink(missing_ok=True)
            if is_full(error):
                raise NoRoom from error
            raise
        self._hearings[audio] = found
        return found

    def _file(self, audio: str) -> tuple[sf.SoundFile, threading.Lock]:
        with self._lock:
            if audio not in self._open:
                if not self.has(audio):
                    raise KeyError(audio)
                self._open[audio] = sf.SoundFile(str(self.root / audio / "audio.wav")), threading.Lock()
                if len(self._open) > _OPEN_FILES:
                    self._open.popitem(last=False)
            self._open.move_to_end(audio)
            return self._open[audio]


def _sync(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
