"""A pattern to timed events: which voice starts at which sample, how loud, and where it is cut off."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass, replace

from grainpocket.core.pocket import Pattern, Pocket
from grainpocket.core.rhythm.timing import Timeline, swung
from grainpocket.core.shape.voice import VoiceSpec, spec_of

CHOKE_FADE_S = 0.003
RELEASE_FADE_S = 0.012


@dataclass(frozen=True)
class Event:
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

    def in_bar(self, bar: int) -> list[Event]:
        end = self.bars[bar + 1] if bar + 1 < len(self.bars) else self.length
        return [e for e in self.events if self.bars[bar] <= e.frame < end]


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
    specs = {index: spec_of(pocket, pad) for index, pad in pocket.pads.items()}
    events: list[Event] = []
    for hit in pattern.hits:
        frame = time.frame(swung(hit.beat, pattern.swing))
        if hit.pad not in specs or frame >= length:
            continue
        event = Event(hit.pad, frame, velocity_gain(hit.velocity), specs[hit.pad])
        if hit.length is not None and pocket.pads[hit.pad].play == "held":
            event = _stopped(event, time.frame(hit.beat + hit.length) - time.frame(hit.beat), int(RELEASE_FADE_S * pocket.rate))
        events.append(event)
    events.sort(key=lambda e: (e.frame, e.pad))
    events = _choked(events, pocket, length, cyclic)
    return Schedule(pocket.rate, length, bars, tuple(_joined(events, pocket, length, cyclic)))


def _stopped(event: Event, stop: int, fade: int) -> Event:
    if stop >= event.spec.length or (event.stop is not None and stop >= event.stop):
        return event
    return replace(event, stop=max(0, stop), fade=fade)


def _choked(events: list[Event], pocket: Pocket, length: int, cyclic: bool) -> list[Event]:
    """Each event stopped where the next one of its choke group begins."""
    starts: dict[int, list[int]] = {}
    for event in events:
        group = pocket.pads[event.pad].choke
        if group:
            starts.setdefault(group, []).append(event.frame)
    fade = int(CHOKE_FADE_S * pocket.rate)
    out = []
    for event in events:
        mine = starts.get(pocket.pads[event.pad].choke)
        if mine:
            following = bisect_right(mine, event.frame)
            if following < len(mine):
                event = _stopped(event, mine[following] - event.frame, fade)
            elif cyclic:
                event = _stopped(event, mine[0] + length - event.frame, fade)
        out.append(event)
    return out


def _joined(events: list[Event], pocket: Pocket, length: int, cyclic: bool) -> list[Event]:
    """Mark the edges at which the record simply goes on from one event into another."""
    out = list(events)
    at: dict[int, list[int]] = {}
    for i, event in enumerate(events):
        at.setdefault(event.frame, []).append(i)
    for i, event in enumerate(events):
        if event.stop is not None or event.spec.fade_out or event.spec.pitch or event.spec.reverse:
            continue
        end = event.frame + event.spec.length
        for j in at.get(end % length if cyclic else end, ()):
            if j != i or len(events) == 1:
                if _continues(event, events[j], pocket):
                    out[i] = replace(out[i], spec=replace(out[i].spec, joined_after=True))
                    out[j] = replace(out[j], spec=replace(out[j].spec, joined_before=True))
                    break
    return out


def _continues(first: Event, second: Event, pocket: Pocket) -> bool:
    """Whether the second begins with the very sample that follows the first, at the same loudness. The start of a source
    follows its end: that is what a trimmed loop is."""
    a, b = first.spec, second.spec
    if a.audio != b.audio or first.gain != second.gain or a.level != b.level or b.pitch or b.reverse:
        return False
    frames = pocket.sources[pocket.pads[first.pad].chop.source].frames
    return b.start == a.end or (a.end == frames and b.start == 0)
