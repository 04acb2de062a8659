"""Cleaning: what is wrong with a find, how it sounds without it, and printing that."""

from __future__ import annotations

import functools
from typing import Literal

import numpy as np
from flask import Response, abort
from pydantic import BaseModel

from grainpocket.core.params import of
from grainpocket.core.pocket import RATE
from grainpocket.core.restore.restore import Cleaning, Survey, clean, survey
from grainpocket.core.sound.audio import Samples, planar
from grainpocket.web.answers import json_of, pcm_of
from grainpocket.web.listen import SourcePath
from grainpocket.web.pockets import desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import AudioPath, Job, Problem, StretchPath, job_reply
from grainpocket.web.stretches import checked

api = routes("restore")
LONGEST_S = 30


class HumReply(BaseModel):
    """hz: of the mains; overtones: how many of its multiples are heard; level_db: dBFS."""

    hz: float
    overtones: int
    level_db: float


class SurveyReply(BaseModel):
    """clicks: a minute; hiss_db: its level, dBFS, null when it cannot be heard."""

    clicks: float
    hum: HumReply | None
    hiss_db: float | None


@functools.lru_cache(maxsize=32)
def _survey(audio: str) -> Survey:
    return survey(functools.partial(desk().audio.read, audio), desk().audio.frames(audio), RATE)


@api.get("/audio/<audio>/survey", responses={200: SurveyReply, 404: Problem})
def audio_survey(path: AudioPath) -> Response:
    """What there is to clean in a find."""
    found = _survey(path.audio)
    hum = found.hum and HumReply(hz=found.hum.hz, overtones=len(found.hum.overtones), level_db=found.hum.level_db)
    return json_of(SurveyReply(clicks=found.clicks, hum=hum or None, hiss_db=found.hiss_db))


class CleanQuery(BaseModel):
    clicks: float = of("clean", "clicks").field()
    hum: bool = False
    hiss: float = of("clean", "hiss").field()
    part: Literal["kept", "removed", "original"] = "kept"


@api.get("/audio/<audio>/cleaned/<int:start>/<int:end>", responses={404: Problem, 422: Problem})
def audio_cleaned(path: StretchPath, query: CleanQuery) -> Response:
    """A stretch as its cleaned print will be, or only what is taken out of it, or untouched, as planar stereo float32."""
    frames = checked(path, LONGEST_S, f"Choose at most {LONGEST_S} s to listen to.")

    def read(start: int, end: int) -> Samples:
        return desk().audio.read(path.audio, start, end)

    if query.part == "original":
        return pcm_of(planar(read(path.start, path.end)))
    asked = Cleaning(clicks=query.clicks, hum=query.hum, hiss=query.hiss)
    found = _survey(path.audio)
    kept = clean(read, path.start, path.end, frames, RATE, found, asked)
    if query.part == "removed":
        kept = np.asarray(read(path.start, path.end) - kept, np.float32)
    return pcm_of(planar(kept))


@api.post("/pockets/<pocket>/sources/<source>/clean", responses={202: Job, 404: Problem, 422: Problem})
def print_cleaned(path: SourcePath, body: Cleaning) -> Response:
    """Print a cleaned copy among the finds. The answer is the job that does it."""
    source = desk().pockets.load(path.pocket).pocket.sources.get(path.source)
    if source is None:
        abort(404, "That find is not in the pocket.")
    if body.nothing:
        abort(422, "Nothing is to be taken out: choose clicks, hum or hiss first.")
    row = desk().jobs.create(path.pocket, "clean", f"{source.name}, cleaned", {"source": source.id, "cleaning": body.model_dump()})
    desk().enqueue(row.id, row.kind)
    return json_of(job_reply(row), 202)
