"""Jobs: their states, cancelling, and what a restart makes of them."""

from __future__ import annotations

import pytest

from grainpocket.core.pocket import Pocket
from grainpocket.store.database import Database
from grainpocket.store.jobs import MOST_ATTEMPTS, JobStore
from grainpocket.store.pockets import PocketStore


@pytest.fixture
def jobs(database: Database, pockets: PocketStore) -> JobStore:
    pockets.create(Pocket(name="p"), "p")
    return JobStore(database)


def test_a_job_from_start_to_end(jobs: JobStore) -> None:
    job = jobs.create("p", "import", "a.wav", {"name": "a.wav"}).id
    assert jobs.start(job) is not None
    assert jobs.start(job) is None, "taken twice"
    assert jobs.report(job, 0.4, "Decoding") is False
    jobs.finish(job, "done")
    row = jobs.get(job)
    assert row is not None
    assert (row.state, row.progress) == ("done", 0.4)
    assert jobs.of_pocket("p") == []


def test_cancel_before_and_during(jobs: JobStore) -> None:
    waiting, running = jobs.create("p", "import", "a", {}).id, jobs.create("p", "import", "b", {}).id
    jobs.start(running)
    cancelled = jobs.cancel(waiting)
    assert cancelled is not None
    assert cancelled.state == "cancelled"
    jobs.cancel(running)
    assert jobs.report(running, 0.5, "Decoding") is True
    assert jobs.start(waiting) is None


def test_recovery_after_a_kill(jobs: JobStore) -> None:
    queued, running, stopping = (jobs.create("p", "import", name, {}).id for name in "abc")
    jobs.start(running)
    jobs.start(stopping)
    jobs.cancel(stopping)
    assert jobs.recover() == [queued, running]
    row = jobs.get(stopping)
    assert row is not None
    assert row.state == "cancelled"


def test_a_job_that_keeps_killing_the_worker_is_given_up(jobs: JobStore) -> None:
    job = jobs.create("p", "import", "a", {}).id
    for _ in range(MOST_ATTEMPTS):
        assert jobs.recover() == [job]
        assert jobs.start(job) is not None
    assert jobs.recover() == []
    row = jobs.get(job)
    assert row is not None
    assert row.state == "failed"
    assert "given up" in row.message
