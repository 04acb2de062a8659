"""Mix and song: exact loops and pictures of their buses, the song by windows, prints and exports."""

import json
import math
import re
from collections.abc import Sequence

import numpy as np
from flask import Response, abort, send_from_directory
from pydantic import BaseModel, Field

from grainpocket.core.document.mixing import PAD
from grainpocket.core.effects import EFFECTS
from grainpocket.core.effects.base import Controls
from grainpocket.core.listen.measures.loudness import SHORT_S, STEP_S, LoudnessMeter
from grainpocket.core.mix.live import Picture
from grainpocket.core.mix.nodes import REDUCTION, Stopped
from grainpocket.core.mix.pictures import drawing
from grainpocket.core.params import BadValue, checked, named, of
from grainpocket.core.pocket import RATE, Recipe
from grainpocket.core.song.layout import beats_of
from grainpocket.core.sound.audio import Samples
from grainpocket.jobs.rendering import Export
from grainpocket.web.answers import json_of
from grainpocket.web.drawings import DrawingReply
from grainpocket.web.heard import SONG
from grainpocket.web.pockets import PatternPath, desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import Job, Loop, PocketPath, Problem, Segment, job_reply, loop_reply

api = routes("mixing")


class BusPicture(BaseModel):
    """What is seen of a bus over the loop. low, high: its extremes every `step` samples, both sides together; taken: by effect,
    decibels by which it was turned down there; peak_db: its largest sample."""

    low: list[float]
    high: list[float]
    taken: dict[str, list[float]]
    peak_db: float | None


class SettledReply(BaseModel):
    """The loop that the export has, and what its buses do in it. buses: by id, the master among them; lufs and true_peak_db: of
    the master."""

    loop: Loop
    step: int
    buses: dict[str, BusPicture]
    lufs: float | None
    true_peak_db: float | None
    short: list[float] = Field(description="Short-term loudness (LUFS, the last 3 s) every 100 ms of the loop")


class SongWindow(BaseModel):
    """The segments of the song that sound between two samples. length: samples of the song without its tail; end: with it."""

    length: int
    end: int
    rate: int
    tempo: float
    beats: float
    segments: list[Segment]


class WindowQuery(BaseModel):
    first: int = Field(default=0, ge=0)
    last: int = Field(ge=1, description="Samples; a minute at most after the first one")


class JobFile(BaseModel):
    job: str = Field(pattern=r"^[0-9a-f]{32}$")


@api.get("/pockets/<pocket>/settled/<pattern>", responses={200: SettledReply, 404: Problem, 409: Problem})
def settled(path: PatternPath) -> Response:
    """The exact loop of a pattern as it is now, rendered to the end, and pictures of its buses. 409 when an edit overtook it."""
    pocket = desk().pockets.load(path.pocket).pocket
    if path.pattern not in pocket.patterns:
        abort(404, "That pattern is no longer in the pocket.")
    playing = desk().heard.playing(path.pocket, pocket, path.pattern)
    if playing.run is None:
        playing = desk().heard.exact(pocket, path.pattern)
    try:
        named, found = desk().heard.settled(playing)
    except Stopped:
        abort(409, "An edit came in between. Ask again.")
    meter, short = _metered(found.sound, playing.mix.length, pocket.rate)
    loudness = meter.finish()
    plain = desk().heard.playing(path.pocket, pocket, path.pattern)
    segments = desk().segments(plain) if plain.run is None else named
    buses = {name: _picture(one) for name, one in found.pictures.items() if not name.startswith(PAD)}
    return json_of(
        SettledReply.model_construct(
            loop=loop_reply(plain, segments, path.pattern, settled=True), step=REDUCTION, buses=buses, lufs=loudness.lufs,
            true_peak_db=loudness.true_peak_db, short=short,
        )
    )  # fmt: skip


def _metered(sound: Sequence[Samples], length: int, rate: int) -> tuple[LoudnessMeter, list[float]]:
    """A meter that has heard the loop as often as its short-term loudness needs to be what it is round and round; and that, every
    100 ms from the loop's start."""
    meter = LoudnessMeter(rate)
    laps = 1 + math.ceil(SHORT_S * rate / max(length, 1))
    for _ in range(laps):
        for one in sound:
            meter.feed(one)
    told = meter.short_term()
    # The first value is of the 3 s that end where they were full.
    ends = (np.arange(len(told)) + 1) * STEP_S + SHORT_S - STEP_S
    last = told[ends > (laps - 1) * length / rate]
    return meter, np.round(last, 1).tolist()


def _picture(picture: Picture) -> BusPicture:
    low, high = np.concatenate(picture.low), np.concatenate(picture.high)
    peak = float(max(-low.min(initial=0), high.max(initial=0)))
    taken = {name: np.round(np.concatenate(parts), 1).tolist() for name, parts in picture.reductions.items()}
    return BusPicture.model_construct(
        low=np.round(low, 3).tolist(), high=np.round(high, 3).tolist(), taken=taken,
        peak_db=round(20 * float(np.log10(peak)), 1) if peak > 0 else None,
    )  # fmt: skip


@api.get("/pockets/<pocket>/song", responses={200: SongWindow, 404: Problem})
def song_window(path: PocketPath, query: WindowQuery) -> Response:
    """What sounds of the song between two samples."""
    pocket = desk().pockets.load(path.pocket).pocket
    playing = desk().heard.playing(path.pocket, pocket, SONG)
    last = min(query.last, query.first + 60 * pocket.rate)
    found = desk().segments(playing, query.first, last)
    segments = [Segment.model_construct(key=s.key, start=s.start, frames=s.frames) for s in found]
    return json_of(
        SongWindow.model_construct(
            length=playing.mix.length, end=playing.length, rate=pocket.rate, tempo=pocket.tempo, beats=beats_of(pocket),
            segments=segments,
        )
    )  # fmt: skip


@api.post("/pockets/<pocket>/prints", responses={202: Job, 404: Problem})
def print_recipe(path: PocketPath, body: Recipe) -> Response:
    """Print a pattern, a pad, a bus or a part of the song among the finds. The answer is the job that does it."""
    state = desk().pockets.load(path.pocket)
    pocket = state.pocket
    pad = pocket.pads.get(body.pad if body.pad is not None else -1)
    pattern, bus = pocket.patterns.get(body.pattern or ""), pocket.buses.get(body.bus or "")
    called = pad.called if pad else None
    names = {
        "pattern": pattern and pattern.name, "bus": bus and bus.name, "pad": called, "keys": called, "song": pocket.name,
    }  # fmt: skip
    name = names[body.what]
    if name is None:
        abort(404, "What is to be printed is no longer in the pocket.")
    row = desk().jobs.create(path.pocket, "print", f"Print of {name}", {"recipe": body.model_dump(), "version": state.version})
    desk().enqueue(row.id, row.kind)
    return json_of(job_reply(row), 202)


@api.post("/pockets/<pocket>/exports", responses={202: Job, 404: Problem})
def export(path: PocketPath, body: Export) -> Response:
    """Write a pattern or the song to a file, as the pocket is now. The answer is the job that does it; its file waits under
    /jobs/<job>/file for a day."""
    state = desk().pockets.load(path.pocket)
    if body.what != SONG and body.what not in state.pocket.patterns:
        abort(404, "That pattern is no longer in the pocket.")
    name = state.pocket.name if body.what == SONG else f"{state.pocket.name} - {state.pocket.patterns[body.what].name}"
    detail = {"export": body.model_dump(), "version": state.version, "after": state.undo, "name": name}
    row = desk().jobs.create(path.pocket, "export", name, detail)
    desk().enqueue(row.id, row.kind)
    return json_of(job_reply(row), 202)


@api.get("/jobs/<job>/file", responses={404: Problem})
def job_file(path: JobFile) -> Response:
    """The file that an export wrote."""
    row = desk().jobs.get(path.job)
    detail = json.loads(row.detail) if row is not None else {}
    if row is None or row.state != "done" or "file" not in detail:
        abort(404, "There is no such file. It is kept for a day: export again.")
    # Letters of all scripts stay (RFC 5987 says how they travel); what no file system takes does not.
    name = re.sub(r'[\x00-\x1f\x7f/\\:*?"<>|]+', "_", detail["name"]).strip(" .")
    suffix = detail["file"].rsplit(".", 1)[1]
    response = send_from_directory(desk().settings.exports.resolve(), detail["file"])
    response.headers.set("Content-Disposition", "attachment", filename=f"{name}.{suffix}")
    response.headers["Cache-Control"] = "no-store"
    return response


class DrawingBody(BaseModel):
    settings: dict[str, float | bool | str] = {}
    tempo: float = of("pocket", "tempo").field()


class EffectPath(BaseModel):
    kind: str


@api.post("/effects/<kind>/drawing", responses={200: DrawingReply, 404: Problem, 422: Problem})
def effect_drawing(path: EffectPath, body: DrawingBody) -> Response:
    """The picture of an effect with these settings; those left out are as they are by themselves."""
    effect = EFFECTS.get(path.kind)
    if effect is None:
        abort(404, "There is no effect of that kind.")
    settings = effect.defaults()
    for name, value in body.settings.items():
        try:
            settings[name] = checked(named(effect.settings, name), value)
        except (KeyError, BadValue):
            continue  # "amount", or one of a newer program: nothing that is drawn
    found = drawing(effect.kind, Controls(settings, RATE, 60.0 * RATE / body.tempo))
    if found is None:
        return json_of(DrawingReply())
    told = DrawingReply(
        x=np.round(found.x, 5).tolist(), y=np.round(found.y, 4).tolist(), x_unit=found.x_unit, y_unit=found.y_unit, low=found.low,
        high=found.high, log_x=found.log_x, shape=found.shape,
    )  # fmt: skip
    return json_of(told)
