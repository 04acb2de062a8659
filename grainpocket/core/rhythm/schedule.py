"""A pattern to timed events: which voice starts at which sample, how loud, and where it is cut off."""

from __future__ import annotations

import functools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.document.sound import bends, changed
from grainpocket.core.kept import Kept
from grainpocket.core.pocket import Feel, Hit, Pattern, Pocket
from grainpocket.core.rhythm import feel
from grainpocket.core.rhythm.lanes import pass_of, passes_of
from grainpocket.core.rhythm.strokes import Columns, Frames, Kind, is_lively, lively_kinds, struck
from grainpocket.core.rhythm.timing import Timeline
from grainpocket.core.shape.voice import Stroke, VoiceSpec, spec_of
from grainpocket.core.sound.audio import gain_of

CHOKE_FADE_S = 0.003
TOGETHER_S = 0.02  # hits no further apart than this are struck together, as by two hands: neither cuts the other off
NO_LIMIT = 32
_NEVER = np.iinfo(np.int64).max

# One row an event. spec: index of its voice; stop: -1 where it ends by itself. The rest as in Event.
ROW = np.dtype([(name, np.float64 if name == "gain" else np.int64) for name in ("pad", "frame", "gain", "spec", "stop", "fade")])
Rows = NDArray[np.void]


class Event(NamedTuple):
    """frame: sample of the hit in the loop; gain: linear, from velocity; stop: samples after the hit at which it is cut
    off (None: it ends by itself), with a fade of `fade` samples from there."""

    pad: int
    frame: int
    gain: float
    spec: VoiceSpec
    stop: int | None = None
    fade: int = 0


@dataclass(frozen=True, eq=False)
class Schedule:
    """length: samples until it begins again; beats: sample of each quarter note in it; rows: (n,) ROW, sorted by frame, then pad;
    specs: the voices that they play; passes: how often the pattern goes round until all is the same again. Feel may put a hit a
    little before the first sample or behind the last: round and round it sounds there."""

    rate: int
    length: int
    beats: tuple[int, ...]
    specs: tuple[VoiceSpec, ...]
    rows: Rows
    passes: int = 1

    @functools.cached_property
    def events(self) -> tuple[Event, ...]:
        return tuple(
            Event(pad, frame, gain, self.specs[spec], None if stop < 0 else stop, fade)
            for pad, frame, gain, spec, stop, fade in self.rows.tolist()
        )


@dataclass(frozen=True)
class _Sound:
    """What a pad's settings say of each of its hits with one of its takes. index: among all that the pattern plays."""

    index: int
    source: str
    spec: VoiceSpec
    choke: int
    held: bool
    release: int
    voices: str
    most_voices: int


@dataclass
class _Table:
    """The events as columns, (n,) each; sound: index of the _Sound; stop is _NEVER where an event ends by itself."""

    pad: Frames
    sound: Frames
    frame: Frames
    gain: NDArray[np.float64]
    natural: Frames
    choke: Frames
    stop: Frames
    fade: Frames

    def in_order(self, length: int | None) -> _Table:
        """By time, then by pad; without what begins behind `length` samples."""
        order = np.lexsort((self.pad, self.frame))
        if length is not None:
            order = order[self.frame[order] < length]
        return _Table(*(column[order] for column in vars(self).values()))

    def stop_at(self, stop: Frames, fade: int | Frames) -> None:
        """Cut events off at the earlier of what they have and this."""
        sooner = (stop < self.natural) & (stop < self.stop)
        self.stop[sooner] = np.maximum(0, stop[sooner])
        self.fade[sooner] = fade if isinstance(fade, int) else fade[sooner]


def velocity_gain(velocity: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear gains (n,) of velocities (n,): 127 is the chop's own level; below it falls with the square, as sound fonts and most
    drum instruments do."""
    return np.square(velocity / 127.0)


@dataclass(frozen=True)
class Placement:
    """A pattern's hits from a beat of the whole on. since, until: beats of the pattern between which hits are heard; muted: pads
    that are silent; turn: how often the pattern was played before."""

    pattern: Pattern
    at: float = 0.0
    until: float = math.inf
    muted: tuple[int, ...] = ()
    since: float = 0.0
    turn: int = 0


def schedule(pocket: Pocket, pattern: Pattern, cyclic: bool = True, follows: bool = False) -> Schedule:
    """Events of a pattern until it begins again: one pass, or as many as its lanes need. cyclic: it is followed by itself, so
    chokes and joins reach over the end; follows: something goes before it, so that feel may put a hit before its beginning.

    Hits on empty pads and hits beyond the pattern's end are silent; nothing is refused here.
    """
    passes = _passes(pattern)
    placed = [Placement(pattern, float(turn * pattern.beats), float(pattern.beats), turn=turn) for turn in range(passes)]
    return replace(schedule_of(pocket, placed, pattern.beats * passes, cyclic, follows), passes=passes)


def schedule_of(pocket: Pocket, placed: Sequence[Placement], beats: float, cyclic: bool, follows: bool = False) -> Schedule:
    """Events of patterns laid out over so many beats."""
    time = Timeline(pocket.tempo, pocket.rate)
    length = time.frame(beats)
    lines = tuple(time.frame(beat) for beat in range(int(np.ceil(beats))))
    parts = [part for one in placed if (part := _placed(pocket, one)) is not None]
    if not parts:
        return Schedule(pocket.rate, length, lines, (), np.zeros(0, ROW))
    kinds = [kind for part in parts for kind in part.kinds]
    sounds: dict[Kind, _Sound] = {}
    for kind in sorted(set(kinds), key=lambda k: (k.pad, k.take, k.note, repr(k[3:]))):
        pad, own = pocket.pads[kind.pad], dict(kind.own)
        chop = pad.takes[kind.take - 1] if 0 < kind.take <= len(pad.takes) else pad.chop
        stroke = Stroke(kind.take, kind.note, own, kind.velocity, kind.turn, kind.glide, kind.phases, kind.held)
        sound = changed(pad.sound, own)
        sounds[kind] = _Sound(
            len(sounds), chop.source, spec_of(pocket, pad, stroke), pad.choke, sound.play != "one-shot",
            round(sound.release * pocket.rate / 1000), sound.voices, round(sound.most_voices),
        )  # fmt: skip
    in_order = list(sounds.values())
    table = _table(parts, [sounds[kind] for kind in kinds], time)
    if not (cyclic or follows):
        # What feel puts before the beginning begins with it.
        table.frame[:] = np.maximum(0, table.frame)
    table = table.in_order(None if cyclic else length)
    _choke(table, table.choke, int(TOGETHER_S * pocket.rate), pocket.rate, length, cyclic)
    _limit(table, in_order, pocket.rate, length, cyclic)
    joins = _joins(table, in_order, pocket, length, cyclic)
    return Schedule(pocket.rate, length, lines, *_rows(table, in_order, joins))


# A song plays each pattern many times, and an edit changes one of them: by identity, beside the record, so that it stays taken.
_MOST_HITS, _MOST_PATTERNS = 400_000, 512
_columns_of: Kept[tuple[int, int], tuple[Pattern, tuple[Feel, ...], float, Columns]] = Kept(
    _MOST_HITS, lambda known: 100 + len(known[3].beat)
)
_passes_of: Kept[int, tuple[Pattern, int]] = Kept(_MOST_PATTERNS)


def performed(pocket: Pocket, pattern: Pattern, turn: int = 0) -> tuple[tuple[Hit, ...], NDArray[np.float64]]:
    """(what is struck in a pass, (n,) the beats at which it is heard): lanes, rolls, accents, swing and feel."""
    feels = {one.id: one for one in feel.used(pocket, pattern)}
    hits = tuple(feel.accented(pattern, struck(pass_of(pattern, turn)), feels))
    return hits, feel.played_at(pattern, hits, feels, pocket.tempo)


def _passes(pattern: Pattern) -> int:
    """passes_of, asked for at every place of a song: once for each pattern."""
    return _passes_of.made(id(pattern), lambda: (pattern, passes_of(pattern)))[1]


def _columns(pocket: Pocket, pattern: Pattern, turn: int) -> Columns:
    feels, tempo = feel.used(pocket, pattern), pocket.tempo if pattern.loose else 0.0
    # Where nothing goes by turns, all passes are the same.
    turn %= _passes(pattern)
    known = _columns_of.get((id(pattern), turn))
    if known is not None and known[1:3] == (feels, tempo):
        return known[3]
    hits, at = performed(pocket, pattern, turn)
    kinds: dict[Kind, int] = {}
    # Most hits have nothing of their own: those are told apart without being sorted.
    plain: dict[tuple[int, int, int], int] = {}
    kind = []
    for hit in hits:
        key = hit.pad, hit.take, hit.note
        number = plain.get(key) if not hit.own else None
        if number is None:
            number = kinds.setdefault(Kind(*key, tuple(sorted(hit.own.items()))), len(kinds))
            if not hit.own:
                plain[key] = number
        kind.append(number)
    levels = {pad: gain_of(lane.level) for pad, lane in pattern.lanes.items() if lane.level}
    gains = velocity_gain(np.array([hit.velocity for hit in hits], np.float64))
    columns = Columns(
        beat=np.array([hit.beat for hit in hits]),
        at=at,
        velocity=gains * np.array([levels.get(hit.pad, 1.0) for hit in hits]) if levels else gains,
        gate=np.array([np.nan if hit.length is None else hit.length for hit in hits]),
        pad=np.array([hit.pad for hit in hits], np.int64),
        kind=np.array(kind, np.int64),
        kinds=tuple(kinds),
        hits=hits,
    )
    _columns_of.put((id(pattern), turn), (pattern, feels, tempo, columns))
    return columns


def _placed(pocket: Pocket, one: Placement) -> Columns | None:
    """What is heard of a pattern where it is placed; None: nothing."""
    all_of_it = _columns(pocket, one.pattern, one.turn)
    there = np.array([kind.pad in pocket.pads and kind.pad not in one.muted for kind in all_of_it.kinds], np.bool_)
    if not there.any():
        return None
    keep = there[all_of_it.kind] & (all_of_it.beat >= one.since) & (all_of_it.beat < one.until)
    if any(is_lively(pocket.pads[kind.pad], dict(kind.own)) for kind, here in zip(all_of_it.kinds, there, strict=True) if here):
        kinds, kind_of = lively_kinds(pocket, one.pattern, all_of_it, one.at)
        all_of_it, there = replace(all_of_it, kinds=kinds, kind=kind_of), np.array([k.pad in pocket.pads for k in kinds])
    used = np.flatnonzero(np.bincount(all_of_it.kind[keep], minlength=len(there)))
    if not len(used):
        return None
    number = np.zeros(len(there), np.int64)
    number[used] = np.arange(len(used))
    return Columns(
        beat=all_of_it.beat[keep] + one.at, at=all_of_it.at[keep] + one.at, velocity=all_of_it.velocity[keep],
        gate=all_of_it.gate[keep], pad=all_of_it.pad[keep], kind=number[all_of_it.kind[keep]],
        kinds=tuple(all_of_it.kinds[i] for i in used.tolist()),
    )  # fmt: skip


def _table(parts: Sequence[Columns], sounds: list[_Sound], time: Timeline) -> _Table:
    """sounds: one for each kind of each part, in that order."""
    first = np.cumsum([0, *(len(part.kinds) for part in parts[:-1])])
    kind = np.concatenate([part.kind + start for part, start in zip(parts, first.tolist(), strict=True)])
    beat, at, gate, pad, gain = (
        np.concatenate([getattr(part, name) for part in parts]) for name in ("beat", "at", "gate", "pad", "velocity")
    )
    frame = time.frames(at)
    natural = np.array([sound.spec.length for sound in sounds], np.int64)[kind]
    choke = np.array([sound.choke for sound in sounds], np.int64)[kind]
    index = np.array([sound.index for sound in sounds], np.int64)[kind]
    table = _Table(pad, index, frame, gain, natural, choke, np.full(len(beat), _NEVER), np.zeros(len(beat), np.int64))
    held = np.array([sound.held for sound in sounds], np.bool_)[kind] & ~np.isnan(gate)
    until = np.full(len(beat), _NEVER)
    until[held] = time.frames(beat[held] + gate[held]) - time.frames(beat[held])
    table.stop_at(until, np.array([sound.release for sound in sounds], np.int64)[kind])
    return table


def _choke(table: _Table, groups: Frames, together: int, rate: int, length: int, cyclic: bool) -> None:
    """Stop each event where the next one of its group begins that is not struck together with it."""
    until = np.full(len(table.frame), _NEVER)
    for group in np.unique(groups[groups > 0]):
        mine = np.flatnonzero(groups == group)
        starts = table.frame[mine]
        # Once round is enough: nothing is stopped later than by itself, or by its own next stroke.
        after = np.concatenate((np.sort(np.concatenate((starts, starts + length))) if cyclic else starts, [_NEVER]))
        until[mine] = after[np.searchsorted(after, starts + together, side="right")] - starts
    table.stop_at(until, int(CHOKE_FADE_S * rate))


def _limit(table: _Table, sounds: list[_Sound], rate: int, length: int, cyclic: bool) -> None:
    """Pads that play one note at a time, or so many at most: what is too much makes room for what comes."""
    mono = np.array([sound.voices != "poly" for sound in sounds], np.bool_)[table.sound]
    if mono.any():
        _choke(table, np.where(mono, table.pad + 1, 0), 1, rate, length, cyclic)
        high = np.array([1 if sound.voices != "low" else -1 for sound in sounds])[table.sound]
        notes = np.array([sound.spec.sound.pitch for sound in sounds])[table.sound] * high
        order = np.lexsort((-notes, table.frame, table.pad))
        again = (np.diff(table.pad[order]) == 0) & (np.diff(table.frame[order]) == 0)
        second = order[1:][again]
        silent = np.zeros(len(table.pad), np.bool_)
        silent[second] = mono[second]
        table.stop_at(np.where(silent, 0, _NEVER), 1)
    for pad in np.unique(table.pad):
        mine = np.flatnonzero(table.pad == pad)
        most = min(sounds[i].most_voices for i in set(table.sound[mine].tolist()))
        if most < NO_LIMIT and len(mine) > most:
            until = np.full(len(table.pad), _NEVER)
            until[mine[:-most]] = table.frame[mine[most:]] - table.frame[mine[:-most]]
            table.stop_at(until, int(CHOKE_FADE_S * rate))


def _joins(table: _Table, sounds: list[_Sound], pocket: Pocket, length: int, cyclic: bool) -> NDArray[np.bool_]:
    """(n, 2): whether the record simply goes on, from another event into this one, and from this one into another."""
    joins = np.zeros((len(table.frame), 2), np.bool_)
    plain = {s.index for s in sounds if not (bends(s.spec.sound) or s.spec.layers)}
    end = table.frame + table.natural
    if cyclic:
        end %= length
    first = np.searchsorted(table.frame, end)
    past = np.searchsorted(table.frame, end, side="right")
    for i in np.flatnonzero((past > first) & (table.stop == _NEVER)).tolist():
        if int(table.sound[i]) not in plain:
            continue
        for j in range(int(first[i]), int(past[i])):
            if (i != j or len(joins) == 1) and table.gain[i] == table.gain[j] and _continues(table, sounds, pocket, i, j):
                joins[i, 1] = joins[j, 0] = True
                break
    return joins


def _continues(table: _Table, sounds: list[_Sound], pocket: Pocket, i: int, j: int) -> bool:
    """Whether event j begins with the very sample that follows event i. The start of a source follows its end: that is
    what a trimmed loop is."""
    first, second = sounds[int(table.sound[i])], sounds[int(table.sound[j])]
    a, b = first.spec, second.spec
    if a.audio != b.audio or a.sound.level != b.sound.level or bends(b.sound, at_start=True) or b.layers:
        return False
    frames = pocket.sources[first.source].frames
    return b.start == a.end or (a.end == frames and b.start == 0)


def _rows(table: _Table, sounds: list[_Sound], joins: NDArray[np.bool_]) -> tuple[tuple[VoiceSpec, ...], Rows]:
    """The voices, one for all events of a sound with the same edges, and the events."""
    edges, spec = np.unique(table.sound * 4 + joins[:, 0] * 2 + joins[:, 1], return_inverse=True)
    specs = []
    for sound, before, after in zip((edges // 4).tolist(), (edges & 2 > 0).tolist(), (edges & 1 > 0).tolist(), strict=True):
        plain = sounds[sound].spec
        specs.append(replace(plain, joined_before=before, joined_after=after) if before or after else plain)
    rows = np.zeros(len(table.pad), ROW)
    stop = np.where(table.stop == _NEVER, -1, table.stop)
    for name, column in zip(ROW.names or (), (table.pad, table.frame, table.gain, spec, stop, table.fade), strict=True):
        rows[name] = column
    return tuple(specs), rows
