"""Rendered sound by key, and files out."""

import re
from typing import Literal

import numpy as np
from flask import Response, abort
from pydantic import BaseModel, Field

from grainpocket.core.export.wav import wav24
from grainpocket.core.sound.audio import Audio, db_of
from grainpocket.jobs.rendering import Export, mix_of
from grainpocket.web.answers import pcm_of
from grainpocket.web.pockets import PatternPath, desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import Problem

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
    # Letters of all scripts stay (RFC 5987 says how they travel); what no file system takes does not.
    name = re.sub(r'[\x00-\x1f\x7f/\\:*?"<>|]+', "_", f"{pocket.name} - {pocket.patterns[path.pattern].name}").strip(" .")
    response.headers.set("Content-Disposition", "attachment", filename=f"{name}.wav")
    response.headers["X-Peak-dB"] = f"{db_of(peak):.2f}"
    response.headers["X-Clipped"] = str(int((abs(samples) > 1.0).sum()))
    response.headers["Cache-Control"] = "no-store"
    return response
