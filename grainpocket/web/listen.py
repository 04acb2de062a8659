"""Listen: what analysis found, the grid's lines, and sounds to compare by ear."""

from __future__ import annotations

from flask import Response, abort
from pydantic import BaseModel, Field

from grainpocket.core.listen.drums.roles import all_roles
from grainpocket.core.listen.harmony.pitch import pitch
from grainpocket.core.listen.hearing import Hearing, listen_to
from grainpocket.core.listen.tempo.candidates import Tempo, calibrated
from grainpocket.core.listen.tempo.grids import beat_places
from grainpocket.core.pocket import RATE, Role
from grainpocket.core.sound.audio import mono, planar
from grainpocket.core.sound.reference import click, tone
from grainpocket.web.answers import json_of, pcm_of
from grainpocket.web.pockets import desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import AudioPath, Problem, SourcePath, StretchPath
from grainpocket.web.stretches import checked, source_of

api = routes("listen")
LONGEST_STRETCH_S, LONGEST_SOUND_S, LEAST_S = 1800, 20, 0.5


class Transients(BaseModel):
    """at: sample positions; strength: 0..1, below a half doubtful, above it how hard it is hit; roles: all that is likely to
    begin there."""

    at: list[int]
    strength: list[float]
    roles: list[list[Role]]


class TempoCandidate(BaseModel):
    """relation: to the first candidate, in a word; bar_one: sample of the first bar line; rough_ms: how far the beats stray
    from a constant tempo."""

    bpm: float
    confidence: float
    bars: int | None
    metre: str
    bar_one: int
    steady: bool
    rough_ms: float
    relation: str


class KeyCandidate(BaseModel):
    name: str
    tonic: int
    mode: str
    confidence: float


class ChordSpan(BaseModel):
    """start, end: samples."""

    start: int
    end: int
    label: str


class LoudnessReply(BaseModel):
    """lufs: integrated loudness; true_peak_db: dBTP; clipped: runs of samples at the ceiling; clipped_at: where."""

    lufs: float | None
    true_peak_db: float | None
    clipped: int
    clipped_at: list[int]


class HearingReply(BaseModel):
    transients: Transients
    tempi: list[TempoCandidate]
    peak_db: float | None
    keys: list[KeyCandidate]
    cents: float | None
    chords: list[ChordSpan]
    loudness: LoudnessReply | None


@api.get("/audio/<audio>/hearing", responses={200: HearingReply, 404: Problem})
def audio_hearing(path: AudioPath) -> Response:
    """All that was found in a source."""
    return json_of(hearing_reply(desk().audio.hearing(path.audio)))


def hearing_reply(heard: Hearing) -> HearingReply:
    loud = heard.loudness
    return HearingReply(
        transients=Transients(
            at=heard.onsets.at.tolist(),
            strength=[round(float(s), 4) for s in heard.onsets.strength],
            roles=[all_roles(row) for row in heard.onsets.roles],
        ),
        tempi=tempo_list(heard.tempi, 0),
        peak_db=heard.peak_db,
        keys=[KeyCandidate(name=k.name, tonic=k.tonic, mode=k.mode, confidence=k.likely) for k in heard.keys],
        cents=heard.cents,
        chords=[ChordSpan(start=round(c.start * heard.rate), end=round(c.end * heard.rate), label=c.label) for c in heard.chords],
        loudness=None
        if loud is None
        else LoudnessReply(lufs=loud.lufs, true_peak_db=loud.true_peak_db, clipped=loud.clipped, clipped_at=list(loud.clipped_at)),
    )


def tempo_list(tempi: tuple[Tempo, ...], start: int) -> list[TempoCandidate]:
    return [
        TempoCandidate(
            bpm=t.bpm, confidence=confidence, bars=t.bars, metre=t.metre, bar_one=t.bar_one + start, steady=t.steady,
            rough_ms=t.rough_ms, relation=t.relation,
        )
        for t, confidence in zip(tempi, calibrated(tempi), strict=True)
    ]  # fmt: skip


class StretchQuery(BaseModel):
    sharpen: bool = Field(default=False, description="Attacks up and sustain down before listening, for weak material")


class StretchReply(BaseModel):
    tempi: list[TempoCandidate]


@api.get("/audio/<audio>/tempi/<int:start>/<int:end>", responses={200: StretchReply, 404: Problem, 422: Problem})
def stretch_tempi(path: StretchPath, query: StretchQuery) -> Response:
    """The tempi of a stretch, listened to alone; places are samples of the whole source."""
    checked(path)
    if not LEAST_S * RATE <= path.end - path.start <= LONGEST_STRETCH_S * RATE:
        abort(422, f"Choose between {LEAST_S} s and {LONGEST_STRETCH_S // 60} minutes to listen to.")
    samples = mono(desk().audio.read(path.audio, path.start, path.end))
    return json_of(StretchReply(tempi=tempo_list(listen_to(samples, RATE, query.sharpen), path.start)))


class PitchReply(BaseModel):
    """note: nearest, such as "A3", or null when the sound has no pitch; cents: how far over it; voiced: 0..1."""

    note: str | None
    key: int | None
    hz: float | None
    cents: float | None
    voiced: float


@api.get("/audio/<audio>/pitch/<int:start>/<int:end>", responses={200: PitchReply, 404: Problem, 422: Problem})
def stretch_pitch(path: StretchPath) -> Response:
    """The pitch of the one sound in a stretch."""
    checked(path)
    end = min(path.end, path.start + LONGEST_SOUND_S * RATE)
    found = pitch(mono(desk().audio.read(path.audio, path.start, end)), RATE)
    if found is None:
        return json_of(PitchReply(note=None, key=None, hz=None, cents=None, voiced=0.0))
    return json_of(PitchReply(note=found.name, key=found.key, hz=found.hz, cents=found.cents, voiced=found.voiced))


class Lines(BaseModel):
    """beats: samples of every quarter note of the grid inside the source; bars: which of them begin a bar, by index."""

    beats: list[int]
    bars: list[int]


@api.get("/pockets/<pocket>/sources/<source>/lines", responses={200: Lines, 404: Problem})
def grid_lines(path: SourcePath) -> Response:
    """Where the beats of a find's grid lie; none when it has no grid."""
    found = source_of(path)
    if found.grid is None:
        return json_of(Lines(beats=[], bars=[]))
    beats, bars = beat_places(found.grid, found.frames, RATE)
    return json_of(Lines(beats=beats.tolist(), bars=[i for i, bar in enumerate(bars.tolist()) if bar]))


class ClickPath(BaseModel):
    accent: int = Field(ge=0, le=1)


@api.get("/click/<int:accent>", responses={422: Problem})
def get_click(path: ClickPath) -> Response:
    """The click of a beat (0) or of a bar's first (1), as planar stereo float32."""
    return pcm_of(planar(click(bool(path.accent), RATE)))


class TonePath(BaseModel):
    key: int = Field(ge=12, le=120)
    cents: int = Field(ge=0, le=199, description="Over one semitone below the key, so that it is never negative: 100 is in tune")


@api.get("/tone/<int:key>/<int:cents>", responses={422: Problem})
def get_tone(path: TonePath) -> Response:
    """A reference tone, as planar stereo float32."""
    return pcm_of(planar(tone(path.key, path.cents - 100, RATE)))
