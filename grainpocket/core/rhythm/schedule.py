"""A pattern to timed events: which voice starts at which sample, how loud, and where it is cut off."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import NamedTuple

from grainpocket.core.pocket import Pattern, Pocket
from grainpocket.core.rhythm.timing import Timeline, swung
from grainpocket.core.shape.voice import VoiceSpec, spec_of

CHOKE_FADE_S = 0.003
RELEASE_FADE_S = 0.012


class Event(NamedTuple):
    """frame: sample of the hit in the loop; gain: linear, from velocity; stop: samples after the hit at which it is cut
    off (None: it ends by itself), with a fade of `fade` samples from there."""

    pad: int
    frame: int
    gain: float
    spec: VoiceSpec
    stop: int | None = None
    fade: int = 0

    @property
    def length(self) -> int:
        return self.spec.length if self.stop is None else min(self.spec.length, self.stop + self.fade)


@dataclass(frozen=True)
class Schedule:
    """length: samples of one pass; bars: first sample of each bar; events sorted by frame, then pad."""

    rate: int
    length: int
    bars: tuple[int, ...]
    events: tuple[Event, ...]

    def by_bar(self) -> list[list[Event]]:
        out: list[list[Event]] = [[] for _ in self.bars]
        for event in self.events:
            out[bisect_right(self.bars, event.frame) - 1].append(event)
        return out


@dataclass(slots=True)
class _Draft:
    """An event in the making: thousands are changed several times before they are done."""

    pad: int
    frame: int
    gain: float
    spec: VoiceSpec
    length: int
    choke: int
    stop: int | None = None
    fade: int = 0
    joined_before: bool = False
    joined_after: bool = False

    def stop_at(self, stop: int, fade: int) -> None:
        if stop < self.length and (self.stop is None or stop < self.stop):
            self.stop, self.fade = max(0, stop), fade


def velocity_gain(velocity: int) -> float:
    """127 is the chop's own level; below it falls with the square, as sound fonts and most drum instruments do."""
    return (velocity / 127.0) ** 2


def schedule(pocket: Pocket, pattern: Pattern, cyclic: bool = True) -> Schedule:
    """Events of one pass. cyclic: the pass is followed by itself, so chokes and joins reach over the end.

    Hits on empty pads and hits beyond the pattern's end are silent; nothing is refused here.
    """
    time = Timeline(pocket.tempo, pocket.rate)
    length = time.frame(pattern.beats)
    bars = tuple(time.frame(bar * pattern.beats_per_bar) for bar in range(pattern.bars))
    release = int(RELEASE_FADE_S * pocket.rate)
    sounds: dict[int, tuple[VoiceSpec, int, int, bool]] = {}
    for index in {hit.pad for hit in pattern.hits} & pocket.pads.keys():
        pad = pocket.pads[index]
        spec = spec_of(pocket, pad)
        sounds[index] = spec, spec.length, pad.choke, pad.play == "held"
    drafts: list[_Draft] = []
    for hit in pattern.hits:
        frame = time.frame(swung(hit.beat, pattern.swing))
        if hit.pad not in sounds or frame >= length:
            continue
        spec, natural, choke, held = sounds[hit.pad]
        draft = _Draft(hit.pad, frame, velocity_gain(hit.velocity), spec, natural, choke)
        if held and hit.length is not None:
            draft.stop_at(time.frame(hit.beat + hit.length) - time.frame(hit.beat), release)
        drafts.append(draft)
    drafts.sort(key=lambda d: (d.frame, d.pad))
    _choke(drafts, int(CHOKE_FADE_S * pocket.rate), length, cyclic)
    _join(drafts, pocket, length, cyclic)
    return Schedule(pocket.rate, length, bars, tuple(_done(drafts)))


def _choke(drafts: list[_Draft], fade: int, length: int, cyclic: bool) -> None:
    """Stop each event where the next one of its choke group begins."""
    starts: dict[int, list[int]] = {}
    for draft in drafts:
        if draft.choke:
            starts.setdefault(draft.choke, []).append(draft.frame)
    for draft in drafts:
        mine = starts.get(draft.choke)
        if not mine:
            continue
        following = bisect_right(mine, draft.frame)
        if following < len(mine):
            draft.stop_at(mine[following] - draft.frame, fade)
        elif cyclic:
            draft.stop_at(mine[0] + length - draft.frame, fade)


def _join(drafts: list[_Draft], pocket: Pocket, length: int, cyclic: bool) -> None:
    """Mark the edges at which the record simply goes on from one event into another."""
    at: dict[int, list[_Draft]] = {}
    for draft in drafts:
        at.setdefault(draft.frame, []).append(draft)
    for draft in drafts:
        if draft.stop is not None or draft.spec.fade_out or draft.spec.pitch or draft.spec.reverse:
            continue
        end = draft.frame + draft.length
        for other in at.get(end % length if cyclic else end, ()):
            if (other is not draft or len(drafts) == 1) and _continues(draft, other, pocket):
                draft.joined_after = other.joined_before = True
                break


def _continues(first: _Draft, second: _Draft, pocket: Pocket) -> bool:
    """Whether the second begins with the very sample that follows the first, at the same loudness. The start of a source
    follows its end: that is what a trimmed loop is."""
    a, b = first.spec, second.spec
    if a.audio != b.audio or first.gain != second.gain or a.level != b.level or b.pitch or b.reverse:
        return False
    frames = pocket.sources[pocket.pads[first.pad].chop.source].frames
    return b.start == a.end or (a.end == frames and b.start == 0)


def _done(drafts: list[_Draft]) -> Iterator[Event]:
    """The events; those of one pad with the same edges share one spec, whose key is then worked out once."""
    specs: dict[tuple[int, bool, bool], VoiceSpec] = {}
    for d in drafts:
        edges = (d.pad, d.joined_before, d.joined_after)
        if edges not in specs:
            plain = not (d.joined_before or d.joined_after)
            specs[edges] = d.spec if plain else replace(d.spec, joined_before=d.joined_before, joined_after=d.joined_after)
        yield Event(d.pad, d.frame, d.gain, specs[edges], d.stop, d.fade)
