"""A full disk, said plainly: HTTP 507 (RFC 4918, section 11.5)."""

from __future__ import annotations

import errno
import sqlite3

from sqlalchemy.exc import DBAPIError
from werkzeug.exceptions import HTTPException

NOT_DONE = "The disk is full: that was not done. What you made before is kept. Free some space and try again."


class DiskFull(HTTPException):
    """Werkzeug knows no such status, so that `abort` cannot raise it."""

    code = 507
    description = NOT_DONE

    @property
    def name(self) -> str:
        return "disk full"


def is_full(error: BaseException | None) -> bool:
    """Whether a file or the database could not be written for want of room."""
    # The queue's database is used without SQLAlchemy.
    cause = error.orig if isinstance(error, DBAPIError) else error
    if isinstance(cause, sqlite3.Error):
        return getattr(cause, "sqlite_errorcode", None) == sqlite3.SQLITE_FULL
    return isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT)
