"""Finds that fit: in the pocket's tempo and key, and beside the finds that they belong to."""

from __future__ import annotations

import numpy as np
from flask import Response, abort
from pydantic import BaseModel, Field

from grainpocket.core.listen.measures.alignment import align
from grainpocket.core.pocket import RATE, Source
from grainpocket.core.shape.fit import Fit, fit_of, fitted
from grainpocket.core.sound.audio import mono, planar
from grainpocket.web.answers import json_of, pcm_of
from grainpocket.web.listen import SourcePath
from grainpocket.web.pockets import desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import Problem, StretchPath
from grainpocket.web.stretches import checked

api = routes("fitting")
LONGEST_S = 60


def _source(path: SourcePath) -> Source:
    source = desk().pockets.load(path.pocket).pocket.sources.get(path.source)
    if source is None:
        abort(404, "That find is not in the pocket.")
    return source


class FitQuery(BaseModel):
    tempo: bool = False
    key: bool = False


class FitReply(BaseModel):
    """speed: times as fast; semitones: up, cents and all; null where find or pocket have no tempo or no key."""

    speed: float | None
    semitones: float | None


@api.get("/pockets/<pocket>/sources/<source>/fit", responses={200: FitReply, 404: Problem})
def source_fit(path: SourcePath, query: FitQuery) -> Response:
    """What has to be done to a find so that it fits the pocket."""
    source = _source(path)
    heard = desk().audio.hearing(source.audio)
    fit = fit_of(source, heard.keys, heard.cents, desk().pockets.load(path.pocket).pocket, query.tempo, query.key)
    return json_of(FitReply(speed=fit.speed, semitones=fit.semitones))


class FittedQuery(BaseModel):
    speed: float = Field(default=1.0, ge=0.25, le=4.0)
    semitones: float = Field(default=0.0, ge=-12.0, le=12.0)


@api.get("/audio/<audio>/fitted/<int:start>/<int:end>", responses={404: Problem, 422: Problem})
def audio_fitted(path: StretchPath, query: FittedQuery) -> Response:
    """A stretch at another speed and pitch, as planar stereo float32."""
    checked(path, LONGEST_S, f"Choose at most {LONGEST_S} s: select a stretch of the find first.")
    sound = desk().audio.read(path.audio, path.start, path.end)
    return pcm_of(planar(fitted(sound, RATE, Fit(query.speed, query.semitones))))


class KinPath(SourcePath):
    other: str


class KinReply(BaseModel):
    """offset: sample of the other find at which this one begins; likeness: 0..1; related: whether they belong together; part:
    whether this one is the part, and the other the whole: it has less in it."""

    offset: int
    likeness: float
    related: bool
    part: bool


@api.get("/pockets/<pocket>/sources/<source>/kinship/<other>", responses={200: KinReply, 404: Problem, 422: Problem})
def kinship(path: KinPath) -> Response:
    """How a find lies against another, as a stem against its mix."""
    source = _source(path)
    other = _source(SourcePath(pocket=path.pocket, source=path.other))
    whole, part = (mono(desk().audio.read(s.audio, 0, s.frames)) for s in (other, source))
    found = align(whole, part, RATE)
    if found is None:
        abort(422, "One of the two is silent or too short to compare.")
    part_of = float(np.mean(part.astype(np.float64) ** 2)) <= float(np.mean(whole.astype(np.float64) ** 2))
    return json_of(KinReply(offset=found.offset, likeness=found.likeness, related=found.related, part=part_of))
