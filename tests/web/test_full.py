"""What counts as a full disk: files, our database, the queue's; and nothing else."""

from __future__ import annotations

import errno
import sqlite3
from pathlib import Path

import pytest
from sqlalchemy import create_engine, text
from sqlalchemy.exc import DBAPIError

from grainpocket.store.room import is_full
from grainpocket.web.full import DiskFull

FILL = "INSERT INTO a SELECT randomblob(4000) FROM (VALUES (1), (2), (3), (4), (5))"


@pytest.mark.parametrize("number", [errno.ENOSPC, errno.EDQUOT])
def test_a_file_that_found_no_room(number: int) -> None:
    assert is_full(OSError(number, "no room"))


@pytest.mark.parametrize(
    "error", [None, ValueError("full"), OSError(errno.EACCES, "denied"), FileNotFoundError(), sqlite3.Error("x")]
)
def test_other_mistakes_are_not_told_as_a_full_disk(error: BaseException | None) -> None:
    assert not is_full(error)


def test_a_database_that_found_no_room(tmp_path: Path) -> None:
    with sqlite3.connect(tmp_path / "a.db") as plain:
        plain.execute("CREATE TABLE a (b)")
        plain.execute("PRAGMA max_page_count = 3")
        with pytest.raises(sqlite3.OperationalError) as error:
            plain.execute(FILL)
        assert is_full(error.value)
        with pytest.raises(sqlite3.OperationalError) as error:
            plain.execute("SELECT * FROM nothing")
        assert not is_full(error.value)


def test_the_same_through_sqlalchemy(tmp_path: Path) -> None:
    with create_engine(f"sqlite:///{tmp_path / 'a.db'}").connect() as connection:
        connection.execute(text("CREATE TABLE a (b)"))
        connection.execute(text("PRAGMA max_page_count = 3"))
        with pytest.raises(DBAPIError) as error:
            connection.execute(text(FILL))
        assert is_full(error.value)
        with pytest.raises(DBAPIError) as other:
            connection.execute(text("SELECT * FROM nothing"))
        assert not is_full(other.value)


def test_the_answer_says_what_is_kept_and_what_to_do() -> None:
    told = DiskFull()
    assert told.code == 507
    assert "is kept" in told.description
    assert "try again" in told.description
