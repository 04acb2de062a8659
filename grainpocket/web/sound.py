"""Rendered sound by key, and files out."""

from typing import Literal

import numpy as np
from flask import Response, abort
from pydantic import BaseModel, Field

from grainpocket.core.export.oneshots import packed, trimmed, voice_of
from grainpocket.core.export.wav import wav24
from grainpocket.core.sound.audio import Audio, db_of
from grainpocket.core.text import file_name
from grainpocket.jobs.rendering import Export, mix_of
from grainpocket.web.answers import pcm_of
from grainpocket.web.pockets import PatternPath, desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import PocketPath, Problem

api = routes("sound")


MOST_AT_ONCE = 16
MOST_S = 5 * 60


class KeyPath(BaseModel):
    key: str = Field(description=f"Up to {MOST_AT_ONCE} keys, joined by dots")


class ExportQuery(BaseModel):
    ending: Literal["loop", "tail"] = Field(default="loop", description="loop: joins itself without a seam; tail: rings out")
    passes: int = Field(default=1, ge=1, le=64)


@api.get("/sound/<key>", responses={404: Problem})
def rendered(path: KeyPath) -> Response:
    """Voices or segments, named by the keys that a plan gave them, one after the other. Each is its left samples and then
    its right ones, as little-endian float32."""
    keys = path.key.split(".")
    if len(keys) > MOST_AT_ONCE:
        abort(404, "Ask for fewer sounds at once.")
    return pcm_of(b"".join(desk().sound(key) for key in keys))


@api.get("/pockets/<pocket>/export/<pattern>.wav", responses={404: Problem, 422: Problem})
def export_loop(path: PatternPath, query: ExportQuery) -> Response:
    """The loop of a pattern as 24-bit WAV. X-Peak-dB says how loud its loudest sample is, X-Clipped how many lie beyond
    full scale (and were clipped)."""
    pocket = desk().pockets.load(path.pocket).pocket
    if path.pattern not in pocket.patterns:
        abort(404, "That pattern is no longer in the pocket.")
    asked = Export(what=path.pattern, ending=query.ending, passes=query.passes)
    mix, times = mix_of(pocket, asked, desk().renderer, desk().heard.pieces)
    if times * mix.length > MOST_S * pocket.rate:
        abort(422, f"That would be longer than {MOST_S // 60} minutes. Ask for a file, which is written by and by.")
    samples = np.tile(np.concatenate(list(mix.written())), (times, 1))
    peak = float(abs(samples).max()) if len(samples) else 0.0
    response = Response(wav24(Audio(samples, pocket.rate)), mimetype="audio/wav")
    # Letters of all scripts stay: RFC 5987 says how they travel.
    name = file_name(f"{pocket.name} - {pocket.patterns[path.pattern].name}")
    response.headers.set("Content-Disposition", "attachment", filename=f"{name}.wav")
    response.headers["X-Peak-dB"] = f"{db_of(peak):.2f}"
    response.headers["X-Clipped"] = str(int((abs(samples) > 1.0).sum()))
    response.headers["Cache-Control"] = "no-store"
    return response


class OneShotsQuery(BaseModel):
    pads: str = Field(pattern=r"^\d{1,4}(,\d{1,4})*$", max_length=400, description="Pads, joined by commas")


@api.get("/pockets/<pocket>/oneshots", responses={404: Problem, 422: Problem})
def export_pads(path: PocketPath, query: OneShotsQuery) -> Response:
    """Pads as 24-bit one-shots: one as a WAV file, several as a ZIP of them."""
    pocket = desk().pockets.load(path.pocket).pocket
    pads = [int(pad) for pad in query.pads.split(",")]
    if any(pad not in pocket.pads for pad in pads):
        abort(404, "One of those pads is empty.")
    specs = {pad: voice_of(pocket, pad) for pad in pads}
    if sum(spec.length for spec in specs.values()) > MOST_S * pocket.rate:
        abort(422, f"Together they would be longer than {MOST_S // 60} minutes. Choose fewer.")
    sounds = [
        (pocket.pads[pad].called, trimmed(desk().renderer.voice(spec), spec.lead(pocket.rate))) for pad, spec in specs.items()
    ]
    if len(sounds) == 1:
        name, data, kind = f"{file_name(sounds[0][0])}.wav", wav24(Audio(sounds[0][1], pocket.rate)), "audio/wav"
    else:
        name, data, kind = f"{file_name(pocket.name)} - pads.zip", packed(sounds, pocket.rate), "application/zip"
    response = Response(data, mimetype=kind)
    response.headers.set("Content-Disposition", "attachment", filename=name)
    response.headers["Cache-Control"] = "no-store"
    return response
