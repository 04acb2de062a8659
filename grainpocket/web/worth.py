"""What in a find is worth taking, by the bars of its grid as it is now."""

from __future__ import annotations

from flask import Response
from pydantic import BaseModel

from grainpocket.core.listen.drums.clean_hits import DRUMS
from grainpocket.core.listen.passages.passages import Kind
from grainpocket.core.listen.suggestions import Worth
from grainpocket.core.pocket import Role
from grainpocket.web.answers import json_of
from grainpocket.web.pockets import desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import Problem, SourcePath
from grainpocket.web.stretches import source_of

api = routes("worth", "listen")
CLEANEST, BEST_LOOPS = 12, 12


class PassageSpan(BaseModel):
    """start, end: samples; likely: 0..1, the least sure of its bars."""

    start: int
    end: int
    kind: Kind
    bars: int
    likely: float


class HitSpan(BaseModel):
    """start, end: samples to cut; cover_db: how loud all else is beside the drum, estimated."""

    role: Role
    start: int
    end: int
    cover_db: float


class LoopSpan(BaseModel):
    """start, end: samples; score: 0..1, how alike the two sides of the join are."""

    start: int
    end: int
    bars: int
    score: float


class WorthReply(BaseModel):
    """passages: in the order of the record; hits: the cleanest of each drum, best first; loops: best first."""

    passages: list[PassageSpan]
    hits: list[HitSpan]
    loops: list[LoopSpan]


@api.get("/pockets/<pocket>/sources/<source>/worth", responses={200: WorthReply, 404: Problem})
def worth_of(path: SourcePath) -> Response:
    """Passages, clean hits and loops of a find. Bars that were moved by hand are the bars they are told in."""
    found = source_of(path)
    return json_of(worth_reply(desk().worth.get(found.audio, found.grid)))


def worth_reply(worth: Worth) -> WorthReply:
    return WorthReply(
        passages=[PassageSpan(start=p.start, end=p.end, kind=p.kind, bars=p.bars, likely=p.likely) for p in worth.passages],
        hits=[
            HitSpan(role=role, start=h.at, end=h.end, cover_db=h.cover_db)
            for role in DRUMS
            for h in [h for h in worth.hits if h.role == role][:CLEANEST]
        ],
        loops=[LoopSpan(start=one.start, end=one.end, bars=one.bars, score=one.score) for one in worth.loops[:BEST_LOOPS]],
    )
