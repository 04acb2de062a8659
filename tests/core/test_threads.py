"""Listening keeps to one core, whatever else the machine does."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest

_COUNT = """
import {package}
import numpy as np, psutil
from scipy import linalg
a = np.ones((600, 600))
linalg.solve(a @ a + np.eye(600), a)
print(psutil.Process().num_threads())
"""


def threads(package: str, **given: str) -> int:
    kept = {k: v for k, v in os.environ.items() if not k.endswith("_NUM_THREADS")}
    code = _COUNT.format(package=package)
    return int(subprocess.run([sys.executable, "-c", code], env=kept | given, capture_output=True, text=True, check=True).stdout)


@pytest.mark.parametrize("package", ["grainpocket", "bench", "training"])
def test_matrices_are_multiplied_on_one_core(package: str) -> None:
    assert threads(package) == 1


@pytest.mark.skipif((os.cpu_count() or 1) < 2, reason="one core has one thread")
def test_who_asks_for_more_gets_them() -> None:
    assert threads("grainpocket", OPENBLAS_NUM_THREADS="2") > 1
