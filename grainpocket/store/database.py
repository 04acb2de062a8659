"""SQLite in WAL mode: many readers and one writer at a time, across processes."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.orm import Session

MIGRATIONS = Path(__file__).parent / "migrations"
BUSY_MS = 15000
# Of each connection, in KiB: what is read again soon lies in the system's cache of files as well.
_PAGES_KIB = 512


class Database:
    def __init__(self, path: Path) -> None:
        """Opens the database at `path`, made and brought up to date as needed."""
        path.parent.mkdir(parents=True, exist_ok=True)
        self.path = path
        self._reading = _engine(path, "BEGIN")
        self._writing = _engine(path, "BEGIN IMMEDIATE")
        self.migrate()

    def migrate(self) -> None:
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with self._writing.connect() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    @contextmanager
    def read(self) -> Iterator[Session]:
        with Session(self._reading) as session:
            yield session

    @contextmanager
    def write(self) -> Iterator[Session]:
        """A transaction that holds the write lock from its start, so that what it reads cannot change under it."""
        with Session(self._writing, expire_on_commit=False) as session, session.begin():
            yield session

    def raw(self) -> sqlite3.Connection:
        """A connection of one's own, to watch for changes with."""
        return sqlite3.connect(self.path, timeout=BUSY_MS / 1000, check_same_thread=False)

    def close(self) -> None:
        self._reading.dispose()
        self._writing.dispose()


def _engine(path: Path, begin: str) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": BUSY_MS / 1000}, pool_size=8, max_overflow=24)

    @event.listens_for(engine, "connect")
    def _connect(connection: Any, _record: Any) -> None:
        # The driver must not open transactions by itself: how they begin is said below.
        connection.isolation_level = None
        cursor = connection.cursor()
        cursor.execute("PRAGMA journal_mode=WAL")
        # An acknowledged edit survives the loss of power, not only the death of the process.
        cursor.execute("PRAGMA synchronous=FULL")
        cursor.execute("PRAGMA foreign_keys=ON")
        cursor.execute(f"PRAGMA busy_timeout={BUSY_MS}")
        cursor.execute(f"PRAGMA cache_size=-{_PAGES_KIB}")
        cursor.close()

    @event.listens_for(engine, "begin")
    def _begin(connection: Connection) -> None:
        connection.exec_driver_sql(begin)

    return engine
