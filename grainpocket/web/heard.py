"""What is heard of each pocket, as the segments that the browser plays.

Of a plain mix a segment's key is made of its events, and is the same whenever they are. Through buses with effects its sound
depends on all that was before it: then it is named by the run that it belongs to, a token for the mix as it was after an edit.
"""

from __future__ import annotations

import uuid
from dataclasses import dataclass

from grainpocket.core.kept import Kept
from grainpocket.core.mix.live import Run, Settled
from grainpocket.core.mix.loop import Renderer, Segment
from grainpocket.core.mix.mixdown import Mix
from grainpocket.core.mix.nodes import Pieces, Stopped, pieces
from grainpocket.core.mix.routing import curves_of
from grainpocket.core.pocket import Pocket
from grainpocket.core.rhythm.schedule import schedule
from grainpocket.core.rhythm.timing import Timeline
from grainpocket.core.song.layout import song_schedule
from grainpocket.core.sound.audio import Samples

SONG = "song"
MOST_RUNS = 8
DRAFT, EXACT = "draft", "exact"


@dataclass(frozen=True)
class Named:
    """A segment by key: samples start to start + frames of what is played."""

    key: str
    start: int
    frames: int


@dataclass(eq=False)
class Playing:
    """What is heard of a pocket: its pattern, or the song."""

    token: str
    pocket: Pocket
    mix: Mix
    run: Run | None

    @property
    def length(self) -> int:
        spans = self.mix.spans
        return spans[-1].start + spans[-1].frames if spans else 0


class Heard:
    def __init__(self, renderer: Renderer, room: int) -> None:
        """room: bytes for what buses render."""
        self.renderer = renderer
        self.pieces: Pieces = pieces(room)
        # By pocket and pattern: the newest. And by token, for what a browser may still ask for.
        self._newest: Kept[tuple[str, str], Playing] = Kept(MOST_RUNS)
        self._by_token: Kept[str, Playing] = Kept(MOST_RUNS)

    def mix(self, pocket: Pocket, what: str) -> Mix:
        """A pattern by id, or the song. Raises KeyError."""
        if what == SONG:
            time = Timeline(pocket.tempo, pocket.rate)
            curves = curves_of(pocket.threads.values(), time.frames)
            return Mix(pocket, song_schedule(pocket), self.renderer, self.pieces, cyclic=False, automation=curves)
        return Mix(pocket, schedule(pocket, pocket.patterns[what]), self.renderer, self.pieces, cyclic=True)

    def playing(self, pocket_id: str, pocket: Pocket, what: str) -> Playing:
        """What is heard of a pocket as it is now. Raises KeyError."""
        place = (pocket_id, what)
        before = self._newest.get(place)
        if before is not None and before.pocket is pocket:
            return before
        mix = self.mix(pocket, what)
        run = None if mix.plain else Run(mix, before.run if before else None)
        playing = Playing(uuid.uuid4().hex[:16], pocket, mix, run)
        if before is not None and before.run is not None:
            before.run.let_go()
        self._by_token.put(playing.token, playing)
        return self._newest.put(place, playing)

    def exact(self, pocket: Pocket, pattern: str) -> Playing:
        """A plain loop through the graph all the same, to see what its buses do."""
        mix = self.mix(pocket, pattern)
        return Playing("", pocket, mix, Run(mix))

    def segments(self, playing: Playing, first: int = 0, last: int | None = None) -> list[Segment | Named]:
        """The segments that sound between two samples, by key: of a plain mix with their recipes."""
        mix = playing.mix
        wanted = [i for i, s in enumerate(mix.spans) if s.start + s.frames > first and (last is None or s.start < last)]
        if playing.run is None:
            return [mix.segment(i) for i in wanted]
        return [Named(f"{DRAFT}-{playing.token}-{i}", mix.spans[i].start, mix.spans[i].frames) for i in wanted]

    def settled(self, playing: Playing) -> tuple[list[Named], Settled]:
        """The exact segments of a loop, and what is seen of its buses. Raises Stopped when an edit has overtaken it."""
        assert playing.run is not None
        found = playing.run.settled()
        spans = playing.mix.spans
        return [Named(f"{EXACT}-{playing.token}-{i}", span.start, span.frames) for i, span in enumerate(spans)], found

    def sound(self, key: str) -> Samples | None:
        """What a key of a run stands for; None when it is none, or forgotten."""
        kind, _, rest = key.partition("-")
        token, _, number = rest.partition("-")
        playing = self._by_token.get(token)
        if playing is None or playing.run is None or not number.isdecimal() or int(number) >= len(playing.mix.spans):
            return None
        try:
            if kind == DRAFT:
                return playing.run.draft(int(number))
            return playing.run.settled().sound[int(number)] if kind == EXACT else None
        except Stopped:
            return None
