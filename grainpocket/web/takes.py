"""Recording from a line input: a take comes in second by second, so that a crash of the tab loses at most the last one."""

from __future__ import annotations

import uuid

import numpy as np
import soundfile as sf
from flask import Response, abort, request
from pydantic import BaseModel, Field

from grainpocket.core.lineage import merged, parts_of_pads, parts_of_stretch
from grainpocket.core.pocket import MOST_PADS, RATE, Part
from grainpocket.jobs.importing import clean_name
from grainpocket.store.takes import TakeStore
from grainpocket.web.answers import json_of
from grainpocket.web.full import DiskFull, is_full
from grainpocket.web.pockets import desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import Job, PocketPath, Problem, job_reply

api = routes("takes")
# A recording that goes on has a block every second, and tries again when one is lost.
RESTING_S = 10.0
FULL = "The disk is full: the recording stops here. What was recorded before is kept."
NOT_IN = "The disk is full: what was recorded is kept, and not yet among the finds. Free some space and bring it in again."


class NewTake(BaseModel):
    name: str = Field(min_length=1, max_length=80)
    rate: int = Field(default=RATE, ge=8000, le=192000)


class Take(BaseModel):
    """frames: how many are on disk."""

    id: str
    frames: int


class WaitingTake(BaseModel):
    """What was recorded and is not yet a find."""

    id: str
    name: str
    seconds: float


class WaitingTakes(BaseModel):
    takes: list[WaitingTake]


class EndQuery(BaseModel):
    """What sounded while the pocket's own sound was recorded: for its lineage."""

    pads: list[int] = Field(default=[], max_length=MOST_PADS)
    patterns: list[str] = Field(default=[], max_length=1000)
    sources: list[str] = Field(default=[], max_length=1000)


class TakePath(PocketPath):
    take: str = Field(pattern=r"^[0-9a-f]{32}$")


def _takes() -> TakeStore:
    return TakeStore(desk().settings.takes)


@api.post("/pockets/<pocket>/takes", responses={201: Take, 404: Problem, 507: Problem})
def begin_take(path: PocketPath, body: NewTake) -> Response:
    """Begin to record. Stereo float32 blocks follow."""
    desk().pockets.load(path.pocket)
    take = uuid.uuid4().hex
    with _Room(FULL):
        _takes().begin(take, path.pocket, clean_name(body.name, 80) or "Take", body.rate)
    return json_of(Take(id=take, frames=0), 201)


@api.get("/pockets/<pocket>/takes", responses={200: WaitingTakes, 404: Problem})
def waiting_takes(path: PocketPath) -> Response:
    """Recordings that were never brought in, oldest first; not those that are still going on."""
    desk().pockets.load(path.pocket)
    found = _takes().waiting(path.pocket, RESTING_S)
    return json_of(WaitingTakes(takes=[WaitingTake(id=take, name=name, seconds=seconds) for take, name, seconds in found]))


@api.post("/pockets/<pocket>/takes/<take>/blocks", responses={200: Take, 404: Problem, 413: Problem, 507: Problem})
def add_block(path: TakePath) -> Response:
    """The next stretch: interleaved stereo float32, little-endian, is the body."""
    data = request.get_data()
    if len(data) % 8:
        abort(422, "A block is whole frames of two float32 each.")
    most = int(desk().settings.most_minutes * 60 * RATE)
    with _Room(FULL):
        frames = _takes().add(path.take, np.frombuffer(data, "<f4").reshape(-1, 2), most)
    return json_of(Take(id=path.take, frames=frames))


@api.post("/pockets/<pocket>/takes/<take>/end", responses={202: Job, 404: Problem, 422: Problem, 507: Problem})
def end_take(path: TakePath, query: EndQuery) -> Response:
    """No more: the take becomes a find. The answer is the job that brings it in."""
    takes, jobs = _takes(), desk().jobs
    # The job has the take's own name: asked twice, or again after an answer that got lost, it is the same job.
    row = jobs.get(path.take)
    if row is None:
        with _Room(NOT_IN):
            about = takes.about(path.take)
            parts = [part.model_dump() for part in _lineage(about["pocket"], query)]
            detail = {"name": f"{about['name']}.wav", "again": True, "parts": parts}
            upload = desk().settings.uploads / path.take
            try:
                takes.write(path.take, upload)
                row = jobs.create(about["pocket"], "import", about["name"], detail, path.take)
            except Exception:
                # The take itself is still there, and no job will ever take this copy of it.
                upload.unlink(missing_ok=True)
                raise
        desk().enqueue(row.id)
    # Not before a job will bring it in: whatever happens until then, the take is there.
    takes.let_go(path.take)
    return json_of(job_reply(row), 202)


def _lineage(pocket_id: str, query: EndQuery) -> tuple[Part, ...]:
    """The stretches of records that were heard while it was recorded."""
    if not (query.pads or query.patterns or query.sources):
        return ()
    pocket = desk().pockets.load(pocket_id).pocket
    struck = set(query.pads)
    for key in query.patterns:
        struck |= {hit.pad for hit in pocket.patterns[key].hits} if key in pocket.patterns else set()
    found = list(parts_of_pads(pocket, [pocket.pads[index] for index in sorted(struck) if index in pocket.pads]))
    for key in query.sources:
        if key in pocket.sources:
            found += parts_of_stretch(pocket.sources[key], 0, pocket.sources[key].frames)
    return merged(found)


class _Room:
    """A full disk, said plainly: what it means for the take."""

    def __init__(self, meaning: str) -> None:
        self._meaning = meaning

    def __enter__(self) -> None:
        return None

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: object) -> None:
        if is_full(error) or isinstance(error, sf.LibsndfileError):
            raise DiskFull(self._meaning)
