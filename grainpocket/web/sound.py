"""Rendered sound by key, and files out."""

import re
from typing import Literal

import numpy as np
from flask import Response, abort
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from grainpocket.core.export.wav import wav24
from grainpocket.core.rhythm.schedule import schedule
from grainpocket.core.sound.audio import Audio, db_of, gain_of
from grainpocket.web.answers import pcm_of
from grainpocket.web.pockets import PatternPath, desk
from grainpocket.web.schemas import Problem

api = APIBlueprint("sound", __name__, url_prefix="/api", abp_tags=[Tag(name="sound")])


MOST_AT_ONCE = 16


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
    renderer = desk().renderer
    plan = desk().plan(pocket, path.pattern)
    if query.passes * plan.length > 30 * 60 * pocket.rate:
        abort(422, "That would be longer than 30 minutes. Choose fewer repeats.")
    if query.ending == "tail":
        once = schedule(pocket, pocket.patterns[path.pattern], cyclic=False)
        samples = renderer.passes(plan.schedule, once, query.passes)
    else:
        samples = np.tile(renderer.loop(plan), (query.passes, 1))
    if pocket.level:
        samples = samples * gain_of(pocket.level)
    peak = float(abs(samples).max()) if len(samples) else 0.0
    response = Response(wav24(Audio(samples, pocket.rate)), mimetype="audio/wav")
    # Letters of all scripts stay (RFC 5987 says how they travel); what no file system takes does not.
    name = re.sub(r'[\x00-\x1f\x7f/\\:*?"<>|]+', "_", f"{pocket.name} - {pocket.patterns[path.pattern].name}").strip(" .")
    response.headers.set("Content-Disposition", "attachment", filename=f"{name}.wav")
    response.headers["X-Peak-dB"] = f"{db_of(peak):.2f}"
    response.headers["X-Clipped"] = str(int((abs(samples) > 1.0).sum()))
    response.headers["Cache-Control"] = "no-store"
    return response
