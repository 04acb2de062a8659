"""Fixtures that all tests share: a data folder, the stores on it, a running application."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import settings as examples

from bench.served import Served, served
from grainpocket.core.listen import hearing
from grainpocket.core.listen.hearing import Hearing
from grainpocket.jobs import importing
from grainpocket.settings import Settings
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.pockets import PocketStore

# How long an example takes says nothing on a busy machine.
examples.register_profile("unhurried", deadline=None)
examples.load_profile("unhurried")


# Files that take long go first, so that none is left over at the end; a folder that is not named goes between.
FIRST = ("tests/ui", "tests/web", "tests/store")
SLOW = ("test_crash", "test_stems", "test_split", "test_kits", "test_memory", "test_mixdown", "test_graph", "test_taking")
OF_TRAINING = ("tests/training", "tests/bench")


def _turn(item: pytest.Item) -> tuple[bool, int]:
    path = item.path.as_posix()
    folder = next((n for n, name in enumerate(FIRST) if f"{name}/" in path), len(FIRST))
    return item.path.stem not in SLOW, folder


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    items.sort(key=_turn)
    for item in items:
        if any(f"{folder}/" in item.path.as_posix() for folder in OF_TRAINING):
            item.add_marker("training")


@pytest.fixture(scope="session", autouse=True)
def heard_once() -> Iterator[None]:
    """What is heard of the same samples is worked out once, however many tests bring them in."""
    known: dict[str, Hearing] = {}

    def hear(mono: Any, rate: int, report: Callable[[float], None] | None = None, *more: Any) -> Hearing:
        samples = np.ascontiguousarray(mono)
        key = hashlib.sha1(samples.tobytes()).hexdigest() + f" {rate} {more!r}"
        if key not in known:
            known[key] = hearing.hear(samples, rate, *((report, *more) if report else ()))
        elif report:
            report(1.0)
        return known[key]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(importing, "hear", hear)
        yield


@pytest.fixture(scope="session")
def migrated(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A database without a row, up to date."""
    path = tmp_path_factory.mktemp("migrated") / "empty.db"
    Database(path).close()
    return path


@pytest.fixture
def settings(tmp_path: Path, migrated: Path) -> Settings:
    settings = Settings(data=tmp_path / "data", port=8000, most_minutes=2, most_bytes=20_000_000)
    settings.database.parent.mkdir(parents=True)
    shutil.copyfile(migrated, settings.database)
    return settings


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
