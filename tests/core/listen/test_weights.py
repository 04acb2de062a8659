"""The networks that ship: each with a record of what it was fitted to, and none that nobody asks."""

from __future__ import annotations

import datetime
import json
from pathlib import Path

import pytest

from grainpocket.core.listen import weights
from grainpocket.core.listen.networks.dense import arrays

FOLDER = Path(weights.__file__).parent
PACKAGE = FOLDER.parents[2]
NETWORKS = sorted(file.stem for file in FOLDER.glob("*.npz"))


@pytest.mark.parametrize("name", NETWORKS)
def test_a_network_has_its_record(name: str) -> None:
    record = json.loads((FOLDER / f"{name}.json").read_text())
    assert record.keys() == {"network", "command", "seed", "data", "fitted", "reproducible", "because", "figures"}
    module = PACKAGE / record["network"].partition(":")[0]
    assert module.is_file()
    script = record["command"].split()[2].replace(".", "/")
    assert (PACKAGE.parent / f"{script}.py").is_file(), "what fits it is here"
    assert f"{name}.npz" in record["command"]
    assert record["reproducible"] or record["because"], "and where it cannot be fitted again, why"
    assert datetime.date.fromisoformat(record["fitted"]) < datetime.date(2026, 11, 28), "nothing was fitted after that"
    assert record["figures"]


def test_every_record_is_of_a_network_that_is_asked() -> None:
    assert sorted(file.stem for file in FOLDER.glob("*.json")) == NETWORKS
    code = "".join(file.read_text() for file in FOLDER.parent.rglob("*.py"))
    assert all(f'"{name}.npz"' in code for name in NETWORKS)
    assert all(arrays(f"{name}.npz") for name in NETWORKS)
