"""Fixtures that all tests share: a data folder, the stores on it, a running application."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings as examples

from bench.served import Served, served
from grainpocket.settings import Settings
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.pockets import PocketStore

# How long an example takes says nothing on a busy machine.
examples.register_profile("unhurried", deadline=None)
examples.load_profile("unhurried")


@pytest.fixture
def settings(tmp_path: Path) -> Settings:
    return Settings(data=tmp_path / "data", port=8000, most_minutes=2, most_bytes=20_000_000)


@pytest.fixture
def database(settings: Settings) -> Iterator[Database]:
    database = Database(settings.database)
    yield database
    database.close()


@pytest.fixture
def pockets(database: Database) -> PocketStore:
    return PocketStore(database)


@pytest.fixture
def audio(settings: Settings) -> AudioStore:
    return AudioStore(settings.audio)


@pytest.fixture(scope="session")
def started(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Served]:
    with served(tmp_path_factory.mktemp("served"), GRAINPOCKET_MOST_MINUTES="12") as running:
        yield running


@pytest.fixture
def server(started: Served) -> Served:
    """The whole application: launcher, web process, worker. One for all, in which each test makes a pocket of its own: its start
    costs nine seconds of work."""
    if started.process.poll() is not None:
        started.again()
    return started
