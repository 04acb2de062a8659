"""A record's own drums, on any pad: to thicken them, or in their place."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from grainpocket.core.chop.kin import cuts_of
from grainpocket.core.edits.base import EditModel, Library, Refusal, the_pad, the_pattern, the_source
from grainpocket.core.edits.moving import settled
from grainpocket.core.edits.played import whole_bars
from grainpocket.core.listen.drums.roles import LIKELY
from grainpocket.core.listen.onsets.classifier import ROLES
from grainpocket.core.listen.onsets.onset import Onsets, nothing
from grainpocket.core.pocket import MOST_PADS, Pocket, Role, Source
from grainpocket.core.rhythm.original import struck_as

NEAR_S = 0.012  # between a cut and the stroke that was heard there
UNHEARD = 1.0  # how hard a cut is that no stroke was heard at


class TakeRhythm(EditModel):
    """What a sliced find plays on one of its drums, on a pad of the pattern: velocities are as hard as it is struck, those under
    `least` are left out. straight: on the nearest sixteenths. A find that is shorter than the pattern goes round."""

    type: Literal["take_rhythm"] = "take_rhythm"
    pattern: str
    pad: int = Field(ge=0, lt=MOST_PADS)
    source: str
    role: Role | None = Field(default=None, description="Left out: all of its slices")
    start: int | None = Field(default=None, ge=0)
    end: int | None = Field(default=None, ge=1)
    least: int = Field(default=1, ge=1, le=127)
    straight: bool = False
    replace: bool = True

    def label(self, pocket: Pocket) -> str:
        return "take rhythm"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        the_pad(pocket, self.pad)
        source = the_source(pocket, self.source)
        span = whole_bars(pocket, source, self.start, self.end)
        places = self._struck(pocket, source, span.start, span.end, library)
        if not places:
            raise Refusal(f"{source.name} has no {self.role or 'slice'} there.")
        once = struck_as(
            self.pad, places, span.bpm, span.start, float(span.beats), pocket.rate, self.least, self.straight
        )  # fmt: skip
        rounds = -(-pattern.beats // span.beats)
        made = [
            hit.model_copy(update={"beat": hit.beat + turn * span.beats})
            for turn in range(rounds) for hit in once if hit.beat + turn * span.beats < pattern.beats
        ]  # fmt: skip
        if not made:
            raise Refusal("All of its hits are softer than that. Lower the threshold.")
        places_ = {hit.place for hit in made}
        rest = [hit for hit in pattern.hits if hit.place not in places_ and not (self.replace and hit.pad == self.pad)]
        return settled(pocket, pattern, rest, made)

    def _struck(self, pocket: Pocket, source: Source, start: int, end: int, library: Library) -> list[tuple[int, float]]:
        """(sample, how hard) of its strokes: of the slices that are this drum, and of what is heard along with another one."""
        cuts = [cut for cut in cuts_of(pocket, source) if start - 1 <= cut.at < end]
        near = int(NEAR_S * pocket.rate)
        try:
            onsets = library.hearing(source.audio).onsets
        except KeyError:
            onsets = nothing(pocket.rate)
        alone: list[tuple[int, float]] = []
        along: list[int] = []
        for cut in cuts:
            i = int(np.abs(onsets.at - cut.at).argmin()) if len(onsets.at) else -1
            heard = i >= 0 and abs(int(onsets.at[i]) - cut.at) <= near
            if self.role is None or cut.role == self.role:
                alone.append((cut.at, float(onsets.hard[i]) if heard else UNHEARD))
            elif heard and not (cut.role is not None and cut.role_by == "hand") and self._along(onsets, i):
                along.append(cut.at)
        # How hard what sounds along is struck cannot be told from the louder one: as it mostly is.
        usual = float(np.median([hard for _, hard in alone])) if alone else UNHEARD
        return sorted([*alone, *((at, usual) for at in along)])

    def _along(self, onsets: Onsets, i: int) -> bool:
        return self.role in ROLES and float(onsets.roles[i, ROLES.index(self.role)]) >= LIKELY
