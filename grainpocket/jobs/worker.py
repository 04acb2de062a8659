"""The worker process: takes jobs from the queue and carries them out, one at a time in each lane."""

from __future__ import annotations

import json
import logging
import shutil
import threading
import time
from collections.abc import Mapping
from typing import Any

import numpy as np
from sqlalchemy.exc import DBAPIError

from grainpocket.core.edits import Refusal
from grainpocket.core.listen.hearing import hear
from grainpocket.core.pocket import RATE, Part, Pocket, Recipe
from grainpocket.core.restore.restore import Cleaning
from grainpocket.core.sound.audio import BadAudio, Samples
from grainpocket.core.split.contract import Misfit
from grainpocket.core.split.engines import ENGINES
from grainpocket.jobs.cleaning import print_clean
from grainpocket.jobs.importing import Cancelled, Report, import_file, listen_again
from grainpocket.jobs.leaking import MovedLeak, move_leak
from grainpocket.jobs.queue import POLL_S, Queues
from grainpocket.jobs.rendering import Export, print_sound, write_export
from grainpocket.jobs.saving import Saving, save
from grainpocket.jobs.splitting import Balance, Splitting, print_balance, split
from grainpocket.settings import Settings
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.jobs import OPEN, JobStore
from grainpocket.store.models import JobRow
from grainpocket.store.networks import Models
from grainpocket.store.packing import Unsound
from grainpocket.store.pockets import BIN_DAYS, NoSuchPocket, PocketStore, Unreadable
from grainpocket.store.room import NoRoom, has_no_room, is_full
from grainpocket.store.takes import TakeStore
from grainpocket.store.tidying import tidy

log = logging.getLogger("grainpocket.worker")
_REPORT_EVERY_S, _ABANDONED_S = 0.1, 30.0
RECONCILE_S = 1.0  # how often rows and queue are compared
_TIDY_S = 24 * 3600.0  # how often what is long past is thinned
_SWEEP_S = 60.0  # how often uploads that nobody waits for are looked for
_LEFT_S = 300.0  # an upload without a job that is older than this was left by a killed process
_EXPORT_S = 24 * 3600.0  # an exported file is kept so long after it was made, to be fetched once more
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
        self.database = Database(settings.database)
        self.jobs, self.pockets, self.audio = (
            JobStore(self.database),
            PocketStore(self.database),
            AudioStore(settings.audio, "worker"),
        )
        self.queues = Queues(settings, self.run)
        self._busy: set[str] = set()
        # Ends that could not be written yet, as on a full disk: (state, message) by job.
        self._ends: dict[str, tuple[str, str]] = {}

    def recover(self) -> None:
        """Take up what a killed worker left. What cannot be done now, as on a full disk, is done by `reconcile` later."""
        for step in (self.queues.empty, self.audio.clear_parts, self.reconcile, self._bring_in_takes):
            try:
                step()
            except Exception:
                log.exception("at the start")
        try:
            self._listen_to_the_old()
        except Exception:
            log.exception("listening again")
        self.sweep()

    def reconcile(self) -> None:
        """Compare rows and queue: write ends that are still to be written, and hand over what waits in no queue."""
        for job_id, (state, message) in list(self._ends.items()):
            self._write_end(job_id, state, message)
        queued = self.queues.waiting()
        for job_id in self.jobs.recover({*self._busy, *self._ends}):
            if job_id not in queued:
                row = self.jobs.get(job_id)
                self.queues.hand_over(job_id, row.kind if row is not None else "import")

    def sweep(self) -> None:
        """Remove uploads that no job waits for, and pockets that have been in the bin for long enough."""
        self.pockets.empty_bin(BIN_DAYS * 24 * 3600.0)
        for old_export in self.settings.exports.glob("*"):
            if time.time() - old_export.stat().st_mtime > _EXPORT_S:
                old_export.unlink(missing_ok=True)
        for left in self.settings.uploads.glob("*"):
            row = self.jobs.get(left.stem)
            try:
                old = time.time() - left.stat().st_mtime > _LEFT_S
            except FileNotFoundError:
                continue
            if (row is not None and row.state not in OPEN) or (row is None and old):
                left.unlink(missing_ok=True)

    def _keep_in_step(self) -> None:
        swept = time.monotonic()
        tidied = -_TIDY_S
        while True:
            time.sleep(RECONCILE_S)
            try:
                self.reconcile()
                if time.monotonic() - swept > _SWEEP_S:
                    swept = time.monotonic()
                    self.sweep()
                if swept - tidied > _TIDY_S:
                    tidied = swept
                    tidy(self.database)
            except Exception:
                log.exception("reconciling")

    def serve(self) -> None:
        """Work until the process is told to stop."""
        self.recover()
        threading.Thread(target=self._keep_in_step, daemon=True, name="reconcile").start()
        warm_up()
        how = {"workers": 1, "periodic": False, "initial_delay": POLL_S, "max_delay": POLL_S, "backoff": 1.0}
        # One thread for each lane; the second lane's lives as long as this process.
        self.queues.asked.create_consumer(**how).start()
        self.queues.bringing.create_consumer(**how).run()

    def run(self, job_id: str) -> None:
        self._busy.add(job_id)
        try:
            row = self.jobs.start(job_id)
            if row is not None:
                state, message = self._carried_out(row)
                self._ends[job_id] = state, message
                self._write_end(job_id, state, message)
        finally:
            self._busy.discard(job_id)

    def _carried_out(self, row: JobRow) -> tuple[str, str]:
        """(how a job ended, what to say of it)."""
        try:
            return "done", _KINDS[row.kind](self, row, self._reporter(row.id))
        except Cancelled:
            return "cancelled", "Cancelled; nothing was added."
        except (BadAudio, Refusal) as error:
            return "failed", str(error)
        except NoSuchPocket:
            return "failed", "The pocket it was meant for is gone."
        except (Unreadable, Unsound):
            log.exception("job %s", row.id)
            return "failed", "The pocket it was meant for cannot be opened. Open the pocket to see what to do."
        except Exception as error:
            log.exception("job %s", row.id)
            return "failed", str(NoRoom()) if is_full(error) or has_no_room(self.settings.data) else _OUR_FAULT

    def _write_end(self, job_id: str, state: str, message: str) -> None:
        try:
            self.jobs.finish(job_id, state, message)
        except DBAPIError:
            log.exception("the end of job %s is written later", job_id)
            return
        # Not before its end is known for good: until then it may have to be done again.
        (self.settings.uploads / job_id).unlink(missing_ok=True)
        self._ends.pop(job_id, None)

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
        there = self.pockets.load(row.pocket).pocket.sources.values()
        if detail.get("parts"):
            parts = tuple(Part.model_validate(part) for part in detail["parts"])
            added = added.model_copy(update={"origin": added.origin.model_copy(update={"parts": parts, "format": "take"})})
        same = next((source for source in there if source.audio == added.audio), None)
        if same is not None and not detail.get("again"):
            self.jobs.note(row.id, {**detail, "found": same.id})
            return f"The very same audio is among the finds, as {same.name}. Nothing was added."
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

    def _print(self, row: JobRow, report: Report) -> str:
        if self.pockets.has_gesture(row.pocket, row.id):
            return ""
        detail = json.loads(row.detail)
        recipe = Recipe.model_validate(detail["recipe"])
        added = print_sound(self._as_asked(row, detail), recipe, self.audio, report)
        self.pockets.edit(row.pocket, None, added, self.audio, gesture=row.id, author="print")
        return ""

    def _split(self, row: JobRow, report: Report) -> str:
        if self.pockets.has_gesture(row.pocket, row.id):
            return ""
        detail = json.loads(row.detail)
        source = self.pockets.load(row.pocket).pocket.sources.get(detail["source"])
        if source is None:
            raise BadAudio("The find to take apart is no longer in the pocket.")
        asked = Splitting.model_validate(detail["splitting"])
        engines = ENGINES if asked.engine in ENGINES else {**ENGINES, **Models(self.settings.models).engines()}
        try:
            added, missing = split(source, asked, self.audio, report, engines, lambda parts: self._first(row, parts))
        except Misfit as error:
            raise BadAudio(f"The model was given up, nothing of it was kept. {error}") from error
        finally:
            (self.settings.exports / f"{row.id}.first.npz").unlink(missing_ok=True)
        self.pockets.edit(row.pocket, None, added, self.audio, gesture=row.id, author="print")
        return f"No {' and no '.join(missing)} in it." if missing else ""

    def _first(self, row: JobRow, parts: Mapping[str, Samples]) -> None:
        """The first seconds of stems, to be heard while the rest is made."""
        path = self.settings.exports / f"{row.id}.first.npz"
        path.parent.mkdir(parents=True, exist_ok=True)
        part = path.with_suffix(".part")
        try:
            with part.open("wb") as file:
                arrays: dict[str, Any] = {name: np.ascontiguousarray(sound, np.float32) for name, sound in parts.items()}
                np.savez(file, **arrays)
            part.rename(path)
        except OSError:
            # They are only heard sooner; a full disk is told by the stems themselves.
            log.warning("the first seconds of %s were not kept", row.id)
        finally:
            part.unlink(missing_ok=True)

    def _leak(self, row: JobRow, report: Report) -> str:
        if self.pockets.has_gesture(row.pocket, row.id):
            return ""
        detail = json.loads(row.detail)
        pocket = self.pockets.load(row.pocket).pocket
        swap = move_leak(pocket, detail["source"], MovedLeak.model_validate(detail["leak"]), self.audio, report)
        self.pockets.edit(row.pocket, None, swap, self.audio, gesture=row.id, author="print")
        return ""

    def _save(self, row: JobRow, report: Report) -> str:
        detail = json.loads(row.detail)
        saving = Saving.model_validate(detail["saving"])
        path = self.settings.exports / f"{row.id}.{saving.suffix}"
        save(self.pockets.load(row.pocket).pocket, saving, self.audio, path, report)
        self.jobs.note(row.id, {**detail, "file": path.name})
        return ""

    def _balance(self, row: JobRow, report: Report) -> str:
        if self.pockets.has_gesture(row.pocket, row.id):
            return ""
        detail = json.loads(row.detail)
        pocket = self.pockets.load(row.pocket).pocket
        root = pocket.sources.get(detail["source"])
        if root is None:
            raise BadAudio("The record of those stems is no longer in the pocket.")
        added = print_balance(pocket, root, Balance.model_validate(detail["balance"]), self.audio, report)
        self.pockets.edit(row.pocket, None, added, self.audio, gesture=row.id, author="print")
        return ""

    def _export(self, row: JobRow, report: Report) -> str:
        """What was asked for is what the pocket was then: an edit made while it waited is not in it."""
        detail = json.loads(row.detail)
        export = Export.model_validate(detail["export"])
        pocket = self._as_asked(row, detail)
        path = self.settings.exports / f"{row.id}.{export.format}"
        written, loudness = write_export(pocket, export, self.audio, path, report)
        over = float(np.ceil((written.peak_db or 0.0) * 10) / 10) if written.clipped else None
        self.jobs.note(row.id, {**detail, "file": path.name, "over_db": over})
        peak = "silence" if written.peak_db is None else f"peak {written.peak_db:.1f} dBFS"
        if loudness.true_peak_db is not None and loudness.lufs is not None:
            peak += f", true peak {loudness.true_peak_db:.1f} dBTP, {loudness.lufs:.1f} LUFS"
        if over is not None:
            return f"{written.clipped} samples go over full scale, by {over:.1f} dB at the most ({peak}). A file cannot hold them."
        state = f" As the pocket was after “{detail['after']}”." if detail.get("after") else ""
        return f"{written.frames / pocket.rate:.1f} s, {peak}.{state}"

    def _as_asked(self, row: JobRow, detail: Mapping[str, Any]) -> Pocket:
        """The pocket as it was when the job was asked for."""
        version = detail.get("version")
        return self.pockets.load(row.pocket).pocket if version is None else self.pockets.at_version(row.pocket, version)

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
                    self.queues.hand_over(take)
                takes.let_go(take)
            except Exception:
                # On a full disk it stays what it is until the next start, and all else goes on.
                log.exception("take %s was not brought in", take)

    def _listen_to_the_old(self) -> None:
        """Finds that were heard by an older program are heard again, one job each."""
        rows = [self.jobs.get(job) for job in self.jobs.recover(self._busy)]
        asked = {json.loads(row.detail).get("audio") for row in rows if row is not None}
        for entry in self.pockets.listing():
            try:
                sources = self.pockets.load(entry.id).pocket.sources.values()
            except (Unreadable, NoSuchPocket):
                # Its own matter: what is wrong with one pocket stops no other.
                continue
            for source in sources:
                if source.audio not in asked and self.audio.is_stale(source.audio):
                    asked.add(source.audio)
                    job = self.jobs.create(entry.id, "listen", source.name, {"audio": source.audio})
                    self.queues.hand_over(job.id, job.kind)


_KINDS = {
    "import": Worker._import,
    "listen": Worker._listen,
    "clean": Worker._clean,
    "print": Worker._print,
    "split": Worker._split,
    "balance": Worker._balance,
    "leak": Worker._leak,
    "save": Worker._save,
    "export": Worker._export,
}
