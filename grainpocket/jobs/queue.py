"""The queue between the web process and the worker.

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


def open_queue(settings: Settings, run: Callable[[str], None] | None = None) -> tuple[Any, Callable[[str], object]]:
    """The huey queue of this data folder, and what hands a job to the worker. run: carries a job out, in the worker."""
    settings.data.mkdir(parents=True, exist_ok=True)
    queue = SqliteHuey("grainpocket", filename=str(settings.queue), results=False)

    # Both processes must register the task from this very place: huey finds it by module and name.
    @queue.task(name="run_job")  # type: ignore[untyped-decorator]
    def run_job(job_id: str) -> None:
        if run is None:
            raise RuntimeError("jobs run in the worker process")
        run(job_id)

    def hand_over(job_id: str) -> None:
        try:
            run_job(job_id)
        except sqlite3.Error:
            # As on a full disk. The job's row is there, and the worker finds it by itself.
            log.exception("job %s was not handed over", job_id)

    return queue, hand_over


def waiting_in(queue: Any) -> set[str]:
    """The jobs that a queue holds."""
    return {str(task.args[0]) for task in queue.pending() if task.args}
