"""The fitted network as the file that ships: eight bits a weight to keep it small, and what the contract asks of its metadata.

pip install onnx onnxruntime
python -m training.split.export RUN_DIR grainpocket/core/split/models/learned.onnx
"""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np
import onnx
import onnxruntime
import torch
from onnx import helper, numpy_helper

from training.split.mixing import PARTS
from training.split.network import BINS, FFT, PATCH, RATE, Splitter

FRAMES = 260
SMALLEST = 256  # weights of a matrix, from which on they are kept in eight bits


def exported(net: Splitter, path: Path) -> None:
    spectrum = torch.randn(1, 2, BINS, FRAMES, 2)
    torch.onnx.export(
        net, (spectrum,), str(path), input_names=["spectrum"], output_names=["masks"], opset_version=17, dynamo=False,
        dynamic_axes={"spectrum": {3: "frames"}, "masks": {4: "frames"}},
    )  # fmt: skip
    model = onnx.load(str(path))
    packed(model)
    said = {
        "stems": ",".join(PARTS), "takes": "spectrogram", "sample_rate": RATE, "n_fft": FFT, "window": "hann", "segment": FRAMES,
        "multiple": PATCH, "label": "Learned",
    }  # fmt: skip
    helper.set_model_props(model, {key: str(value) for key, value in said.items()})
    onnx.checker.check_model(model)
    onnx.save(model, str(path))


def packed(model: onnx.ModelProto) -> None:
    """Large weights in eight bits, each row or column by a step of its own, multiplied back where they are used.

    onnxruntime does that once, when it loads them. The file is a quarter as large."""
    for number, tensor in enumerate(list(model.graph.initializer)):
        if tensor.data_type != onnx.TensorProto.FLOAT or len(tensor.dims) < 2 or int(np.prod(tensor.dims)) < SMALLEST:
            continue
        values = numpy_helper.to_array(tensor)
        whole, step = min((stepped(values, axis) for axis in (-1, -2)), key=lambda made: _off(values, *made))
        names = [f"{tensor.name}_{end}" for end in ("whole", "step", "cast")]
        model.graph.initializer.remove(tensor)
        model.graph.initializer.extend([numpy_helper.from_array(whole, names[0]), numpy_helper.from_array(step, names[1])])
        cast = helper.make_node("Cast", [names[0]], [names[2]], name=f"cast_{number}", to=onnx.TensorProto.FLOAT)
        times = helper.make_node("Mul", [names[2], names[1]], [tensor.name], name=f"times_{number}")
        model.graph.node.insert(0, times)
        model.graph.node.insert(0, cast)


def stepped(values: np.ndarray, axis: int) -> tuple[np.ndarray, np.ndarray]:
    """(int8 of the same shape, float32 steps that go with it): their product is `values` to half a step. One step along `axis`."""
    step = np.maximum(np.abs(values).max(axis=axis, keepdims=True), 1e-12) / 127
    return np.round(values / step).astype(np.int8), step.astype(np.float32)


def _off(values: np.ndarray, whole: np.ndarray, step: np.ndarray) -> float:
    return float(np.square(values - whole * step).sum())


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("run", type=Path)
    parser.add_argument("out", type=Path)
    asked = parser.parse_args()
    net = Splitter()
    net.load_state_dict(torch.load(asked.run / "best.pt", weights_only=True))
    net.eval()
    asked.out.parent.mkdir(parents=True, exist_ok=True)
    exported(net, asked.out)
    session = onnxruntime.InferenceSession(str(asked.out))
    spectrum = torch.randn(1, 2, BINS, FRAMES // 2, 2)
    with torch.no_grad():
        true = net(spectrum).numpy()
    worst = float(np.abs(session.run(None, {"spectrum": spectrum.numpy()})[0] - true).max())
    print(f"{asked.out}: {asked.out.stat().st_size / 1e6:.1f} MB, masks at most {worst:.4f} off")


if __name__ == "__main__":
    main()
