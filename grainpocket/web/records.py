"""Records of our own that ship with the application: what a pocket can begin with when no file is at hand."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import soundfile
from flask import Response, abort, send_file
from pydantic import BaseModel, Field

from grainpocket.core.sound.audio import planar
from grainpocket.settings import RECORDS
from grainpocket.web.answers import json_of, pcm_of
from grainpocket.web.routes import routes
from grainpocket.web.schemas import Problem

api = routes("records", "finds")
# Heard before it is taken: enough to know it by.
HEARD_S = 20


class RecordInfo(BaseModel):
    name: str
    file: str = Field(description="The file's name, with its ending")
    seconds: float
    frames: int = Field(description="Of what is heard before it is taken")


class RecordList(BaseModel):
    records: list[RecordInfo]


class RecordPath(BaseModel):
    name: str


def _file(name: str) -> Path:
    # From the list, never from the path that was asked for.
    return next((file for file in RECORDS.glob("*.flac") if file.stem == name), None) or abort(404, "There is no such record.")


@api.get("/records", responses={200: RecordList})
def records() -> Response:
    """The records that ship with the application, shortest first."""
    found = []
    for file in RECORDS.glob("*.flac"):
        info = soundfile.info(file)
        heard = min(info.frames, HEARD_S * info.samplerate)
        found.append(RecordInfo(name=file.stem, file=file.name, seconds=info.duration, frames=heard))
    return json_of(RecordList(records=sorted(found, key=lambda one: one.seconds)))


@api.get("/records/<name>/file", responses={404: Problem})
def record_file(path: RecordPath) -> Response:
    """The record itself, as a FLAC file."""
    return send_file(_file(path.name), mimetype="audio/flac")


@api.get("/records/<name>/sound", responses={404: Problem})
def record_sound(path: RecordPath) -> Response:
    """Its beginning as planar stereo float32, 20 s at the most."""
    with soundfile.SoundFile(_file(path.name)) as file:
        sound = file.read(HEARD_S * file.samplerate, dtype="float32", always_2d=True)
    return pcm_of(planar(np.ascontiguousarray(sound)))
