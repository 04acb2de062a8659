"""A full disk, said plainly: HTTP 507 (RFC 4918, section 11.5)."""

from __future__ import annotations

from werkzeug.exceptions import HTTPException

from grainpocket.store.room import is_full

NOT_DONE = "The disk is full: that was not done. What you made before is kept. Free some space and try again."


class DiskFull(HTTPException):
    """Werkzeug knows no such status, so that `abort` cannot raise it."""

    code = 507
    description = NOT_DONE

    @property
    def name(self) -> str:
        return "disk full"


__all__ = ["DiskFull", "is_full"]
