"""Separation networks of a few random weights, and some that do not keep the contract."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from onnx import TensorProto, checker, helper, numpy_helper, save

STEMS = ("drums", "voice", "rest")


def waveform(path: Path, frames: int | str = "n", **said: Any) -> Path:
    """One convolution: what comes out is what went in, filtered at random."""
    rng = np.random.default_rng(5)
    weights = {"w": rng.normal(0, 0.2, (2 * len(STEMS), 2, 9)), "shape": np.array([1, len(STEMS), 2, -1])}
    nodes = [
        helper.make_node("Conv", ["sound", "w"], ["flat"], pads=[4, 4]),
        helper.make_node("Reshape", ["flat", "shape"], ["stems"]),
    ]
    return _saved(path, nodes, weights, (1, 2, frames), 4, {"takes": "waveform", **said})


def spectrogram(path: Path, size: int = 1024, **said: Any) -> Path:
    """Masks of the power of each bin."""
    rng = np.random.default_rng(6)
    weights = {
        "w": rng.normal(0, 1, (2 * len(STEMS), 2, 1, 1)),
        "b": rng.normal(0, 1, 2 * len(STEMS)),
        "last": np.array([4]),
        "shape": np.array([1, len(STEMS), 2, size // 2 + 1, -1]),
    }
    nodes = [
        helper.make_node("Mul", ["sound", "sound"], ["squared"]),
        helper.make_node("ReduceSum", ["squared", "last"], ["power"], keepdims=0),
        helper.make_node("Conv", ["power", "w", "b"], ["flat"]),
        helper.make_node("Reshape", ["flat", "shape"], ["scores"]),
        helper.make_node("Softmax", ["scores"], ["stems"], axis=1),
    ]
    return _saved(path, nodes, weights, (1, 2, size // 2 + 1, "t", 2), 5, {"takes": "spectrogram", "n_fft": size, **said})


def _saved(
    path: Path, nodes: list[Any], weights: dict[str, np.ndarray], shape: tuple[int | str, ...], axes: int, said: dict[str, Any]
) -> Path:
    kept = [
        numpy_helper.from_array(value.astype(np.int64 if value.dtype.kind == "i" else np.float32), name)
        for name, value in weights.items()
    ]
    graph = helper.make_graph(
        nodes, "tiny", [helper.make_tensor_value_info("sound", TensorProto.FLOAT, shape)],
        [helper.make_tensor_value_info("stems", TensorProto.FLOAT, [f"o{k}" for k in range(axes)])], kept,
    )  # fmt: skip
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 17)], ir_version=9)
    helper.set_model_props(
        model, {key: str(value) for key, value in {"stems": ",".join(STEMS), **said}.items() if value is not None}
    )
    checker.check_model(model)
    save(model, path)
    return path
