"""The queue between the web process and the worker, in two lanes, so that what brings records in never holds up what is made of
them.

The queue only carries job numbers; what a job is and how it stands is in the database, so that a queue lost with a killed
process loses nothing. The worker looks all the time for jobs that wait and are in no queue (jobs/worker).
"""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Callable
from typing import Any

from huey import SqliteHuey

from grainpocket.settings import Settings

log = logging.getLogger("grainpocket.queue")
POLL_S = 0.1
# What someone waits for, short beside an import: by kind. All else brings records in.
ASKED = frozenset({"export", "print", "clean", "split", "balance", "leak", "save"})


class Queues:
    """run: carries a job out, in the worker; without it, jobs can only be handed over."""

    def __init__(self, settings: Settings, run: Callable[[str], None] | None = None) -> None:
        settings.data.mkdir(parents=True, exist_ok=True)
        file = str(settings.queue)
        self.bringing, bring = _lane("grainpocket", file, run)
        self.asked, ask = _lane("grainpocket-asked", file, run)
        self._hand = {True: ask, False: bring}

    @property
    def lanes(self) -> tuple[Any, Any]:
        return self.bringing, self.asked

    def hand_over(self, job_id: str, kind: str = "import") -> None:
        """Let the worker carry a job out."""
        try:
            self._hand[kind in ASKED](job_id)
        except sqlite3.Error:
            # As on a full disk. The job's row is there, and the worker finds it by itself.
            log.exception("job %s was not handed over", job_id)

    def waiting(self) -> set[str]:
        """The jobs that they hold."""
        return {str(task.args[0]) for lane in self.lanes for task in lane.pending() if task.args}

    def empty(self) -> None:
        for lane in self.lanes:
            lane.storage.flush_queue()


def _lane(name: str, file: str, run: Callable[[str], None] | None) -> tuple[Any, Callable[[str], object]]:
    queue = SqliteHuey(name, filename=file, results=False)

    # Both processes must register the task from this very place: huey finds it by module and name.
    @queue.task(name="run_job")  # type: ignore[untyped-decorator]
    def run_job(job_id: str) -> None:
        if run is None:
            raise RuntimeError("jobs run in the worker process")
        run(job_id)

    return queue, run_job
