"""Plain sounds of our own making, to be heard and brought in like files."""

from __future__ import annotations

from flask import Response, abort
from pydantic import BaseModel

from grainpocket.core.export.wav import wav24
from grainpocket.core.pocket import RATE
from grainpocket.core.sound.audio import Audio
from grainpocket.core.sources.own import OWN, own
from grainpocket.web.answers import json_of
from grainpocket.web.routes import routes
from grainpocket.web.schemas import Problem

api = routes("own", "finds")


class OwnSounds(BaseModel):
    names: list[str]


class OwnPath(BaseModel):
    name: str


@api.get("/own", responses={200: OwnSounds})
def own_sounds() -> Response:
    """What there is: tones at the note in their name, noises, drums."""
    return json_of(OwnSounds(names=list(OWN)))


@api.get("/own/<name>", responses={404: Problem})
def own_file(path: OwnPath) -> Response:
    """One of them as a 24-bit WAV file."""
    if path.name not in OWN:
        abort(404, "There is no such sound.")
    return Response(wav24(Audio(own(path.name, RATE), RATE)), mimetype="audio/wav")
