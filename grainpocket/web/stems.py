"""Stems as they are worked on: their leaks, what lies where in them, the first seconds while they are made, and files of them."""

from __future__ import annotations

import io

import numpy as np
from flask import Response, abort
from pydantic import BaseModel, Field

from grainpocket.core.edits.base import Refusal
from grainpocket.core.pocket import RATE
from grainpocket.core.sound.audio import planar, stereo
from grainpocket.core.split.leaks import Leak, Region
from grainpocket.core.split.picture import HIGH_HZ, LOW_HZ, picture
from grainpocket.jobs.leaking import MovedLeak, taken
from grainpocket.jobs.saving import Saving
from grainpocket.web.answers import FOREVER, json_of, pcm_of
from grainpocket.web.pockets import desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import AudioPath, Job, PocketPath, Problem, job_reply
from grainpocket.web.split import SplitPath

api = routes("stems")
MOST_SEEN_S = 60


class LeakReply(BaseModel):
    """leak: null for what is no stem of ours."""

    leak: Leak | None


@api.get("/audio/<audio>/leak", responses={200: LeakReply, 404: Problem})
def audio_leak(path: AudioPath) -> Response:
    """How much of a stem is not its own, as far as its fellows tell."""
    text = desk().audio.leak(path.audio)
    response = json_of(LeakReply(leak=Leak.model_validate_json(text) if text else None))
    response.headers["Cache-Control"] = FOREVER
    return response


class SeenPath(AudioPath):
    start: int = Field(ge=0)
    end: int = Field(ge=1)
    columns: int = Field(ge=1, le=1200)


@api.get("/audio/<audio>/seen/<int:start>/<int:end>/<int:columns>", responses={404: Problem, 422: Problem})
def audio_seen(path: SeenPath) -> Response:
    """What is where between two samples, from 40 Hz to 16 kHz: bytes, row by row from the lowest, 255 the loudest."""
    if not path.start < path.end <= desk().audio.frames(path.audio) or path.end - path.start > MOST_SEEN_S * RATE:
        abort(422, f"At most {MOST_SEEN_S} s inside the find can be seen at once.")
    made = picture(desk().audio.read(path.audio, path.start, path.end), RATE, path.columns)
    response = pcm_of(made.tobytes())
    response.headers["X-Low-Hz"], response.headers["X-High-Hz"] = str(LOW_HZ), str(HIGH_HZ)
    return response


@api.get("/audio/<audio>/lifted", responses={404: Problem, 422: Problem})
def leak_heard(path: AudioPath, query: Region) -> Response:
    """How what a region would lift out of a stem sounds, as planar stereo float32."""
    try:
        first, sound = taken(path.audio, query, desk().audio)
    except Refusal as error:
        abort(422, str(error))
    return pcm_of(planar(np.asarray(stereo(sound)[query.start - first : query.end - first], np.float32)))


@api.post("/pockets/<pocket>/sources/<source>/leak", responses={202: Job, 404: Problem})
def move(path: SplitPath, body: MovedLeak) -> Response:
    """Move what lies in a region of a stem to another, or throw it away. The answer is the job that does it."""
    source = desk().pockets.load(path.pocket).pocket.sources.get(path.source)
    if source is None:
        abort(404, "That stem is not in the pocket.")
    row = desk().jobs.create(path.pocket, "leak", f"Leak of {source.name}", {"source": source.id, "leak": body.model_dump()})
    desk().enqueue(row.id, row.kind)
    return json_of(job_reply(row), 202)


@api.post("/pockets/<pocket>/saved", responses={202: Job, 404: Problem})
def save_finds(path: PocketPath, body: Saving) -> Response:
    """Finds as files: one as it is, several in a ZIP. The answer is the job that writes it; it waits under /jobs/<job>/file."""
    pocket = desk().pockets.load(path.pocket).pocket
    if any(key not in pocket.sources for key in body.sources):
        abort(404, "One of those finds is not in the pocket.")
    first = pocket.sources[body.sources[0]]
    name = first.name if len(body.sources) == 1 else f"{pocket.name} - stems"
    row = desk().jobs.create(path.pocket, "save", name, {"saving": body.model_dump(), "name": name})
    desk().enqueue(row.id, row.kind)
    return json_of(job_reply(row), 202)


class FirstPath(BaseModel):
    job: str = Field(pattern=r"^[0-9a-f]{32}$")


class FirstPartPath(FirstPath):
    part: str = Field(max_length=24)


class FirstReply(BaseModel):
    """parts: whose beginning can be heard; frames: how much of it."""

    parts: list[str]
    frames: int


@api.get("/jobs/<job>/first", responses={200: FirstReply})
def first_seconds(path: FirstPath) -> Response:
    """Of which stems the first seconds are there already; of none, when they are not."""
    kept = _first(path.job)
    return json_of(FirstReply(parts=list(kept), frames=len(next(iter(kept.values()))) if kept else 0))


@api.get("/jobs/<job>/first/<part>", responses={404: Problem})
def first_heard(path: FirstPartPath) -> Response:
    """The first seconds of a stem that is being made, as planar stereo float32."""
    kept = _first(path.job)
    if path.part not in kept:
        abort(404, "Those seconds are not there yet.")
    return pcm_of(planar(kept[path.part]))


def _first(job: str) -> dict[str, np.ndarray]:
    try:
        data = (desk().settings.exports / f"{job}.first.npz").read_bytes()
    except FileNotFoundError:
        return {}
    with np.load(io.BytesIO(data)) as kept:
        return {name: np.asarray(kept[name], np.float32) for name in kept.files}
