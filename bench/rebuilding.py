"""How well rhythms are rebuilt from a set of breaks with known hits: `python -m bench.rebuilding DIR` (a folder with index.json and
the breaks as WAV).

Original rhythm at its own tempo against the record (residue in dB), at 0.7 to 1.5 times the tempo (samples off the schedule, and
whether each voice is the pad's), drums onto pads (F-measure at 50 ms), and feel laid over straight sixteenths.
"""

from __future__ import annotations

import json
import statistics
import sys
from pathlib import Path
from typing import Any

import mir_eval
import numpy as np
import soundfile as sf

from grainpocket.core.edits.derived import TakeRhythm
from grainpocket.core.edits.lanes import LiftFeel
from grainpocket.core.edits.patterns import OriginalRhythm
from grainpocket.core.edits.pocket_wide import AddSource
from grainpocket.core.listen.hearing import Hearing, hear
from grainpocket.core.mix.loop import Renderer, plan
from grainpocket.core.mix.null import null_test
from grainpocket.core.pocket import Chop, Grid, Hit, Pad, Pattern, Pocket
from grainpocket.core.rhythm.schedule import schedule
from grainpocket.core.rhythm.timing import Timeline
from grainpocket.core.sound.audio import Samples

RATE = 44100
TEMPI = (0.7, 0.9, 1.1, 1.5)
CLASS = {35: "kick", 36: "kick", 37: "snare", 38: "snare", 39: "snare", 40: "snare", 42: "hat", 44: "hat", 46: "hat"}


class Break:
    """A break as a pocket holds it: one find, cut on its transients, its bars known."""

    def __init__(self, folder: Path, told: dict[str, Any]) -> None:
        self.told = told
        sound, rate = sf.read(folder / f"{told['name']}.wav", dtype="float32", always_2d=True)
        assert rate == RATE
        self.sound: Samples = np.ascontiguousarray(np.repeat(sound, 2, axis=1) if sound.shape[1] == 1 else sound)
        self._hearing = hear(self.sound.mean(axis=1), RATE)
        bpm = told["bars"] * 240 * RATE / len(self.sound)
        grid = Grid(bpm=bpm, bars=told["bars"])
        add = AddSource(name=told["name"], audio="a", frames=len(self.sound), channels=2, grid=grid)
        self.pocket = add.apply(Pocket(name="p", tempo=bpm), self)

    def hearing(self, audio: str) -> Hearing:
        return self._hearing

    def read(self, audio: str, start: int, end: int) -> Samples:
        out = np.zeros((end - start, 2), np.float32)
        first, last = max(0, start), min(len(self.sound), end)
        if last > first:
            out[first - start : last - start] = self.sound[first:last]
        return out

    def frames(self, audio: str) -> int:
        return len(self.sound)

    def rebuilt(self) -> tuple[Pocket, Pattern]:
        made = OriginalRhythm(source="s1").apply(self.pocket, self)
        return made, next(iter(made.patterns.values()))


def residues(one: Break) -> tuple[float, float]:
    """(dB with the usual fades, dB without any)."""
    out = []
    for fades in ({}, {"fade_in_edge": 0.0, "fade_out_edge": 0.0}):
        pocket, pattern = one.rebuilt()
        pocket = pocket.model_copy(update=fades)
        out.append(null_test(pocket, pattern, one, Renderer(one, RATE)).total)
    return out[0], out[1]


def off_tempo(one: Break) -> tuple[int, float]:
    """(most samples that a hit stands off its beat, share of voices that are the pad's own until the next one chokes them)."""
    pocket, pattern = one.rebuilt()
    worst, same, count = 0, 0, 0
    for factor in TEMPI:
        tempo = max(30.0, min(300.0, pocket.tempo * factor))
        moved = pocket.model_copy(update={"tempo": tempo})
        timed = schedule(moved, pattern)
        time = Timeline(tempo, RATE)
        beats = sorted((hit.beat, hit.pad) for hit in pattern.hits)
        events = sorted((event.frame, event.pad) for event in timed.events)
        worst = max(worst, *(abs(frame - time.frame(beat)) for (frame, _), (beat, _) in zip(events, beats, strict=True)))
        renderer = Renderer(one, RATE)
        sound = renderer.loop(plan(timed))
        starts = sorted(event.frame for event in timed.events)
        for event in timed.events:
            later = [start for start in starts if start > event.frame + 900]
            lead, end = event.spec.lead(RATE), min(later[0] if later else timed.length, event.frame + event.spec.length - 300)
            voice = renderer.voice(event.spec)[lead + 300 : lead + end - event.frame - 300] * np.float32(event.gain)
            heard = sound[event.frame + 300 : end - 300]
            if len(heard) < 200 or len(heard) != len(voice):
                continue
            count += 1
            # What sounds on from before it is another voice: those that begin alone are compared.
            same += int(np.abs(heard - voice).max() < 1e-6 or _overlaid(timed, event, end))
    return worst, same / max(1, count)


def _overlaid(timed: Any, event: Any, end: int) -> bool:
    for other in timed.events:
        until = other.frame + (other.stop + other.fade if other.stop is not None else other.spec.length)
        if other is not event and other.frame < end and (until > event.frame + 300 or until - timed.length > event.frame):
            return True
    return False


def drums(one: Break) -> dict[str, float]:
    """F-measure of each drum's rhythm on a pad of another sound."""
    pad = Pad(name="Other", chop=Chop(source="s1", start=0, end=4000))
    pattern = Pattern(id="p1", name="P", bars=one.told["bars"])
    pocket = one.pocket.with_pad(0, pad).with_pattern(pattern)
    out = {}
    for role in ("kick", "snare", "hat"):
        true = np.array(sorted({at for at, note, _ in one.told["drums"] if CLASS.get(note) == role}))
        try:
            made = TakeRhythm(pattern="p1", pad=0, source="s1", role=role).apply(pocket, one)
            found = np.array([hit.beat * 60 / pocket.tempo for hit in made.patterns["p1"].hits])
        except ValueError:
            found = np.zeros(0)
        if len(true):
            out[role] = float(mir_eval.onset.f_measure(true, np.sort(found), window=0.05)[0])
    return out


def feel(one: Break) -> tuple[float, float]:
    """(share of straight sixteenths within 2 ms of the cut that they were lifted from, and within 5 ms of the truth)."""
    bars = one.told["bars"]
    hits = tuple(Hit(id=f"h{i}", pad=0, beat=i / 4) for i in range(16 * bars))
    pad = Pad(name="Other", chop=Chop(source="s1", start=0, end=4000))
    pocket = one.pocket.with_pad(0, pad).with_pattern(Pattern(id="p1", name="P", bars=bars, hits=hits))
    made = LiftFeel(source="s1", pattern="p1").apply(pocket, one)
    at = np.array([event.frame for event in schedule(made, made.patterns["p1"]).events]) / RATE
    cuts = np.array([cut.at for cut in one.pocket.sources["s1"].cuts]) / RATE
    step = 15 / one.pocket.tempo
    # A step that holds one cut alone: where two drums fall on a step apart from each other, it lies between them.
    counted = np.array([len(np.unique(cuts[np.abs(cuts - k * step) < step / 2])) for k in range(16 * bars)])
    mine = [k for k in range(16 * bars) if counted[k] == 1]
    near = [np.abs(cuts - at[k]).min() < 0.002 for k in mine]
    true = np.array([place for place, _, _ in one.told["drums"]])
    close = [np.abs(true - at[k]).min() < 0.005 for k in mine]
    return float(np.mean(near)), float(np.mean(close))


def main(folder: Path) -> None:
    told = [one for one in json.loads((folder / "index.json").read_text()) if one["kind"] == "break"]
    breaks = [Break(folder, one) for one in told]
    usual, bare = (max(column) for column in zip(*(residues(one) for one in breaks), strict=True))
    print(f"original rhythm, {len(breaks)} breaks: residue at most {usual:.1f} dB, without fades {bare:.1f} dB")
    moved = [off_tempo(one) for one in breaks]
    worst, same = max(m[0] for m in moved), min(m[1] for m in moved)
    print(f"at {min(TEMPI)} to {max(TEMPI)} times the tempo: {worst} samples off, {same:.1%} of voices the pad's")
    clean = [drums(one) for one in breaks if one.told["flavour"] == "clean"]
    for role in ("kick", "snare", "hat"):
        print(f"{role} onto a pad, clean breaks: F {statistics.mean(d[role] for d in clean if role in d):.3f}")
    felt = [feel(one) for one in breaks if one.told["swing"] > 0.5]
    near, true = (float(np.mean(column)) for column in zip(*felt, strict=True))
    print(f"feel, {len(felt)} swung breaks: {near:.1%} within 2 ms of the cut, {true:.1%} within 5 ms of the truth")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
