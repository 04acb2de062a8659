"""The weights of the file that ships, read back into the network that they came from, so that a fit can go on from them.

Matrices lie in the file in eight bits with a step for each row or column (`export.packed`), those of linear layers turned round,
and those of the LSTM with their gates in the order of the ONNX standard (input, output, forget, cell); torch wants input, forget,
cell, output.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import onnx
import torch
from numpy.typing import NDArray
from onnx import numpy_helper

from training.split.network import Splitter

Values = NDArray[np.float32]


def restored(path: Path) -> Splitter:
    """The network of the file at path, its weights within half a step of eight bits of those that were fitted.

    Raises ValueError where the file was not exported from a network of this shape."""
    model = onnx.load(str(path))
    held = _unpacked(model)
    net = Splitter()
    state = net.state_dict()
    found = {name: held[name] for name in state if name in held}
    for node in model.graph.node:
        scope = _scope(node.name)
        if node.op_type == "MatMul" and f"{scope}.weight" in state and node.input[1] in held:
            found[f"{scope}.weight"] = held[node.input[1]].T
        elif node.op_type == "LSTM":
            found |= _lstm(scope, [held[name] for name in node.input[1:4]])
    missing = [name for name in state if name not in found or found[name].shape != tuple(state[name].shape)]
    if missing:
        raise ValueError(f"{path} is of a network of another shape: {', '.join(missing[:3])} cannot be found in it")
    net.load_state_dict({name: torch.from_numpy(found[name].copy()) for name in state})
    return net


def _unpacked(model: onnx.ModelProto) -> dict[str, Values]:
    held = {tensor.name: numpy_helper.to_array(tensor) for tensor in model.graph.initializer}
    for name in [name.removesuffix("_whole") for name in held if name.endswith("_whole")]:
        held[name] = held[f"{name}_whole"].astype(np.float32) * held[f"{name}_step"]
    return held


def _scope(name: str) -> str:
    """Of a node's name, such as /layers.0/across/across.0/MatMul, the module that it came from: layers.0.across.0."""
    out: list[str] = []
    for part in name.strip("/").split("/")[:-1]:
        if out and part.startswith(f"{out[-1]}."):
            out.pop()
        out.append(part)
    return ".".join(out)


def _lstm(scope: str, given: list[Values]) -> dict[str, Values]:
    """Weights of both directions by torch's names, of (directions, 4 * hidden, ...) and biases (directions, 8 * hidden)."""
    into, back, bias = given
    out: dict[str, Values] = {}
    for way, end in enumerate(("", "_reverse")[: len(into)]):
        first, second = np.split(bias[way], 2)
        named = {"weight_ih_l0": into[way], "weight_hh_l0": back[way], "bias_ih_l0": first, "bias_hh_l0": second}
        for name, values in named.items():
            i, o, f, c = np.split(values, 4)
            out[f"{scope}.{name}{end}"] = np.concatenate((i, f, c, o))
    return out
