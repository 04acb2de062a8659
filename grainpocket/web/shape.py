"""Shape: a pad's sound before and after, its voices across the keys, and what is proposed for it."""

from __future__ import annotations

import numpy as np
from flask import Response, abort
from pydantic import BaseModel, Field

from grainpocket.core.document.sound import NEUTRAL
from grainpocket.core.edits.padding import Changes, with_sound
from grainpocket.core.edits.shaping import shift_to_key
from grainpocket.core.listen.tempo.grids import beats_between
from grainpocket.core.pocket import MOST_PADS, RATE, Chop, Pad, Pocket, Source
from grainpocket.core.shape.filters import response_db
from grainpocket.core.shape.loops import one_cycle, proposals
from grainpocket.core.shape.timing import span, timing_of
from grainpocket.core.shape.voice import spec_of
from grainpocket.core.sound.audio import Samples, db_of, planar
from grainpocket.web.answers import json_of, pcm_of
from grainpocket.web.drawings import DrawingReply
from grainpocket.web.pockets import desk, voice_reply
from grainpocket.web.routes import routes
from grainpocket.web.schemas import KeysReply, PocketPath, Problem, Voice

api = routes("shape")
LONGEST_LOOKED_S = 20
PICTURE_HZ = np.geomspace(20, 20000, 160)


class PadPath(PocketPath):
    pad: int = Field(ge=0, lt=MOST_PADS)


class KeysQuery(BaseModel):
    low: int = Field(default=-24, ge=-60, le=60, description="Semitones from the pad's root")
    high: int = Field(default=24, ge=-60, le=60)


@api.get("/pockets/<pocket>/pads/<int:pad>/keys", responses={200: KeysReply, 404: Problem})
def get_keys(path: PadPath, query: KeysQuery) -> Response:
    """The voices of a pad across the keys, each rendered when it is asked for."""
    pocket, pad = _pad(path)
    found = desk().keys(pocket, path.pad, range(query.low, query.high + 1))
    notes = {note: voice_reply(pocket, path.pad, key, spec, None, []) for note, (key, spec) in found.items()}
    return json_of(KeysReply(root=round(pad.sound.root), notes=notes))


class VoiceAsked(BaseModel):
    """sound: settings by name, where null is the default, over those that the pad has; note: semitones from its root; through: as
    it sounds through its bus and the master, which is for the pad itself."""

    sound: Changes = {}
    note: int = Field(default=0, ge=-60, le=60)
    through: bool = False


@api.post("/pockets/<pocket>/pads/<int:pad>/voice", responses={404: Problem, 422: Problem})
def try_voice(path: PadPath, body: VoiceAsked) -> Response:
    """A pad's voice as it would sound with other settings: left samples, then right ones, as little-endian float32. Nothing is
    written: a hand that moves a setting hears it many times a second, beside the edits."""
    pocket, pad = _pad(path)
    tried = pad.model_copy(update={"sound": with_sound(pad.sound, body.sound)})
    response = pcm_of(planar(desk().tried(pocket, path.pad, tried, body.note, body.through)))
    response.headers["Cache-Control"] = "no-store"
    return response


class ShapeReply(BaseModel):
    """raw: the chop as it is in its record; shaped: with all that is set; louder_db: by how much the latter is louder; note, key,
    cents: the pitch that is heard in the chop; shift: semitones to the pocket's key; start, end: the stretch of the source;
    body: samples from the hit to the end of the chop as it sounds, without what its effects ring on; beats: how many the chop
    has on the grid of its source, to a quarter, None without one."""

    raw: Voice
    shaped: Voice
    louder_db: float
    note: str | None
    key: int | None
    cents: float | None
    shift: float | None
    start: int
    end: int
    body: int
    beats: float | None


@api.get("/pockets/<pocket>/pads/<int:pad>/shape", responses={200: ShapeReply, 404: Problem})
def get_shape(path: PadPath) -> Response:
    """A pad's sound before and after."""
    pocket, pad = _pad(path)
    raw_key, raw = desk().raw(pocket, path.pad)
    key, spec = desk().voices(pocket)[path.pad]
    before, after = desk().renderer.voice(raw), desk().renderer.voice(spec)
    source = pocket.sources[pad.chop.source]
    found = desk().facts.pitch(source.audio, pad.chop.start, pad.chop.end)
    first, last = span(spec)
    return json_of(
        ShapeReply(
            raw=voice_reply(pocket, path.pad, raw_key, raw, None, []), shaped=voice_reply(pocket, path.pad, key, spec, None, []),
            louder_db=round(_loud_db(after) - _loud_db(before), 2), note=found.name if found else None,
            key=found.key if found else None, cents=found.cents if found else None,
            shift=shift_to_key(pocket, pad, found, desk().audio), start=first, end=last,
            body=timing_of(spec).body, beats=beats_in(source, pad.chop),
        )
    )  # fmt: skip


class LoopPoint(BaseModel):
    """Milliseconds after the start of the chop; fit: 0..1, how alike its ends are; cycle: whether it is a single wave."""

    start_ms: float
    end_ms: float
    fit: float
    cycle: bool


class LoopsReply(BaseModel):
    loops: list[LoopPoint]


@api.get("/pockets/<pocket>/pads/<int:pad>/loops", responses={200: LoopsReply, 404: Problem})
def get_loops(path: PadPath) -> Response:
    """Where a loop had best begin and end, best first, and a single cycle where there is a pitch."""
    pocket, pad = _pad(path)
    bare = pad.sound.model_copy(update={name: getattr(NEUTRAL, name) for name in ("pitch", "time", "level", "chain")})
    first, last = span(spec_of(pocket, pad.model_copy(update={"sound": bare, "layers": ()})))
    source = pocket.sources[pad.chop.source]
    sound = desk().audio.read(source.audio, first, min(last, first + LONGEST_LOOKED_S * RATE))
    if sound.ndim == 1:
        sound = sound[:, None]
    if pad.sound.reverse:
        sound = sound[::-1]
    found = [(one, False) for one in proposals(sound, RATE)]
    heard = desk().facts.pitch(source.audio, pad.chop.start, pad.chop.end)
    cycle = one_cycle(sound, RATE, heard.hz, len(sound) // 2) if heard else None
    if cycle is not None:
        found.append((cycle, True))
    ms = 1000 / RATE
    loops = [
        LoopPoint(start_ms=round(one.first * ms, 3), end_ms=round(one.last * ms, 3), fit=one.fit, cycle=is_) for one, is_ in found
    ]
    return json_of(LoopsReply(loops=loops))


class FilterQuery(BaseModel):
    kind: str = Field(pattern="^(low|high|band|notch)$")
    slope: str = Field(default="12", pattern="^(12|24)$")
    cutoff: float = Field(default=2000.0, ge=20, le=20000)
    resonance: float = Field(default=0.0, ge=0, le=36)


@api.get("/shape/filter", responses={200: DrawingReply, 422: Problem})
def filter_drawing(query: FilterQuery) -> Response:
    """The picture of a filter."""
    y = response_db(query.kind, query.slope, query.cutoff, query.resonance, RATE, PICTURE_HZ)
    told = DrawingReply(
        x=np.round(PICTURE_HZ, 2).tolist(), y=np.round(np.maximum(y, -60), 2).tolist(), x_unit="Hz", y_unit="dB", low=-42, high=24,
        log_x=True,
    )  # fmt: skip
    return json_of(told)


def beats_in(source: Source, chop: Chop) -> float | None:
    beats = beats_between(source.grid, RATE, chop.start, chop.end) if source.grid else 0.0
    return max(0.25, round(beats * 4) / 4) if 0.2 <= beats <= 64 else None


def _pad(path: PadPath) -> tuple[Pocket, Pad]:
    pocket = desk().pockets.load(path.pocket).pocket
    if path.pad not in pocket.pads:
        abort(404, "That pad is empty.")
    return pocket, pocket.pads[path.pad]


def _loud_db(sound: Samples) -> float:
    """Of its loudest half second: what an ear compares."""
    power = np.square(sound, dtype=np.float64).mean(axis=1)
    wide = min(len(power), RATE // 2)
    total = np.concatenate(([0.0], np.cumsum(power)))
    return float(db_of(float(np.sqrt((total[wide:] - total[:-wide]).max(initial=0.0) / max(1, wide)))))
