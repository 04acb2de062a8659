"""The worker process: takes jobs from the queue and carries them out, one at a time."""

from __future__ import annotations

import json
import logging
import shutil
import time

import numpy as np

from grainpocket.core.edits import Refusal
from grainpocket.core.listen.hearing import hear
from grainpocket.core.pocket import RATE
from grainpocket.core.restore.restore import Cleaning
from grainpocket.core.sound.audio import BadAudio
from grainpocket.jobs.cleaning import print_clean
from grainpocket.jobs.importing import Cancelled, Report, import_file, listen_again
from grainpocket.jobs.queue import POLL_S, open_queue
from grainpocket.settings import Settings
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.jobs import JobStore
from grainpocket.store.models import JobRow
from grainpocket.store.pockets import NoSuchPocket, PocketStore
from grainpocket.store.takes import TakeStore

log = logging.getLogger("grainpocket.worker")
_REPORT_EVERY_S, _ABANDONED_S = 0.1, 30.0
_OUR_FAULT = (
    "Something went wrong inside Grain Pocket. Nothing was added, and the rest of the pocket is as it was. "
    "Try again; if it fails again, the file may be damaged."
)


def warm_up() -> None:
    """Listen to a click once: what is loaded and made ready for the first listening, no musician waits for."""
    clicks = np.zeros(RATE * 4, np.float32)
    clicks[:: RATE // 2] = 0.5
    try:
        hear(clicks, RATE)
    except Exception:
        # Each job will say for itself what is wrong.
        log.exception("warming up")


class Worker:
    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        database = Database(settings.database)
        self.jobs, self.pockets, self.audio = JobStore(database), PocketStore(database), AudioStore(settings.audio)
        self.queue, self.enqueue = open_queue(settings, self.run)

    def recover(self) -> None:
        """Take up what a killed worker left. Uploads whose job is over are removed."""
        self.queue.storage.flush_queue()
        self.audio.clear_parts()
        waiting = self.jobs.recover()
        for job_id in waiting:
            self.enqueue(job_id)
        self._bring_in_takes()
        self._listen_to_the_old(waiting)
        for left in self.settings.uploads.glob("*"):
            row = self.jobs.get(left.stem)
            old = time.time() - left.stat().st_mtime > 3600
            if (row is not None and row.state not in ("queued", "running")) or (row is None and old):
                left.unlink(missing_ok=True)

    def serve(self) -> None:
        """Work until the process is told to stop."""
        self.recover()
        warm_up()
        consumer = self.queue.create_consumer(workers=1, periodic=False, initial_delay=POLL_S, max_delay=POLL_S, backoff=1.0)
        consumer.run()

    def run(self, job_id: str) -> None:
        row = self.jobs.start(job_id)
        if row is None:
            return
        try:
            message = _KINDS[row.kind](self, row, self._reporter(job_id))
        except Cancelled:
            self.jobs.finish(job_id, "cancelled", "Cancelled; nothing was added.")
        except (BadAudio, Refusal) as error:
            self.jobs.finish(job_id, "failed", str(error))
        except NoSuchPocket:
            self.jobs.finish(job_id, "failed", "The pocket it was meant for is gone.")
        except Exception:
            log.exception("job %s", job_id)
            self.jobs.finish(job_id, "failed", _OUR_FAULT)
        else:
            self.jobs.finish(job_id, "done", message)
        (self.settings.uploads / job_id).unlink(missing_ok=True)

    def _reporter(self, job_id: str) -> Report:
        last = 0.0

        def report(progress: float, step: str) -> None:
            nonlocal last
            now = time.monotonic()
            if now - last >= _REPORT_EVERY_S:
                last = now
                if self.jobs.report(job_id, progress, step):
                    raise Cancelled

        return report

    def _import(self, row: JobRow, report: Report) -> str:
        if self.pockets.has_gesture(row.pocket, row.id):
            return ""  # The worker died between adding the find and saying so.
        detail = json.loads(row.detail)
        path = self.settings.uploads / row.id
        if not path.exists():
            raise BadAudio("The uploaded file is no longer there. Add it again.")
        if shutil.disk_usage(self.settings.data).free < path.stat().st_size:
            log.warning("little room left on the disk for %s", path)
        added = import_file(path, detail["name"], self.audio, self.settings.most_minutes, report, self.settings.headroom)
        self.pockets.edit(row.pocket, None, added, self.audio, gesture=row.id, author="import")
        return " ".join(added.origin.notes)

    def _listen(self, row: JobRow, report: Report) -> str:
        audio = json.loads(row.detail)["audio"]
        if self.audio.is_stale(audio):
            listen_again(audio, self.audio, report)
        return ""

    def _clean(self, row: JobRow, report: Report) -> str:
        if self.pockets.has_gesture(row.pocket, row.id):
            return ""
        detail = json.loads(row.detail)
        source = self.pockets.load(row.pocket).pocket.sources.get(detail["source"])
        if source is None:
            raise BadAudio("The find to clean is no longer in the pocket.")
        added = print_clean(source, Cleaning.model_validate(detail["cleaning"]), self.audio, report)
        self.pockets.edit(row.pocket, None, added, self.audio, gesture=row.id, author="print")
        return ""

    def _bring_in_takes(self) -> None:
        """Recordings that were broken off, by a crash of the tab or of ours, become finds: what was played is not lost."""
        takes = TakeStore(self.settings.takes)
        for take in takes.left(_ABANDONED_S):
            try:
                # One that had ended has its job already, which bears its name.
                if self.jobs.get(take) is None:
                    about = takes.about(take)
                    name = f"{about['name']}, broken off"[:80]
                    takes.write(take, self.settings.uploads / take)
                    self.jobs.create(about["pocket"], "import", name, {"name": f"{name}.wav"}, take)
                    self.enqueue(take)
                takes.let_go(take)
            except Exception:
                # On a full disk it stays what it is until the next start, and all else goes on.
                log.exception("take %s was not brought in", take)

    def _listen_to_the_old(self, waiting: list[str]) -> None:
        """Finds that were heard by an older program are heard again, one job each."""
        rows = [self.jobs.get(job) for job in waiting]
        asked = {json.loads(row.detail).get("audio") for row in rows if row is not None}
        for entry in self.pockets.listing():
            for source in self.pockets.load(entry.id).pocket.sources.values():
                if source.audio not in asked and self.audio.is_stale(source.audio):
                    asked.add(source.audio)
                    self.enqueue(self.jobs.create(entry.id, "listen", source.name, {"audio": source.audio}).id)


_KINDS = {"import": Worker._import, "listen": Worker._listen, "clean": Worker._clean}
