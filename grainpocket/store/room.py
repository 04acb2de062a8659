"""Whether a failure means that the disk is full. The answer to a request for it is HTTP 507 (web/full)."""

from __future__ import annotations

import errno
import shutil
import sqlite3
from pathlib import Path

from sqlalchemy.exc import DBAPIError

from grainpocket.core.sound.audio import BadAudio

TOO_LITTLE = 1 << 20  # bytes; a write that failed with less room than this failed for want of it


class NoRoom(BadAudio):
    """Audio that could not be kept because the disk is full."""

    def __init__(self) -> None:
        super().__init__("The disk is full: nothing of this was kept, all else is as it was. Free some space and try again.")


def is_full(error: BaseException | None) -> bool:
    """Whether a file or the database could not be written for want of room."""
    if isinstance(error, NoRoom):
        return True
    # The queue's database is used without SQLAlchemy.
    cause = error.orig if isinstance(error, DBAPIError) else error
    if isinstance(cause, sqlite3.Error):
        return getattr(cause, "sqlite_errorcode", None) == sqlite3.SQLITE_FULL
    return isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT)


def has_no_room(folder: Path) -> bool:
    """Whether the disk is as good as full. For failures of libraries that do not say what the system told them."""
    try:
        return shutil.disk_usage(folder).free < TOO_LITTLE
    except OSError:
        return False
