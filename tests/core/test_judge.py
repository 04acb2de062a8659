"""Which onsets show a drum by itself."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from grainpocket.core.listen.judge import ROLES, alone

CHANCES = st.floats(0, 1, width=32)


def test_the_surest_come_first_and_what_is_layered_stays_out() -> None:
    likely = np.array([0.9, 0.9, 0.9, 0.2, 0.95], np.float32)
    roles = np.array([[0.9, 0.05], [0.9, 0.9], [0.6, 0.1], [0.99, 0.0], [0.95, 0.02]], np.float32)
    assert alone(likely, roles, 0, 8, 0.3).tolist() == [4, 0, 2]
    assert alone(likely, roles, 0, 2, 0.3).tolist() == [4, 0]
    assert alone(likely, roles, 1, 8, 0.3).tolist() == []


@given(arrays(np.float32, 12, elements=CHANCES), arrays(np.float32, (12, len(ROLES)), elements=CHANCES), st.integers(0, 5))
def test_none_is_said_to_be_alone_that_is_likelier_something_else(likely: np.ndarray, roles: np.ndarray, role: int) -> None:
    for k in alone(likely, roles, role, 12, 0.3).tolist():
        assert likely[k] > 0.3
        assert roles[k, role] > 0.3
        assert np.delete(roles[k], role).max() < 0.7
