"""The document: everything the musician made, as frozen values.

Audio and analyses are not in here; sources name their audio by content hash. Times on a source are sample positions at
the pocket's rate; times in a pattern are beats (quarter notes) as float64, never rounded to ticks.
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from grainpocket.core.params import of

RATE = 44100
PAGE = 16
MOST_PADS = PAGE * 64
MOST_CHOKE = 8
LONGEST_CHOP_S = 120
Role = Literal["kick", "snare", "hat", "perc", "tonal", "vocal"]
Name = Field(min_length=1, max_length=80)


class Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Mark(Frozen):
    """A cue point, marker or loop that the file itself holds, in samples of the source."""

    at: int = Field(ge=0)
    name: str = ""
    end: int | None = Field(default=None, description="Of a loop")


class Credits(Frozen):
    """Whose record it is. cleared: whether it may be used, None while nobody has said."""

    artist: str = Field(default="", max_length=200)
    title: str = Field(default="", max_length=200)
    year: str = Field(default="", max_length=10)
    rights: str = Field(default="", max_length=200, description="Who holds the rights")
    cleared: bool | None = None


class Origin(Frozen):
    """Where a source came from. rate and channels are the file's own; notes say what was found wrong with it; bpm and marks
    are what its tags say."""

    file: str = ""
    format: str = ""
    rate: int = RATE
    channels: int = 2
    lossy: bool = False
    notes: tuple[str, ...] = ()
    bpm: float | None = Field(default=None, ge=20, le=400)
    marks: tuple[Mark, ...] = ()


Metre = Literal["4/4", "3/4", "6/8"]
QUARTERS: dict[Metre, int] = {"4/4": 4, "3/4": 3, "6/8": 3}


class Grid(Frozen):
    """Tempo over a source. bar_one: sample of the first bar line; bars: whole bars when it is a trimmed loop; beats: samples
    of the quarter notes from bar one on, when the performance drifts and bpm is only its mean."""

    bpm: float = Field(ge=20, le=400)
    bar_one: int = Field(default=0, ge=0)
    beats_per_bar: int = Field(default=4, ge=1, le=16)
    metre: Metre = "4/4"
    bars: int | None = Field(default=None, ge=1)
    beats: tuple[int, ...] = ()
    by: Literal["analysis", "hand"] = "analysis"


class Cut(Frozen):
    """A slice begins here and lasts to the next cut, or to the end of the source."""

    id: str
    at: int = Field(ge=0)
    by: Literal["transient", "hand"] = "transient"
    name: str | None = Field(default=None, max_length=80)
    role: Role | None = None
    role_by: Literal["analysis", "hand"] = "hand"


class Kin(Frozen):
    """What this source is to another: a stem of it, or a cleaned copy. offset: sample of the root at which this one begins;
    likeness: how alike they are there (correlation)."""

    root: str
    kind: Literal["stem", "cleaned"]
    offset: int = 0
    likeness: float | None = None


class Source(Frozen):
    id: str
    name: str = Name
    audio: str
    frames: int = Field(ge=1)
    channels: int = Field(ge=1, le=2)
    origin: Origin = Origin()
    credits: Credits = Credits()
    grid: Grid | None = None
    trim: float = of("source", "trim").field()
    sensitivity: float = of("chop", "sensitivity").field()
    cuts: tuple[Cut, ...] = ()
    kin: Kin | None = None


class Chop(Frozen):
    """The region of a source under a pad. While `cut` is set the region follows that slice when its cuts move."""

    source: str
    start: int = Field(ge=0)
    end: int = Field(ge=1)
    cut: str | None = None


class Pad(Frozen):
    name: str = Name
    role: Role | None = None
    chop: Chop
    level: float = of("pad", "level").field()
    pitch: float = of("pad", "pitch").field()
    fade_out: float = of("pad", "fade_out").field()
    reverse: bool = False
    play: Literal["one-shot", "held"] = "one-shot"
    choke: int = Field(default=0, ge=0, le=MOST_CHOKE, description="Pads of one group cut each other off; 0 is none")


class Hit(Frozen):
    """One stroke. A pad has at most one at a beat, so (pad, beat) names it. length (beats) gates held pads."""

    pad: int = Field(ge=0, lt=MOST_PADS)
    beat: float = Field(ge=0)
    velocity: int = Field(default=100, ge=1, le=127)
    length: float | None = Field(default=None, gt=0)


class Pattern(Frozen):
    id: str
    name: str = Name
    bars: int = Field(default=2, ge=1, le=64)
    beats_per_bar: int = Field(default=4, ge=1, le=16)
    swing: float = of("pattern", "swing").field()
    hits: tuple[Hit, ...] = ()

    @property
    def beats(self) -> int:
        return self.bars * self.beats_per_bar


class Key(Frozen):
    """tonic: 0 (C) to 11 (B)."""

    tonic: int = Field(ge=0, le=11)
    mode: Literal["major", "minor"]


class Pocket(Frozen):
    """sources, pads and patterns are records by id (pads by index: page * 16 + place); dicts keep the order of making."""

    name: str = Name
    rate: int = RATE
    tempo: float = of("pocket", "tempo").field()
    key: Key | None = None
    level: float = of("pocket", "level").field()
    fade_in_edge: float = of("pocket", "fade_in_edge").field()
    fade_out_edge: float = of("pocket", "fade_out_edge").field()
    sources: dict[str, Source] = {}
    pads: dict[int, Pad] = {}
    patterns: dict[str, Pattern] = {}
    next_id: int = Field(default=1, ge=1, description="Number of the next record made; never used twice")

    def with_source(self, source: Source) -> Pocket:
        return self.model_copy(update={"sources": {**self.sources, source.id: source}})

    def with_pad(self, index: int, pad: Pad) -> Pocket:
        return self.model_copy(update={"pads": {**self.pads, index: pad}})

    def with_pattern(self, pattern: Pattern) -> Pocket:
        return self.model_copy(update={"patterns": {**self.patterns, pattern.id: pattern}})
