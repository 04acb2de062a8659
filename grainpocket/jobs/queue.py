"""The queue between the web process and the worker.

The queue only carries job numbers; what a job is and how it stands is in the database, so that a queue lost with a killed
process loses nothing.
"""

from __future__ import annotations

from typing import Any

from huey import SqliteHuey

from grainpocket.settings import Settings

POLL_S = 0.1


def open_queue(settings: Settings) -> Any:
    """The huey queue of this data folder; `queue.enqueue_job(job_id)` hands a job to the worker."""
    settings.data.mkdir(parents=True, exist_ok=True)
    queue = SqliteHuey("grainpocket", filename=str(settings.queue), results=False)
    return queue


def task_of(queue: Any, run: Any) -> Any:
    """Register `run(job_id)` as the queue's one task. The web process registers it too, only to be able to enqueue."""
    return queue.task(name="run_job")(run)


def enqueue_only(queue: Any) -> Any:
    def never(job_id: str) -> None:
        raise RuntimeError("jobs run in the worker process")

    return task_of(queue, never)
