"""Chop: cuts before they are made, what slices are like, which are like one another, repeats, and the null test."""

from __future__ import annotations

import functools
from typing import Literal

import numpy as np
from flask import Response, abort
from pydantic import BaseModel, Field

from grainpocket.core.chop.cuts import is_own, recut
from grainpocket.core.chop.facts import completion, likeness
from grainpocket.core.chop.kin import cuts_of, slices
from grainpocket.core.chop.policies import NoCuts, propose
from grainpocket.core.chop.repeats import SAME_DB, Repeat, repeats
from grainpocket.core.chop.snap import Snapper
from grainpocket.core.edits.base import Refusal, the_source
from grainpocket.core.edits.naming import slice_name
from grainpocket.core.mix.null import NothingToCompare, Null, null_test
from grainpocket.core.pocket import RATE, Chop, Cutting, Pocket, Role, Source
from grainpocket.core.sound.audio import planar
from grainpocket.web.answers import json_of, pcm_of
from grainpocket.web.pockets import PatternPath, desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import PocketPath, Problem, SourcePath, StretchPath
from grainpocket.web.slicing import all_slices, prints
from grainpocket.web.stretches import checked, source_of

api = routes("chop")
# An edge of a selection goes to an attack this near, a quarter of a beat at a usual tempo.
SELECT_REACH_S = 0.15
LONGEST_REPEAT_S, MOST_AT_ONCE, MOST_FOUND = 60, 64, 200
DARK_HZ, BRIGHT_HZ = 400.0, 1500.0


class FindPath(PocketPath):
    source: str


class SnapQuery(BaseModel):
    at: int = Field(ge=0, description="Sample of the source")
    to: Literal["attacks", "quiet"]


class SnapReply(BaseModel):
    at: int


class PreviewBody(BaseModel):
    cutting: Cutting
    keep_hand: bool = True
    start: int | None = Field(default=None, ge=0)
    end: int | None = Field(default=None, ge=1)


class CutPreview(BaseModel):
    """at: samples of all cuts there would be inside the stretch; roles: what begins at each; kept: how many of them are the
    musician's own. problem: why there are none, and what to do."""

    at: list[int]
    roles: list[Role | None]
    kept: int
    problem: str = ""


class SliceFact(BaseModel):
    """level_db: dBFS; key: nearest MIDI note of a clear pitch, note its name, cents over it; bright_hz: centroid of the
    spectrum; clean: 0..1, the share of the sound that is the drum itself."""

    cut: str
    level_db: float | None
    key: int | None
    note: str | None
    cents: float | None
    bright_hz: float
    clean: float | None


class FactsBody(BaseModel):
    cuts: list[str] = Field(max_length=MOST_AT_ONCE)


class FactsReply(BaseModel):
    facts: list[SliceFact]


class SearchBody(BaseModel):
    """What to look for among the slices of all finds. near: a slice (source, cut) to rank them by."""

    near: tuple[str, str] | None = None
    rank: Literal["like", "completes"] = "like"
    roles: list[Role] = []
    text: str = Field(default="", max_length=80)
    shortest: float = Field(default=0, ge=0, description="Seconds")
    longest: float = Field(default=600, ge=0, description="Seconds")
    slowest: float | None = Field(default=None, description="BPM of the find")
    fastest: float | None = None
    tonic: int | None = Field(default=None, ge=0, le=11, description="Pitch class of the slice")
    bright: Literal["any", "dark", "middle", "bright"] = "any"


class FoundSlice(BaseModel):
    """score: 0..1, how well it fits what was asked, when slices are ranked."""

    source: str
    cut: str
    start: int
    end: int
    name: str
    role: Role | None
    level_db: float | None
    note: str | None
    bright_hz: float
    score: float | None


class SearchReply(BaseModel):
    """total: how many there are, of which the first are given."""

    slices: list[FoundSlice]
    total: int


class RepeatSpan(BaseModel):
    """residue_db: what is left of the stretch there when the first is taken away."""

    at: int
    residue_db: float
    same: bool


class RepeatsReply(BaseModel):
    repeats: list[RepeatSpan]
    same_db: float = SAME_DB


class NullReply(BaseModel):
    """bars: decibels of what is left beside the record, bar by bar; frames: samples compared."""

    bars: list[float]
    total: float
    frames: int
    source: str
    start: int


def _find(path: FindPath) -> tuple[Pocket, Source]:
    pocket = desk().pockets.load(path.pocket).pocket
    return pocket, the_source(pocket, path.source)


@api.get("/pockets/<pocket>/sources/<source>/snap", responses={200: SnapReply, 404: Problem})
def snap_place(path: SourcePath, query: SnapQuery) -> Response:
    """Where the edge of a selection goes: the nearest attack, or the quietest point beside a place."""
    source = source_of(path)
    snapper = Snapper(desk().audio.hearing(source.audio), source, RATE, desk().audio)
    at = min(query.at, source.frames)
    if at < source.frames:
        at = snapper.attack(at, SELECT_REACH_S) if query.to == "attacks" else snapper.snap(at, "quiet")
    return json_of(SnapReply(at=at))


@api.post("/pockets/<pocket>/finds/<source>/cuts", responses={200: CutPreview, 404: Problem, 422: Problem})
def preview_cuts(path: FindPath, body: PreviewBody) -> Response:
    """The cuts that a policy would make; none is made."""
    pocket, source = _find(path)
    low, high = body.start or 0, body.end or source.frames
    try:
        found = propose(pocket, source, body.cutting, desk().audio, low, high)
    except NoCuts as error:
        return json_of(CutPreview(at=[], roles=[], kept=0, problem=str(error)))
    inside = [c for c in cuts_of(pocket, source) if low <= c.at < high]
    ids = (f"new{i}" for i in range(len(found)))
    cuts = recut(inside, [p.at for p in found], [p.role for p in found], ids, body.keep_hand, body.cutting.by)
    return json_of(
        CutPreview(
            at=[c.at for c in cuts], roles=[c.role for c in cuts], kept=sum(not c.id.startswith("new") and is_own(c) for c in cuts)
        )
    )


@api.post("/pockets/<pocket>/finds/<source>/facts", responses={200: FactsReply, 404: Problem, 422: Problem})
def slice_facts(path: FindPath, body: FactsBody) -> Response:
    """What is known of some slices of a find."""
    pocket, source = _find(path)
    known = {chop.cut for chop in slices(pocket, source)}
    chops = slices(pocket, source, [cut for cut in body.cuts if cut in known])
    return json_of(FactsReply(facts=[_fact(source, chop) for chop in chops]))


def _fact(source: Source, chop: Chop) -> SliceFact:
    stretch = source.audio, chop.start, chop.end
    known, pitch = desk().facts.tone(*stretch), desk().facts.pitch(*stretch)
    return SliceFact.model_construct(
        cut=chop.cut or "", level_db=known.level_db, key=pitch.key if pitch else None, note=pitch.name if pitch else None,
        cents=pitch.cents if pitch else None,
        bright_hz=known.bright_hz, clean=desk().facts.clean(source.audio, chop.start),
    )  # fmt: skip


@api.post("/pockets/<pocket>/slices", responses={200: SearchReply, 404: Problem, 422: Problem})
def search_slices(path: PocketPath, body: SearchBody) -> Response:
    """Slices of all finds that are as asked, best first when they are ranked by one of them, else in the order of the finds."""
    pocket, keeper = desk().pockets.load(path.pocket).pocket, desk().facts
    cuts = {cut.id: cut for source in pocket.sources.values() for cut in source.cuts}
    chosen = [(s, c) for s, c in all_slices(pocket) if _wanted(pocket, s, c, cuts[c.cut or ""].role, body)]
    scores: list[float | None] = [None] * len(chosen)
    if body.near is not None:
        source = the_source(pocket, body.near[0])
        try:
            (model,) = slices(pocket, source, (body.near[1],))
        except KeyError as error:
            raise Refusal("That slice is no longer there. Choose another to compare with.") from error
        chosen = [(s, c) for s, c in chosen if c.cut != model.cut]
        rank = likeness if body.rank == "like" else completion
        score = rank(keeper.tone(source.audio, model.start, model.end).print, prints(keeper, chosen))
        order = np.argsort(-score, kind="stable").tolist()
        chosen, scores = [chosen[i] for i in order], [round(float(score[i]), 3) for i in order]
    out = [
        _found(pocket, source, chop, cuts[chop.cut or ""].role, score)
        for (source, chop), score in zip(chosen[:MOST_FOUND], scores, strict=False)
    ]
    return json_of(SearchReply(slices=out, total=len(chosen)))


def _wanted(pocket: Pocket, source: Source, chop: Chop, role: Role | None, body: SearchBody) -> bool:
    seconds = (chop.end - chop.start) / pocket.rate
    if not body.shortest <= seconds <= body.longest or (body.roles and role not in body.roles):
        return False
    bpm = source.grid.bpm if source.grid else None
    if (body.slowest and (bpm is None or bpm < body.slowest)) or (body.fastest and (bpm is None or bpm > body.fastest)):
        return False
    text = body.text.casefold()
    if text and text not in slice_name(pocket, source, chop).casefold() and text not in source.name.casefold():
        return False
    if body.tonic is None and body.bright == "any":
        return True
    stretch = source.audio, chop.start, chop.end
    if body.tonic is not None:
        pitch = desk().facts.pitch(*stretch)
        if pitch is None or pitch.key % 12 != body.tonic:
            return False
    known = desk().facts.tone(*stretch)
    tone = "dark" if known.bright_hz < DARK_HZ else "bright" if known.bright_hz > BRIGHT_HZ else "middle"
    return body.bright in ("any", tone)


def _found(pocket: Pocket, source: Source, chop: Chop, role: Role | None, score: float | None) -> FoundSlice:
    stretch = source.audio, chop.start, chop.end
    known, pitch = desk().facts.tone(*stretch), desk().facts.known_pitch(*stretch)
    return FoundSlice.model_construct(
        source=source.id, cut=chop.cut or "", start=chop.start, end=chop.end, name=slice_name(pocket, source, chop), role=role,
        level_db=known.level_db, note=pitch.name if pitch else None, bright_hz=known.bright_hz, score=score,
    )  # fmt: skip


@functools.lru_cache(maxsize=16)
def _repeats(audio: str, start: int, end: int) -> list[Repeat]:
    return repeats(desk().audio.read(audio, 0, desk().audio.frames(audio)), start, end)


@api.get("/audio/<audio>/repeats/<int:start>/<int:end>", responses={200: RepeatsReply, 404: Problem, 422: Problem})
def stretch_repeats(path: StretchPath) -> Response:
    """Where a stretch of a find is played again."""
    checked(path, LONGEST_REPEAT_S, f"Repeats are looked for of up to {LONGEST_REPEAT_S} s. Select some bars.")
    found = _repeats(path.audio, path.start, path.end)
    return json_of(RepeatsReply(repeats=[RepeatSpan(at=r.at, residue_db=r.residue_db, same=r.same) for r in found]))


def _null(path: PatternPath) -> tuple[Null, str, int]:
    pocket = desk().pockets.load(path.pocket).pocket
    if path.pattern not in pocket.patterns:
        abort(404, "That pattern is no longer in the pocket.")
    pattern = pocket.patterns[path.pattern]
    try:
        found = null_test(pocket, pattern, desk().audio, desk().renderer)
    except NothingToCompare as error:
        raise Refusal(str(error)) from error
    assert pattern.played is not None
    return found, pattern.played.source, pattern.played.start


@api.get("/pockets/<pocket>/null/<pattern>", responses={200: NullReply, 404: Problem, 422: Problem})
def null_of(path: PatternPath) -> Response:
    """What is left of a pattern when the record that it was taken from is subtracted."""
    found, source, start = _null(path)
    reply = NullReply(bars=list(found.bars), total=found.total, frames=len(found.residue), source=source, start=start)
    return json_of(reply)


@api.get("/pockets/<pocket>/null/<pattern>/sound", responses={404: Problem, 422: Problem})
def null_sound(path: PatternPath) -> Response:
    """The residue itself, as planar stereo float32."""
    response = pcm_of(planar(_null(path)[0].residue))
    response.headers["Cache-Control"] = "no-store"
    return response
