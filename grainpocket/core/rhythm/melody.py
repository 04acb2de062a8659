"""Notes of a pad against chords and scales: placed, turned over, broken up, drawn to what fits, taken along to other chords.

Hits hold semitones from their pad's root; `root` (MIDI) says which key that is.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal

from grainpocket.core.notes import CHORDS, SCALES, nearest_of
from grainpocket.core.pocket import ChordAt, Hit, Key

Order = Literal["up", "down", "up and down", "as played"]
TOGETHER = 1e-3  # beats within which notes are one chord
LOWEST, HIGHEST = -60, 60
USUAL = 0.25


def sounding(chords: Sequence[ChordAt], beat: float) -> ChordAt | None:
    """The chord that holds at a beat."""
    return next((one for one in reversed(chords) if one.beat <= beat + TOGETHER), None)


def classes_of(chord: ChordAt) -> frozenset[int]:
    """The pitch classes, 0 to 11, of a chord."""
    return frozenset((chord.tonic + step) % 12 for step in CHORDS.get(chord.kind, CHORDS["major"]))


def scale_of(key: Key) -> frozenset[int]:
    """The pitch classes, 0 to 11, of a key."""
    return frozenset((key.tonic + step) % 12 for step in SCALES[key.mode])


def chord_notes(chord: ChordAt, root: int, inversion: int = 0) -> tuple[int, ...]:
    """Semitones from the root of a pad that lie closest to it; inversion: how often its lowest note goes up an octave."""
    first = nearest_of(root, {chord.tonic}) - root
    notes = [first + step for step in CHORDS.get(chord.kind, CHORDS["major"])]
    for _ in range(inversion % len(notes)):
        notes = sorted([*notes[1:], notes[0] + 12])
    return tuple(note for note in notes if LOWEST <= note <= HIGHEST)


def snapped(hits: Sequence[Hit], root: int, allowed: Callable[[float], frozenset[int] | None]) -> list[Hit]:
    """Each note at the nearest one that is allowed where it begins; None: any."""
    out = []
    for hit in hits:
        classes = allowed(hit.beat)
        note = hit.note if classes is None else _within(nearest_of(root + hit.note, classes) - root)
        out.append(hit if note == hit.note else hit.model_copy(update={"note": note}))
    return out


def groups(hits: Sequence[Hit]) -> list[list[Hit]]:
    """Notes that begin together, from low to high, in the order of their beats."""
    out: list[list[Hit]] = []
    for hit in sorted(hits, key=lambda one: (one.beat, one.note)):
        if out and hit.beat - out[-1][0].beat <= TOGETHER:
            out[-1].append(hit)
        else:
            out.append([hit])
    return [sorted(group, key=lambda one: one.note) for group in out]


def inverted(hits: Sequence[Hit], up: bool) -> list[Hit]:
    """Of each chord the lowest note an octave up, or the highest one down."""
    out: list[Hit] = []
    for group in groups(hits):
        turned = group[0] if up else group[-1]
        note = turned.note + (12 if up else -12)
        fits = LOWEST <= note <= HIGHEST and all(one.note != note for one in group)
        out += [hit.model_copy(update={"note": note}) if hit is turned and fits else hit for hit in group]
    return out


def broken(hits: Sequence[Hit], step: float, order: Order, beats: float) -> list[Hit]:
    """Each chord as its notes one after the other, round and round, as long as it lasts, or until the next one begins. The first of
    a note keeps its id."""
    all_of_it = groups(hits)
    out: list[Hit] = []
    for number, group in enumerate(all_of_it):
        begin = group[0].beat
        until = all_of_it[number + 1][0].beat if number + 1 < len(all_of_it) else beats
        long = max(hit.length or USUAL for hit in group)
        # A chord as short as a step is held until the next one: there is nothing to break up else.
        end = min(until, begin + long) if long > step + TOGETHER else until
        row = _row(group, order)
        used: set[str] = set()
        place, at = 0, begin
        while at < end - TOGETHER:
            hit = row[place % len(row)]
            out.append(hit.model_copy(update={"beat": round(at, 9), "length": step, "id": "" if hit.id in used else hit.id}))
            used.add(hit.id)
            place, at = place + 1, begin + (place + 1) * step
    return out


def _row(group: Sequence[Hit], order: Order) -> list[Hit]:
    if order == "down":
        return list(reversed(group))
    if order == "up and down":
        return [*group, *reversed(group[1:-1])]
    if order == "as played":
        return sorted(group, key=lambda hit: (hit.beat, hit.id))
    return list(group)


def followed(hits: Sequence[Hit], root: int, before: Sequence[ChordAt], after: Sequence[ChordAt]) -> list[Hit]:
    """The same with other chords: a note that was a tone of its chord becomes the same tone of the new one, as near as can be; what
    was none goes along with the tonic."""
    out = []
    for hit in hits:
        old, new = sounding(before, hit.beat), sounding(after, hit.beat)
        if old is None or new is None or (old.tonic, old.kind) == (new.tonic, new.kind):
            out.append(hit)
            continue
        key = root + hit.note
        step = (key - old.tonic) % 12
        tones, others = CHORDS.get(old.kind, CHORDS["major"]), CHORDS.get(new.kind, CHORDS["major"])
        degree = next((i for i, tone in enumerate(tones) if tone % 12 == step), None)
        wanted = step if degree is None else others[min(degree, len(others) - 1)]
        note = _within(nearest_of(key, {(new.tonic + wanted) % 12}) - root)
        out.append(hit if note == hit.note else hit.model_copy(update={"note": note}))
    return out


def heard_chords(hits: Sequence[Hit], root: int, bar: float) -> list[ChordAt]:
    """The chords that notes make, bar by bar: in each the one with most of what sounds in it among its tones, and least beside."""
    out: list[ChordAt] = []
    last = max((hit.beat for hit in hits), default=0.0)
    for number in range(int(last // bar) + 1):
        weight = [0.0] * 12
        mine = [hit for hit in hits if number * bar <= hit.beat < (number + 1) * bar]
        for hit in mine:
            weight[(root + hit.note) % 12] += hit.length or USUAL
        if not any(weight):
            continue
        lowest = min(root + hit.note for hit in mine) % 12

        def score(chord: ChordAt, weight: list[float] = weight, lowest: int = lowest) -> float:
            tones = classes_of(chord)
            inside = sum(weight[tone] for tone in tones)
            missing = sum(0.3 for tone in tones if not weight[tone])
            return inside - (sum(weight) - inside) - missing * sum(weight) / 3 + 0.1 * sum(weight) * (chord.tonic == lowest)

        kinds = ("major", "minor", "7", "major 7", "minor 7", "sus4", "sus2", "diminished")
        choice = (ChordAt(beat=number * bar, tonic=tonic, kind=kind) for kind in kinds for tonic in range(12))
        best = max(choice, key=score)
        if not out or (out[-1].tonic, out[-1].kind) != (best.tonic, best.kind):
            out.append(best)
    return out


def _within(note: int) -> int:
    """The same note in the range that hits have."""
    while note > HIGHEST:
        note -= 12
    while note < LOWEST:
        note += 12
    return note
