"""The song: sections in order, and threads of automation that lie over them."""

from __future__ import annotations

from pydantic import Field

from grainpocket.core.document.base import MOST_BARS, MOST_PADS, Frozen, Name
from grainpocket.core.params import of

MOST_SECTIONS = 256
MOST_POINTS = 5000


class Section(Frozen):
    """bars and repeats: how long it lasts, and how often in a row; patterns: those that play at once, each round and round;
    muted: pads that are silent in it."""

    id: str
    name: str = Name
    bars: int = of("section", "bars").whole_field()
    repeats: int = of("section", "repeats").whole_field()
    beats_per_bar: int = Field(default=4, ge=1, le=16)
    patterns: tuple[str, ...] = Field(default=(), max_length=64)
    muted: tuple[int, ...] = Field(default=(), max_length=MOST_PADS)

    @property
    def beats(self) -> int:
        """Of one time through."""
        return self.bars * self.beats_per_bar


class Point(Frozen):
    """A value at a beat of the song. From one to the next it goes straight; two at one beat are a jump."""

    beat: float = Field(ge=0)
    value: float


class Thread(Frozen):
    """A control that moves along the song. control: see core/mix/controls; points by beat; before the first and after the last
    it rests at their values."""

    id: str
    control: str = Field(max_length=120)
    points: tuple[Point, ...] = Field(default=(), max_length=MOST_POINTS)


__all__ = ["MOST_BARS", "MOST_POINTS", "MOST_SECTIONS", "Point", "Section", "Thread"]
