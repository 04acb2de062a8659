"""The fitted network as the file that ships: half precision to keep it small, and what the contract asks of its metadata.

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
SMALLEST = 256  # weights of a matrix, from which on they are kept in half precision


def exported(net: Splitter, path: Path) -> None:
    spectrum = torch.randn(1, 2, BINS, FRAMES, 2)
    torch.onnx.export(
        net, (spectrum,), str(path), input_names=["spectrum"], output_names=["masks"], opset_version=17, dynamo=False,
        dynamic_axes={"spectrum": {3: "frames"}, "masks": {4: "frames"}},
    )  # fmt: skip
    model = onnx.load(str(path))
    halved(model)
    said = {
        "stems": ",".join(PARTS), "takes": "spectrogram", "sample_rate": RATE, "n_fft": FFT, "window": "hann", "segment": FRAMES,
        "multiple": PATCH, "label": "Learned",
    }  # fmt: skip
    helper.set_model_props(model, {key: str(value) for key, value in said.items()})
    onnx.checker.check_model(model)
    onnx.save(model, str(path))


def halved(model: onnx.ModelProto) -> None:
    """Large weights in half precision, cast back where they are used: half the size, and the same sums."""
    for number, tensor in enumerate(list(model.graph.initializer)):
        if tensor.data_type != onnx.TensorProto.FLOAT or int(np.prod(tensor.dims)) < SMALLEST:
            continue
        values = numpy_helper.to_array(tensor).astype(np.float16)
        name = tensor.name
        kept = numpy_helper.from_array(values, f"{name}_half")
        model.graph.initializer.remove(tensor)
        model.graph.initializer.append(kept)
        model.graph.node.insert(0, helper.make_node("Cast", [kept.name], [name], name=f"cast_{number}", to=onnx.TensorProto.FLOAT))


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
