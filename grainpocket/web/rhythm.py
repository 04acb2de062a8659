"""What Rhythm asks of the core beside edits: MIDI files out and in, the names of chords, how a chop lies in them."""

from __future__ import annotations

from flask import Response, abort, request
from pydantic import BaseModel, Field

from grainpocket.core.pocket import MOST_PADS, PAGE, Hit
from grainpocket.core.rhythm.chord_fit import BarFit, chord_fits
from grainpocket.core.rhythm.midi import MOST_BYTES, BadMidi, from_midi, midi_of
from grainpocket.core.text import file_name
from grainpocket.web.answers import json_of
from grainpocket.web.pockets import PatternPath, desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import PocketPath, Problem

api = routes("rhythm")


@api.get("/pockets/<pocket>/patterns/<pattern>.mid", responses={404: Problem})
def pattern_as_midi(path: PatternPath) -> Response:
    """A pattern as a Standard MIDI File: a track for each pad, its swing in the timing."""
    pocket = desk().pockets.load(path.pocket).pocket
    if path.pattern not in pocket.patterns:
        abort(404, "That pattern is no longer in the pocket.")
    pattern = pocket.patterns[path.pattern]
    response = Response(midi_of(pocket, pattern), mimetype="audio/midi")
    response.headers.set("Content-Disposition", "attachment", filename=f"{file_name(pattern.name)}.mid")
    response.headers["Cache-Control"] = "no-store"
    return response


class MidiQuery(BaseModel):
    page: int = Field(default=0, ge=0, lt=MOST_PADS // PAGE, description="Whose pads the drums go to")
    pad: int = Field(default=0, ge=0, lt=MOST_PADS, description="The pad that plays the melody")


class MidiReply(BaseModel):
    name: str
    bars: int
    beats_per_bar: int
    tempo: float | None
    hits: list[Hit]


@api.post("/pockets/<pocket>/midi", responses={200: MidiReply, 404: Problem, 422: Problem})
def read_midi(path: PocketPath, query: MidiQuery) -> Response:
    """What a MIDI file, sent as it is, holds for a pattern. Nothing is changed."""
    pocket = desk().pockets.load(path.pocket).pocket
    root = round(pocket.pads[query.pad].sound.root) if query.pad in pocket.pads else 60
    try:
        found = from_midi(request.stream.read(MOST_BYTES + 1), query.page, query.pad, root)
    except BadMidi as error:
        abort(422, str(error))
    told = MidiReply(
        name=found.name, bars=found.bars, beats_per_bar=found.beats_per_bar, tempo=found.tempo, hits=list(found.hits)
    )  # fmt: skip
    return json_of(told)


class FitQuery(BaseModel):
    pad: int = Field(ge=0, lt=MOST_PADS)


class FitsReply(BaseModel):
    """Bars in which the pad sounds, each against its chords."""

    bars: list[BarFit]


@api.get("/pockets/<pocket>/patterns/<pattern>/fits", responses={200: FitsReply, 404: Problem})
def get_chord_fits(path: PatternPath, query: FitQuery) -> Response:
    """How a pad's chop lies in the chords of a pattern, bar by bar, and the shift that makes each part fit."""
    pocket = desk().pockets.load(path.pocket).pocket
    if path.pattern not in pocket.patterns:
        abort(404, "That pattern is no longer in the pocket.")
    return json_of(FitsReply(bars=chord_fits(pocket, pocket.patterns[path.pattern], query.pad, desk().audio.read)))
