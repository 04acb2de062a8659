"""Jobs as rows: what is asked for, how far it is, how it ended."""

from __future__ import annotations

import json
import time
import uuid
from collections.abc import Collection
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.exc import DBAPIError

from grainpocket.store.database import Database
from grainpocket.store.models import JobRow
from grainpocket.store.room import is_full

OPEN = ("queued", "running")
MOST_ATTEMPTS = 3


class JobStore:
    def __init__(self, database: Database) -> None:
        self._database = database

    def create(self, pocket: str, kind: str, title: str, detail: dict[str, Any], job_id: str | None = None) -> JobRow:
        now = time.time()
        row = JobRow(
            id=job_id or uuid.uuid4().hex, pocket=pocket, kind=kind, title=title, state="queued", step="Waiting", progress=0.0,
            message="", detail=json.dumps(detail), cancel=False, attempts=0, created=now, updated=now,
        )  # fmt: skip
        with self._database.write() as session:
            session.add(row)
        return row

    def get(self, job: str) -> JobRow | None:
        with self._database.read() as session:
            return session.get(JobRow, job)

    def of_pocket(self, pocket: str, since: float = 0.0) -> list[JobRow]:
        """Jobs changed after `since`; without it, those still open."""
        with self._database.read() as session:
            wanted = select(JobRow).where(JobRow.pocket == pocket).order_by(JobRow.created)
            wanted = wanted.where(JobRow.updated > since) if since else wanted.where(JobRow.state.in_(OPEN))
            return list(session.scalars(wanted))

    def start(self, job: str) -> JobRow | None:
        """Mark as running; None when it is not waiting any more."""
        with self._database.write() as session:
            row = session.get(JobRow, job)
            if row is None or row.state != "queued":
                return None
            row.state, row.attempts, row.updated = "running", row.attempts + 1, time.time()
            return row

    def report(self, job: str, progress: float, step: str) -> bool:
        """Set how far it is. Returns whether the musician has asked for it to stop. On a full disk the figure is left as it
        was: work that needs no room goes on, and work that does says so itself."""
        try:
            with self._database.write() as session:
                row = session.get_one(JobRow, job)
                row.progress, row.step, row.updated = progress, step, time.time()
                return row.cancel
        except DBAPIError as error:
            if not is_full(error):
                raise
            found = self.get(job)
            return found is not None and found.cancel

    def finish(self, job: str, state: str, message: str = "") -> None:
        with self._database.write() as session:
            session.execute(
                update(JobRow).where(JobRow.id == job).values(state=state, message=message, step="", updated=time.time())
            )

    def note(self, job: str, detail: dict[str, Any]) -> None:
        """Keep what was found out on the way."""
        with self._database.write() as session:
            session.execute(update(JobRow).where(JobRow.id == job).values(detail=json.dumps(detail), updated=time.time()))

    def cancel(self, job: str) -> JobRow | None:
        """Ask for an end. What still waits ends at once; what runs ends at its next step."""
        with self._database.write() as session:
            row = session.get(JobRow, job)
            if row is not None and row.state in OPEN:
                row.cancel, row.updated = True, time.time()
                if row.state == "queued":
                    row.state, row.message = "cancelled", "Cancelled; nothing was added."
            return row

    def recover(self, busy: Collection[str] = ()) -> list[str]:
        """The jobs that wait, oldest first. busy: those being carried out. One that was under way and is not busy lost its
        worker: it waits again, or is given up when it has brought the worker down several times."""
        again = []
        with self._database.read() as session:
            rows = list(session.scalars(select(JobRow).where(JobRow.state.in_(OPEN)).order_by(JobRow.created)))
        for row in rows:
            if row.id in busy:
                continue
            if row.cancel:
                self.finish(row.id, "cancelled", "Cancelled; nothing was added.")
            elif row.state == "running" and row.attempts >= MOST_ATTEMPTS:
                self.finish(row.id, "failed", f"This stopped the program {row.attempts} times and was given up. Nothing was added.")
            else:
                if row.state == "running":
                    self._wait_again(row.id)
                again.append(row.id)
        return again

    def _wait_again(self, job: str) -> None:
        with self._database.write() as session:
            was_running = update(JobRow).where(JobRow.id == job, JobRow.state == "running")
            session.execute(was_running.values(state="queued", step="Waiting", updated=time.time()))
