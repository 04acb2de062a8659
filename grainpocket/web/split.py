"""Taking a find apart: which engines there are, how a stretch would sound, and the stems themselves, as a job."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from flask import Response, abort, request
from pydantic import BaseModel, Field, TypeAdapter

from grainpocket.core.pocket import RATE
from grainpocket.core.sound.audio import planar, stereo
from grainpocket.core.split.balance import StemLevel, balanced, evened
from grainpocket.core.split.base import separate
from grainpocket.core.split.contract import MOST_BYTES, Misfit
from grainpocket.core.split.engines import ENGINES
from grainpocket.core.split.heard import Heard
from grainpocket.jobs.splitting import Balance, Splitting, reader_of
from grainpocket.web.answers import json_of, pcm_of
from grainpocket.web.full import DiskFull, is_full
from grainpocket.web.pockets import desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import Job, PocketPath, Problem, job_reply

api = routes("split")
MOST_HEARD_S, MOST_TOGETHER_S = 12, 60
_LEVELS: TypeAdapter[tuple[StemLevel, ...]] = TypeAdapter(tuple[StemLevel, ...])


class QualityInfo(BaseModel):
    """speed: times real time, about, on two cores."""

    name: str
    label: str
    speed: float


class EngineInfo(BaseModel):
    """parts: the last one takes what is left; light: whether a stretch can be heard before anything is taken apart; own: whether it
    is a model of one's own, which can be taken away."""

    name: str
    label: str
    parts: list[str]
    qualities: list[QualityInfo]
    light: bool
    own: bool


class ModelProblem(BaseModel):
    """A model in the folder that cannot be used, and why."""

    name: str
    problem: str


class EnginesReply(BaseModel):
    """The first one is used unless another is asked for."""

    engines: list[EngineInfo]
    misfits: list[ModelProblem]


@api.get("/split/engines", responses={200: EnginesReply})
def get_engines() -> Response:
    """What finds can be taken apart with: what ships, and models of one's own that keep the contract (docs/own-models.md)."""
    return json_of(_engines())


def _engines() -> EnginesReply:
    own = desk().models.engines()
    engines = [
        EngineInfo(
            name=engine.name, label=engine.label, parts=list(engine.parts), light=engine.light, own=engine.name in own,
            qualities=[QualityInfo(name=one.name, label=one.label, speed=one.speed) for one in engine.qualities],
        )
        for engine in (*ENGINES.values(), *own.values())
    ]  # fmt: skip
    misfits = [ModelProblem(name=one.name, problem=one.problem) for one in desk().models.listing() if one.described is None]
    return EnginesReply(engines=engines, misfits=misfits)


class ModelQuery(BaseModel):
    name: str = Field(min_length=1, max_length=200, description="The file's name")


@api.post("/split/models", responses={200: EnginesReply, 413: Problem, 422: Problem, 507: Problem})
def add_model(query: ModelQuery) -> Response:
    """Take in a separation model: an ONNX file is the body. 422 says why it cannot be used; then nothing of it is kept."""

    def write(path: Path) -> None:
        size = 0
        with path.open("wb") as out:
            while piece := request.stream.read(1 << 20):
                size += len(piece)
                if size > MOST_BYTES:
                    abort(413, f"A model is at most {MOST_BYTES // 1_000_000} MB large.")
                out.write(piece)

    try:
        desk().models.add(query.name, write)
    except Misfit as error:
        abort(422, f"This model cannot be used. {error}")
    except Exception as error:
        if is_full(error):
            raise DiskFull("The disk is full: the model was not taken. Free some space and try again.") from error
        raise
    return json_of(_engines())


class ModelPath(BaseModel):
    model: str = Field(max_length=40)


@api.delete("/split/models/<model>", responses={200: EnginesReply, 404: Problem})
def remove_model(path: ModelPath) -> Response:
    """Take a model of one's own away; stems that it made stay."""
    if not desk().models.remove(path.model):
        abort(404, "There is no such model.")
    return json_of(_engines())


class SplitPath(PocketPath):
    source: str


@api.post("/pockets/<pocket>/sources/<source>/split", responses={202: Job, 404: Problem})
def split_source(path: SplitPath, body: Splitting) -> Response:
    """Take a find apart into stems, which become finds of its family. The answer is the job that does it."""
    source = desk().pockets.load(path.pocket).pocket.sources.get(path.source)
    if source is None:
        abort(404, "That find is not in the pocket.")
    detail = {"source": source.id, "splitting": body.model_dump()}
    row = desk().jobs.create(path.pocket, "split", f"Stems of {source.name}", detail)
    desk().enqueue(row.id, row.kind)
    return json_of(job_reply(row), 202)


@api.post("/pockets/<pocket>/sources/<source>/balance", responses={202: Job, 404: Problem})
def print_stems(path: SplitPath, body: Balance) -> Response:
    """Print a balance of stems as a new find. The answer is the job that does it."""
    source = desk().pockets.load(path.pocket).pocket.sources.get(path.source)
    if source is None:
        abort(404, "That find is not in the pocket.")
    row = desk().jobs.create(path.pocket, "balance", body.name, {"source": source.id, "balance": body.model_dump()})
    desk().enqueue(row.id, row.kind)
    return json_of(job_reply(row), 202)


class BalancePath(SplitPath):
    start: int = Field(ge=0)
    end: int = Field(ge=1)


class BalanceQuery(BaseModel):
    stems: str = Field(max_length=8000, description="A list of stem levels as JSON")
    of: str = Field(default="", max_length=400, description="Whatever names the sounds of the stems: answers are kept by address")
    even: bool = Field(default=False, description="As loud as the record is there, at most 12 dB up or down and never clipped")


@api.get("/pockets/<pocket>/sources/<source>/balanced/<int:start>/<int:end>", responses={404: Problem, 422: Problem})
def balance_heard(path: BalancePath, query: BalanceQuery) -> Response:
    """How stems sound together between two samples of their record, as planar stereo float32: at most a minute."""
    pocket = desk().pockets.load(path.pocket).pocket
    root = pocket.sources.get(path.source)
    if root is None:
        abort(404, "That find is not in the pocket.")
    if not path.start < path.end <= root.frames or path.end - path.start > MOST_TOGETHER_S * RATE:
        abort(422, f"At most {MOST_TOGETHER_S} s inside the record can be heard at once.")
    stems = _LEVELS.validate_json(query.stems)
    blocks = list(balanced(stems, reader_of(pocket, root, desk().audio), path.start, path.end, RATE))
    sound = np.concatenate(blocks)
    if query.even:
        record = stereo(desk().audio.read(root.audio, path.start, path.end))
        sound = sound * np.float32(evened(sound, record, RATE))
    return pcm_of(planar(sound))


class HeardPath(BaseModel):
    audio: str = Field(pattern=r"^[0-9a-f]{64}$")
    engine: str = Field(max_length=40)
    part: str = Field(max_length=20)
    start: int = Field(ge=0)
    end: int = Field(ge=1)


@api.get("/audio/<audio>/parted/<engine>/<part>/<int:start>/<int:end>", responses={404: Problem, 422: Problem})
def audio_parted(path: HeardPath) -> Response:
    """How a part of a stretch sounds, at an engine's quickest, as planar stereo float32. At most twelve seconds."""
    engine = ENGINES.get(path.engine)
    if engine is None or not engine.light:
        abort(422, f"Only some engines can be heard first: {', '.join(e.name for e in ENGINES.values() if e.light)}.")
    frames = desk().audio.frames(path.audio)
    if path.part not in engine.parts or not path.start < path.end <= frames or path.end - path.start > MOST_HEARD_S * RATE:
        abort(422, f"A stretch of at most {MOST_HEARD_S} s inside the find can be heard in parts: {', '.join(engine.parts)}.")
    sound = stereo(desk().audio.read(path.audio, path.start, path.end))
    moments = desk().audio.hearing(path.audio).moments
    heard = Heard(moments, path.start) if moments is not None else None
    found = separate(engine, sound, RATE, (path.part,), engine.qualities[0].name, heard=heard)
    return pcm_of(planar(np.asarray(found[path.part], np.float32)))
