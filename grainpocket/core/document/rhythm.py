"""Patterns: hits, the lanes that they stand in, the feel that lies over them, the chords under them, recordings."""

from __future__ import annotations

from pydantic import Field

from grainpocket.core.document.base import MOST_BARS, MOST_PADS, Frozen, Name
from grainpocket.core.params import of

MOST_STEPS = 256  # of a lane with a length of its own
MOST_CHORDS = 256
MOST_RECORDINGS = 32
MOST_FEEL = 256
MOST_ALTERNATE = 32


class Roll(Frozen):
    """A hit as several in its length (a sixteenth if it has none): how many, and how far velocity and note have gone at the end."""

    times: int = Field(ge=2, le=16)
    velocity: int = Field(default=0, ge=-126, le=126)
    note: int = Field(default=0, ge=-24, le=24)


class Condition(Frozen):
    """A hit that is not struck each time: chance in %; on the `on`-th of every so many times through its lane."""

    chance: int = of("hit", "chance").whole_field()
    every: int = Field(default=1, ge=1, le=16)
    on: int = Field(default=1, ge=1, le=16)


class Hit(Frozen):
    """One stroke. id: given by the pattern that it is put into; several of a pad at one beat are a chord. note: semitones from
    the pad's root; length (beats) gates held pads; take: which of the pad's chops it plays, 0 for its own; own: settings of the
    sound that are other for this hit alone (core/document/sound); roll: it is struck several times; when: not each time; turn:
    which of the layers that take turns it plays, None by the order in which hits come."""

    id: str = Field(default="", max_length=20)
    pad: int = Field(ge=0, lt=MOST_PADS)
    beat: float = Field(ge=0)
    velocity: int = Field(default=100, ge=1, le=127)
    length: float | None = Field(default=None, gt=0)
    take: int = Field(default=0, ge=0)
    note: int = of("hit", "note").whole_field()
    own: dict[str, float | bool | str] = {}
    roll: Roll | None = None
    when: Condition | None = None
    turn: int | None = Field(default=None, ge=0, lt=MOST_ALTERNATE)

    @property
    def place(self) -> tuple[int, float, int]:
        return self.pad, self.beat, self.note


class FeelUse(Frozen):
    """A feel that lies over hits. feel: of the pocket, or one of our own (core/rhythm/feel); place, accent: % of its timing and of
    its accents."""

    feel: str = Field(max_length=40)
    place: float = of("feel", "place").field()
    accent: float = of("feel", "accent").field()


class Lane(Frozen):
    """How the hits of a pad run in a pattern. step: beats; steps: its own length, None for the pattern's: it goes round and round
    by itself; skipped: steps that are left out, so that the next one follows at once; muted, solo, level (dB): in this pattern
    alone; swing, feel: other than the pattern's."""

    step: float = of("lane", "step").field()
    steps: int | None = Field(default=None, ge=1, le=MOST_STEPS)
    skipped: tuple[int, ...] = Field(default=(), max_length=MOST_STEPS)
    muted: bool = False
    solo: bool = False
    level: float = of("lane", "level").field()
    swing: float | None = of("pattern", "swing").optional_field()
    feel: FeelUse | None = None


class ChordAt(Frozen):
    """A chord from a beat on. tonic: 0 (C) to 11 (B); kind: of core/notes.CHORDS."""

    beat: float = Field(ge=0)
    tonic: int = Field(ge=0, le=11)
    kind: str = Field(default="major", max_length=20)


class Recording(Frozen):
    """What was played into a pattern in one go, kept whether it is in use or not. on: its hits are among the pattern's."""

    id: str
    name: str = Name
    hits: tuple[Hit, ...] = ()
    on: bool = True


class Played(Frozen):
    """The stretch of a source whose rhythm a pattern was taken from, in samples, and the tempo it had there."""

    source: str
    start: int
    end: int
    bpm: float


class Feel(Frozen):
    """Timing and accents by step, to be laid over hits. step: beats; offsets: beats by which each step comes late; accents: factor
    of the velocity; round and round."""

    id: str
    name: str = Name
    step: float = Field(default=0.25, gt=0, le=4)
    offsets: tuple[float, ...] = Field(min_length=1, max_length=MOST_FEEL)
    accents: tuple[float, ...] = Field(default=(), max_length=MOST_FEEL)


class Pattern(Frozen):
    """swing_step: the steps that swing, in beats; loose (ms), uneven (velocity): how far hits stray, by `seed` and always in the
    same way; lanes: by pad, those that are set; variant_of: the pattern that it goes along with, but for what differs."""

    id: str
    name: str = Name
    bars: int = Field(default=2, ge=1, le=MOST_BARS)
    beats_per_bar: int = Field(default=4, ge=1, le=16)
    swing: float = of("pattern", "swing").field()
    swing_step: float = of("pattern", "swing_step").field()
    feel: FeelUse | None = None
    loose: float = of("pattern", "loose").field()
    uneven: float = of("pattern", "uneven").field()
    seed: int = Field(default=1, ge=0, le=9999)
    hits: tuple[Hit, ...] = ()
    lanes: dict[int, Lane] = {}
    chords: tuple[ChordAt, ...] = Field(default=(), max_length=MOST_CHORDS)
    recordings: tuple[Recording, ...] = Field(default=(), max_length=MOST_RECORDINGS)
    variant_of: str | None = None
    played: Played | None = None

    @property
    def beats(self) -> int:
        return self.bars * self.beats_per_bar
