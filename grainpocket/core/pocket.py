"""The document: everything the musician made, as frozen values.

Audio and analyses are not in here; sources name their audio by content hash. Times on a source are sample positions at
the pocket's rate; times in a pattern are beats (quarter notes) as float64, never rounded to ticks.
"""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.document.base import MOST_BARS, MOST_PADS, PAGE, RATE, Frozen, Name, Role  # noqa: F401
from grainpocket.core.document.mixing import MOST_BUSES, MOST_EFFECTS, Bus, Effect, Send
from grainpocket.core.document.rhythm import (  # noqa: F401
    ChordAt,
    Condition,
    Feel,
    FeelUse,
    Hit,
    Lane,
    Pattern,
    Played,
    Recording,
    Roll,
)
from grainpocket.core.document.song import MOST_SECTIONS, Section, Thread
from grainpocket.core.document.sound import Sound
from grainpocket.core.document.upgrades import FORM
from grainpocket.core.params import of

MOST_CHOKE = 32
MOST_LAYERS = 7
MOST_ZONES = 32
MOST_TRAY = 256
LONGEST_CHOP_S = 120
# Of what is laid out drum by drum: each drum cuts off its own earlier strokes, and a hat no kick; all else rings on. Records have
# groups of their own, from 1 up.
CHOKE_OF: dict[Role | None, int] = {"kick": 32, "snare": 31, "hat": 30, "perc": 29, "tonal": 0, "vocal": 0, None: 0}


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


class Taken(Frozen):
    """The stretch of a record that a source is, in samples of that record."""

    record: str
    start: int
    end: int


class Part(Frozen):
    """A stretch of a record that sounds in a source made of several, in samples of that record. audio: its content hash; at:
    the sample of the source at which it begins, None where that was not written down."""

    record: str
    audio: str = ""
    start: int
    end: int
    at: int | None = None


MAX_PARTS = 20_000  # of one source: a song of that many hits


class Recipe(Frozen):
    """What a print was made of. pad: of a pattern, that lane of it alone; transform: what a pad was turned into in one step
    (core/shape/transforms); keys: its notes one after the other; sections: of the song, in a row, none: all of it; master: with
    the master's effects and level; ending: its tail is cut at the end, rings out behind it, or is wrapped round to the start."""

    what: Literal["pattern", "pad", "bus", "song", "keys"]
    pattern: str | None = None
    pad: int | None = Field(default=None, ge=0, lt=MOST_PADS)
    bus: str | None = None
    sections: tuple[str, ...] = Field(default=(), max_length=MOST_SECTIONS)
    master: bool = True
    ending: Literal["cut", "ring", "wrap"] = "cut"
    transform: Literal["reversed reverb", "riser", "stutter", "half speed"] | None = None


class Origin(Frozen):
    """Where a source came from. rate and channels are the file's own; notes say what was found wrong with it; bpm and marks
    are what its tags say; taken: the record that it is a stretch of; parts: the records that sound in it, when it was made of
    several; recipe: of a print."""

    file: str = ""
    format: str = ""
    rate: int = RATE
    channels: int = 2
    lossy: bool = False
    notes: tuple[str, ...] = ()
    bpm: float | None = Field(default=None, ge=20, le=400)
    marks: tuple[Mark, ...] = ()
    taken: Taken | None = None
    parts: tuple[Part, ...] = Field(default=(), max_length=MAX_PARTS)
    recipe: Recipe | None = None


Metre = Literal["4/4", "3/4", "6/8", "5/4", "6/4", "7/4"]
QUARTERS: dict[Metre, int] = {"4/4": 4, "3/4": 3, "6/8": 3, "5/4": 5, "6/4": 6, "7/4": 7}


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


Policy = Literal["transients", "grid", "parts", "chords", "phrases", "copied"]
Snap = Literal["attack", "quiet", "grid", "off"]


class Cutting(Frozen):
    """How a source is to be cut: a policy, and the settings of all of them, so that none is lost by trying another."""

    by: Policy = "transients"
    sensitivity: float = of("chop", "sensitivity").field()
    shortest: float = of("chop", "shortest").field()
    roles: tuple[Role, ...] = Field(default=(), description="Transients of these drums alone; none: all")
    step: float = of("chop", "step").field()
    parts: int = of("chop", "parts").whole_field()
    phrase: Literal["whole", "endings"] = "whole"
    other: str | None = Field(default=None, description="The source whose cuts are copied")
    align: Literal["offset", "beats"] = "beats"
    offset: int = Field(default=0, description="Sample of the other source at which this one begins")
    snap: Snap = "off"


class Cut(Frozen):
    """A slice begins here and lasts to the next cut, or to the end of the source."""

    id: str
    at: int = Field(ge=0)
    by: Policy | Literal["hand"] = "transients"
    name: str | None = Field(default=None, max_length=80, description="Its own; called: what is shown (core/document/naming)")
    called: str = Field(default="", max_length=80)
    role: Role | None = None
    role_by: Literal["analysis", "hand"] = "hand"


class Kin(Frozen):
    """What this source is to another: a stem of it, or a cleaned copy. offset: sample of the root at which this one begins;
    likeness: how alike they are there (correlation)."""

    root: str
    kind: Literal["stem", "cleaned"]
    offset: int = 0
    likeness: float | None = None


class Key(Frozen):
    """tonic: 0 (C) to 11 (B)."""

    tonic: int = Field(ge=0, le=11)
    mode: Literal["major", "minor"]


class Source(Frozen):
    """cuts: of the whole family, when it is the root of one; kin have none of their own (see core/chop/kin); key: set by hand or
    known from what a print was made of, None where it is as heard."""

    id: str
    name: str = Name
    audio: str
    frames: int = Field(ge=1)
    channels: int = Field(ge=1, le=2)
    origin: Origin = Origin()
    credits: Credits = Credits()
    grid: Grid | None = None
    trim: float = of("source", "trim").field()
    cutting: Cutting = Cutting()
    cuts: tuple[Cut, ...] = ()
    kin: Kin | None = None
    key: Key | None = None


class Chop(Frozen):
    """The region of a source under a pad. While `cut` is set the region follows that slice when its cuts move; with `last`
    it reaches to the end of that later slice. On a stem that is shorter than its mix it may lie partly outside: silence."""

    source: str
    start: int
    end: int
    cut: str | None = None
    last: str | None = None


class Layer(Frozen):
    """Another sound that plays with a pad's own. Its level and pitch come on top of the pad's; the rest is its own. delay: ms after
    the hit; softest, hardest: velocities between which it sounds; when: always, in turn with others, or one of them by chance."""

    chop: Chop
    name: str = Field(default="", max_length=80)
    sound: Sound = Sound()
    delay: float = of("layer", "delay").field()
    softest: int = of("layer", "softest").whole_field()
    hardest: int = of("layer", "hardest").whole_field()
    when: Literal["always", "in turn", "random"] = "always"


class Zone(Frozen):
    """A further chop of an instrument, and the key at which it sounds at its own pitch (MIDI, cents as a fraction)."""

    chop: Chop
    root: float = Field(ge=0, le=127)


class Pad(Frozen):
    """takes: further chops of the same drum, which hits may play instead of its own; layers: what sounds along with it; zones:
    further chops across the keys; locked: no slice takes its place; sends: shares of it that go to returns; bus: where it was
    routed by hand ("master" too), None where its role decides."""

    name: str | None = Field(default=None, max_length=80, description="Its own; called: what is shown (core/document/naming)")
    called: str = Field(default="", max_length=80)
    role: Role | None = None
    chop: Chop
    takes: tuple[Chop, ...] = Field(default=(), max_length=256)
    layers: tuple[Layer, ...] = Field(default=(), max_length=MOST_LAYERS)
    zones: tuple[Zone, ...] = Field(default=(), max_length=MOST_ZONES)
    locked: bool = False
    sound: Sound = Sound()
    sends: tuple[Send, ...] = Field(default=(), max_length=MOST_BUSES)
    bus: str | None = None
    choke: int = Field(default=0, ge=0, le=MOST_CHOKE, description="Pads of one group cut each other off; 0 is none")


class Favourite(Frozen):
    """A hit kept outside any pocket: its own audio, the settings of the pad that it was kept from, and whose record it is."""

    name: str = Name
    role: Role | None = None
    audio: str
    frames: int = Field(ge=1)
    channels: int = Field(ge=1, le=2)
    taken: Taken
    credits: Credits = Credits()
    trim: float = of("source", "trim").field()
    sound: Sound = Sound()


class Held(Frozen):
    """A slice in the tray: set aside for a kit."""

    chop: Chop
    name: str | None = Field(default=None, max_length=80, description="Its own; called: what is shown (core/document/naming)")
    called: str = Field(default="", max_length=80)
    role: Role | None = None


class Pocket(Frozen):
    """form: see core/document/upgrades; pages: names of pages of pads, by number from 0; tray: slices set aside; chain: the
    effects of the master; song: ids of sections in the order in which they are played. The records by id are those that
    core/document/records lists (pads by index: page * 16 + place); dicts keep the order of making."""

    form: int = Field(default=FORM, ge=FORM, le=FORM)
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
    feels: dict[str, Feel] = {}
    buses: dict[str, Bus] = {}
    chain: tuple[Effect, ...] = Field(default=(), max_length=MOST_EFFECTS)
    sections: dict[str, Section] = {}
    song: tuple[str, ...] = Field(default=(), max_length=MOST_SECTIONS)
    threads: dict[str, Thread] = {}
    pages: dict[int, str] = {}
    tray: tuple[Held, ...] = Field(default=(), max_length=MOST_TRAY)
    next_id: int = Field(default=1, ge=1, description="Number of the next record made; never used twice")

    def with_source(self, source: Source) -> Pocket:
        return self.model_copy(update={"sources": {**self.sources, source.id: source}})

    def with_pad(self, index: int, pad: Pad) -> Pocket:
        return self.model_copy(update={"pads": {**self.pads, index: pad}})

    def with_pattern(self, pattern: Pattern) -> Pocket:
        return self.model_copy(update={"patterns": {**self.patterns, pattern.id: pattern}})

    def with_bus(self, bus: Bus) -> Pocket:
        return self.model_copy(update={"buses": {**self.buses, bus.id: bus}})
