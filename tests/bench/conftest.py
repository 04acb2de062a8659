"""These run only when what they test has changed."""

from __future__ import annotations

import pytest

from tests.unchanged import skip_unchanged


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    skip_unchanged("bench", items)
