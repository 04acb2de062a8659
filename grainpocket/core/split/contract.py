"""What a separation network has to be, so that anyone's can be used: the contract, and whether a file keeps it.

An ONNX file with one input and one output, float32, and these entries of its metadata (`metadata_props`):

- ``stems``: names divided by commas, two to twelve, the last one of which takes what the others leave, such as
  ``drums,bass,vocals,other``;
- ``takes``: ``waveform`` or ``spectrogram``;
- ``sample_rate``: in Hz; left out, 44100;
- ``label``: what it is called; left out, the file's name;
- for a spectrogram, ``n_fft``: its size (frames overlap by three quarters), and ``window``: ``hann``, or ``root-hann``;
- ``segment``: samples (or frames) that it is to see at once; left out, what its input's shape says, or ten seconds;
- ``multiple``: its segments are to be multiples of so many samples (or frames).

A waveform goes in as (1, 2, samples) and comes out as (1, stems, 2, samples). A spectrogram goes in as (1, 2, bins, frames, 2),
the last axis its real and imaginary part, and what comes out are masks, (1, stems, 2, bins, frames).
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

MOST_BYTES = 1_000_000_000
TEN_S = 10.0
_NAME = re.compile(r"[a-z][a-z0-9 _-]{0,23}$")


class Misfit(ValueError):
    """A model that does not keep the contract; says what it does instead."""


class Description(BaseModel):
    """What a model says of itself. segment: samples or frames that it sees at once; fixed: and no other number of them."""

    model_config = ConfigDict(frozen=True)

    label: str = Field(min_length=1, max_length=40)
    parts: tuple[str, ...] = Field(min_length=2, max_length=12)
    takes: Literal["waveform", "spectrogram"]
    rate: int = Field(default=44100, ge=8000, le=192000)
    size: int = Field(default=4096, ge=64, le=32768)
    window: Literal["hann", "root-hann"] = "hann"
    segment: int = Field(ge=1, le=20_000_000)
    fixed: bool = False
    multiple: int = Field(default=1, ge=1, le=1_000_000)

    @field_validator("parts")
    @classmethod
    def _names(cls, parts: tuple[str, ...]) -> tuple[str, ...]:
        if len(set(parts)) < len(parts) or not all(_NAME.match(part) for part in parts):
            raise ValueError("its stems need different names of small letters")
        return parts

    @field_validator("size")
    @classmethod
    def _quarters(cls, size: int) -> int:
        if size % 4:
            raise ValueError("its n_fft is no multiple of 4")
        return size

    def whole(self, length: int) -> int:
        """The next length that is a multiple of what is asked for."""
        return -(-length // self.multiple) * self.multiple

    @property
    def bins(self) -> int:
        return self.size // 2 + 1


def session_of(path: Path) -> Any:
    """A network ready to run on two threads. Raises Misfit for a file that is none."""
    import onnxruntime

    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads, options.inter_op_num_threads = 2, 1
    options.log_severity_level = 4
    # Threads that wait must not burn what another process could use.
    options.add_session_config_entry("session.intra_op.allow_spinning", "0")
    # Memory is given back after each window instead of being held for the next.
    options.enable_cpu_mem_arena = False
    try:
        return onnxruntime.InferenceSession(str(path), options, providers=["CPUExecutionProvider"])
    except Exception as error:
        raise Misfit(f"It cannot be read as an ONNX model: {str(error).strip().splitlines()[0][:160]}") from None


def description_of(session: Any, name: str) -> Description:
    """What a network says of itself. Raises Misfit for what is missing or cannot be."""
    said = dict(session.get_modelmeta().custom_metadata_map)
    ins, outs = session.get_inputs(), session.get_outputs()
    if len(ins) != 1 or len(outs) != 1:
        raise Misfit(f"It has {len(ins)} inputs and {len(outs)} outputs. One of each is asked for.")
    if ins[0].type != "tensor(float)" or outs[0].type != "tensor(float)":
        raise Misfit(f"It takes {ins[0].type} and gives {outs[0].type}. Both are to be float32.")
    missing = [key for key in ("stems", "takes") if key not in said]
    if missing:
        raise Misfit(f"Its metadata does not say {' and '.join(missing)}.")
    takes = said["takes"]
    axes = 3 if takes == "waveform" else 5
    shape = ins[0].shape
    if len(shape) != axes:
        raise Misfit(f"Its input has {len(shape)} axes. A {takes} has {axes}.")
    time = shape[2] if takes == "waveform" else shape[3]
    fixed = isinstance(time, int)
    rate, size = said.get("sample_rate", "44100"), said.get("n_fft", "4096")
    try:
        seconds = TEN_S * int(rate) / (1 if takes == "waveform" else max(1, int(size) // 4))
        segment = time if fixed else int(said.get("segment", str(round(seconds))))
        return Description(
            label=said.get("label", name)[:40], parts=tuple(part.strip() for part in said["stems"].split(",")), takes=takes,
            rate=int(rate), size=int(size), window=said.get("window", "hann"), segment=segment, fixed=fixed,
            multiple=int(said.get("multiple", "1")),
        )  # fmt: skip
    except ValidationError as error:
        told = error.errors()[0]
        raise Misfit(f"Its metadata cannot be: {'.'.join(map(str, told['loc']))}: {told['msg']}.") from None
    except ValueError as error:
        raise Misfit(f"Its metadata cannot be: {error}.") from None


def shape_in(said: Description, length: int) -> tuple[int, ...]:
    """Of its input for so many samples or frames."""
    return (1, 2, length) if said.takes == "waveform" else (1, 2, said.bins, length, 2)


def shape_out(said: Description, length: int) -> tuple[int, ...]:
    """Of its output for so many samples or frames."""
    return (1, len(said.parts), 2, length) if said.takes == "waveform" else (1, len(said.parts), 2, said.bins, length)


def run(session: Any, values: np.ndarray) -> np.ndarray:
    """What a network makes of its input, shaped as `shape_in` and `shape_out` say, (1, …). Raises Misfit when it stops."""
    try:
        return np.asarray(session.run(None, {session.get_inputs()[0].name: np.ascontiguousarray(values, np.float32)})[0])
    except Exception as error:
        raise Misfit(f"It stops: {str(error).strip().splitlines()[0][:160]}") from None


def checked(path: Path) -> Description:
    """Whether a file keeps the contract: read, described, and tried on a little noise. Raises Misfit, which says why not."""
    if path.stat().st_size > MOST_BYTES:
        raise Misfit(f"It is larger than {MOST_BYTES // 1_000_000} MB.")
    session = session_of(path)
    said = description_of(session, path.stem)
    for seconds in (0.5, 1.0) if not said.fixed else (0.0,):
        per_second = said.rate / (1 if said.takes == "waveform" else said.size // 4)
        length = said.segment if said.fixed else said.whole(round(seconds * per_second))
        noise = np.random.default_rng(1).standard_normal(shape_in(said, length)).astype(np.float32) * 0.1
        made = run(session, noise)
        if made.shape != shape_out(said, length):
            raise Misfit(f"It gives {made.shape} for {noise.shape}. {shape_out(said, length)} is asked for.")
        if not np.isfinite(made).all():
            raise Misfit("What it gives is not a number everywhere.")
    return said
