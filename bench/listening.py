"""How well it listens, on the bench's own truth set: `python -m bench.listening [DIR]`.

Figures: acc1 is tempo within 4 %, acc2 the same with octave and triple errors forgiven, tight within 0.3 % (octaves
forgiven), beatF and barF F-measures of beats and bar lines at 70 ms (first 5 s left out), F50, F10 and F5 onset F-measures
at 50, 10 and 5 ms, late the share of matched onsets more than 2 ms behind the truth.
"""

from __future__ import annotations

import itertools
import json
import sys
import tempfile
import warnings
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

import mir_eval
import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from bench import engine
from bench.truth import build
from bench.truth.kits import ROLE
from bench.truth.progressions import make_progression
from bench.truth.synth import RATE
from grainpocket.core.listen.harmony.pitch import pitch
from grainpocket.core.listen.hearing import Hearing, hear

SEED, BREAKS, SONGS = 7, 24, 12
SILENT_DB, OFFERED = -30.0, 5
# Of a bar, in passages that may begin at half bars.
MOST = 0.75
RATIOS = (1 / 3, 0.5, 1, 2, 3)
FLAVOURS = ("clean", "bleed", "dirty")
Row = dict[str, Any]
Times = NDArray[np.float64]


def mono(path: Path) -> NDArray[np.float32]:
    samples, _ = sf.read(path, dtype="float32", always_2d=True)
    return np.ascontiguousarray(samples.mean(axis=1))


def distinct(times: Iterable[float], gap: float = 0.02) -> Times:
    t = np.array(sorted(times))
    return t[np.insert(np.diff(t) > gap, 0, True)] if len(t) else t


def say(name: str, **figures: float) -> None:
    print(f"{name:16s}" + "  ".join(f"{k} {v:.3f}" for k, v in figures.items()), flush=True)


def tempo(root: Path, songs: list[Row]) -> None:
    rows: list[list[float]] = []
    for song in songs:
        bpm, beats, bars = engine.tempo(mono(root / f"{song['name']}.wav"), RATE)
        mean = 60 * (len(song["beats"]) - 1) / (song["beats"][-1] - song["beats"][0])
        r = bpm / mean
        trim = mir_eval.beat.trim_beats
        beat_f = mir_eval.beat.f_measure(trim(np.array(song["beats"])), trim(beats))
        bar_f = mir_eval.beat.f_measure(trim(np.array(song["bars"])), trim(bars))
        near = [any(abs(r / k - 1) < width for k in RATIOS) for width in (0.04, 0.003)]
        rows.append([abs(r - 1) < 0.04, *near, beat_f, bar_f, bar_f > 0.8])
    means = np.mean(rows, axis=0)
    say(f"tempo n={len(rows)}", **dict(zip(("acc1", "acc2", "tight", "beatF", "barF", "bar one right"), means, strict=True)))


def loops(root: Path, breaks: list[Row]) -> None:
    r = np.array([engine.loop(mono(root / f"{b['name']}.wav"), RATE) / b["bpm"] for b in breaks])
    forgiven = np.min([np.abs(r / k - 1) for k in (0.5, 1, 2)], axis=0) < 0.003
    say(f"loops n={len(r)}", exact=float((np.abs(r - 1) < 0.003).mean()), forgiven=float(forgiven.mean()))


def onsets(root: Path, name: str, rows: list[Row], file: Callable[[Row], str]) -> None:
    scores: list[list[float]] = []
    errors: list[float] = []
    for row in rows:
        y = mono(root / file(row))
        end = len(y) / RATE - 0.1
        found = engine.onsets(y, RATE)
        found, truth = found[found < end], distinct(t for t, _, v in row["drums"] if v > 20 and t < end)
        scores.append([mir_eval.onset.f_measure(truth, found, window=w)[0] for w in (0.05, 0.01, 0.005)])
        errors += [found[j] - truth[i] for i, j in mir_eval.util.match_events(truth, found, 0.05)]
    f50, f10, f5 = np.mean(scores, axis=0)
    say(f"onsets {name}", F50=f50, F10=f10, F5=f5, late=float((np.array(errors) > 0.002).mean()))


def roles(root: Path, name: str, rows: list[Row]) -> None:
    found: dict[str, list[float]] = {"kick": [], "snare": [], "hat": []}
    for row in rows:
        y = mono(root / f"{row['name']}.wav")
        guess = engine.drums(y, RATE)
        for role, values in found.items():
            truth = distinct(t for t, n, _ in row["drums"] if ROLE.get(n) == role and t < len(y) / RATE - 0.1)
            if len(truth) >= 4:
                times = np.array(sorted(t for t, r in guess if r == role))
                values.append(mir_eval.onset.f_measure(truth, times, window=0.03)[0])
    say(f"roles {name}", **{k: float(np.mean(v)) for k, v in found.items() if v})


def mixes(root: Path, songs: list[Row]) -> None:
    out: list[list[float]] = []
    for song in songs:
        found = engine.onsets(mono(root / f"{song['name']}.wav"), RATE)
        truth = distinct(t for t, _, v in song["drums"] if v > 20)
        out.append([mir_eval.onset.f_measure(truth, found, window=w)[2] for w in (0.05, 0.01)])
    r50, r10 = np.mean(out, axis=0)
    say("drums in mixes", recall50=r50, recall10=r10)


def harmony(root: Path, songs: list[Row]) -> None:
    right, near, hit, total = 0, 0, 0, 0
    labels: list[float] = []
    for song in songs:
        y = mono(root / f"{song['name']}.wav")
        heard = hear(y, RATE)
        score = mir_eval.key.weighted_score(_key(song["key"]), _key(heard.keys[0].name)) if heard.keys else 0.0
        right, near = right + (score == 1.0), near + (score > 0)
        spans = [c for c in song["chords"] if not any(a <= c[0] < b for a, b in song["bare"])]
        true = [b[0] for a, b in itertools.pairwise(spans) if a[2] != b[2] and abs(a[1] - b[0]) < 0.01]
        found = np.array([c.start for c in heard.chords])
        hit, total = hit + sum(np.abs(found - t).min(initial=9.0) < 0.1 for t in true), total + len(true)
        labels.append(_agreement(spans, heard))
    say(f"key n={len(songs)}", right=right / len(songs), related=near / len(songs))
    say("chords", **{"changes within 100 ms": hit / max(1, total), "root and third right": float(np.mean(labels))})


def progressions() -> None:
    rng, kits = np.random.default_rng(SEED), build.held_out_kits()
    right, related, hit, total = 0, 0, 0, 0
    keys = [(tonic, minor) for tonic in range(12) for minor in (False, True)]
    for key in keys:
        one = make_progression(key, kits, rng)
        heard = hear(np.ascontiguousarray(one.sound.mean(axis=1)), RATE)
        score = mir_eval.key.weighted_score(_key(one.key), _key(heard.keys[0].name)) if heard.keys else 0.0
        right, related = right + (score == 1.0), related + (score > 0)
        true = [b[0] for a, b in itertools.pairwise(one.chords) if a[2] != b[2]]
        found = np.array([c.start for c in heard.chords])
        hit, total = hit + sum(np.abs(found - t).min(initial=9.0) < 0.1 for t in true), total + len(true)
    figures = {"key right": right / len(keys), "or related": related / len(keys), "changes within 100 ms": hit / max(1, total)}
    say("24 keys", **figures)


def marked(heard: Hearing, edges: Times, kind: str) -> NDArray[np.bool_]:
    """(k,) whether most of each bar between edges (k + 1 seconds) lies in passages of that kind."""
    spans = [(p.start / heard.rate, p.end / heard.rate) for p in heard.worth.passages if p.kind == kind]
    covered = [sum(max(0.0, min(d, b) - max(c, a)) for c, d in spans) for a, b in itertools.pairwise(edges)]
    return np.array(covered) > MOST * np.diff(edges)


def worth_taking(root: Path, songs: list[Row]) -> None:
    """bare F, drumless F: F-measure of bars of bare drums, of bars without drums; first: how often the hit offered first has at
    most 1 dB more of all else under it, other drums among it, than the best there is (what is 30 dB down counts as silent),
    of_five: how often one of the first five has; music first: how often the first has at most 1 dB more of music under it; each
    of all drums of all songs, and of those that play in bars of bare drums."""
    counts = {"bare": [0, 0, 0], "drumless": [0, 0, 0]}
    lost: dict[str, list[Times]] = {"cover": [], "music_cover": []}
    bare: list[bool] = []
    in_bare: dict[str, list[bool]] = {"kick": [], "snare": [], "hat": []}
    for song in songs:
        heard = hear(mono(root / f"{song['name']}.wav"), RATE)
        edges = np.append(song["bars"], heard.frames / RATE)
        # Whether drums and music sound: yes, no, or who can say.
        sounding = np.array(song["sounding"])
        known = (sounding >= 0).all(axis=1)
        for name, kind, truth in (("bare", "bare drums", (1, 0)), ("drumless", "no drums", (0, 1))):
            true = (sounding == truth).all(axis=1)[known]
            said = marked(heard, edges, kind)[known]
            counts[name] = [c + int(v) for c, v in zip(counts[name], ((true & said).sum(), true.sum(), said.sum()), strict=True)]
        bare_bars = [(a, b) for (a, b), s in zip(itertools.pairwise(edges), sounding.tolist(), strict=True) if s == [1, 0]]
        for role, told in in_bare.items():
            mine = np.array([h.at / RATE for h in heard.worth.hits if h.role == role][:OFFERED])
            at = np.array([t for t, _ in song["cover"][role]])
            if not len(mine) or len(at) < 4:
                continue
            gap = np.abs(at[None] - mine[:, None])
            near, missed = gap.argmin(axis=1), gap.min(axis=1) > 0.03
            for name, each in lost.items():
                db = np.maximum([d for _, d in song[name][role]], SILENT_DB)
                over = np.where(missed, 60.0, db[near] - db.min())
                each.append(np.pad(over, (0, OFFERED - len(over)), constant_values=60.0))
            bare.append(any(a - 0.02 <= t < b - 0.2 for t in at for a, b in bare_bars))
            if bare[-1]:
                told.append(not missed[0] and any(a - 0.05 <= at[near[0]] < b for a, b in bare_bars))
    figures = {f"{k} F": 2 * c[0] / max(1, c[1] + c[2]) for k, c in counts.items()}
    say(f"worth taking n={len(songs)}", **figures)
    for name, some in (("all", np.ones(len(bare), bool)), ("of bare drums", np.array(bare, bool))):
        cover, music = (np.array(lost[key])[some] if len(lost[key]) else np.zeros((0, 1)) for key in ("cover", "music_cover"))
        say(
            f"hits, {name} n={len(cover)}",
            first=float((cover[:, 0] <= 1).mean()),
            of_five=float((cover.min(axis=1) <= 1).mean()),
            lost_dB=float(np.median(cover[:, 0])),
            **{"music first": float((music[:, 0] <= 1).mean())},
        )
    where = {f"{role} ({len(each)})": float(np.mean(each)) for role, each in in_bare.items() if each}
    say("first in bare", **where)


def _key(name: str) -> str:
    tonic, mode = name.split()
    return f"{tonic.replace('Db', 'C#').replace('Gb', 'F#')} {mode}"


def _agreement(spans: list[list[Any]], heard: Hearing) -> float:
    """Share of the time in which root and third are right, as mir_eval counts them."""
    truth = np.array([[a, b] for a, b, _ in spans])
    found = np.array([[c.start, c.end] for c in heard.chords])
    if not len(found):
        return 0.0
    total = 0.0
    for (a, b), (_, _, label) in zip(truth, spans, strict=True):
        for (c, d), chord in zip(found, heard.chords, strict=True):
            overlap = min(b, d) - max(a, c)
            if overlap > 0 and _third(label.replace("M7", "maj7")) == _third(chord.label):
                total += overlap
    return total / float((truth[:, 1] - truth[:, 0]).sum())


def _third(label: str) -> tuple[int, str]:
    names = {
        "C": 0,
        "Db": 1,
        "C#": 1,
        "D": 2,
        "Eb": 3,
        "E": 4,
        "F": 5,
        "F#": 6,
        "Gb": 6,
        "G": 7,
        "Ab": 8,
        "A": 9,
        "Bb": 10,
        "B": 11,
    }
    root = next((k for k in sorted(names, key=len, reverse=True) if label.startswith(k)), "")
    rest = label[len(root) :]
    third = "sus" if rest.startswith("sus") else "m" if rest.startswith("m") and not rest.startswith("maj") else ""
    return (names.get(root, -1), third)


def pitches() -> None:
    within, octaves, count = 0, 0, 0
    for _, key, sound in build.single_notes():
        found = pitch(sound, RATE)
        count += 1
        if found is not None:
            off = 100 * (found.key - key) + found.cents
            within, octaves = within + (abs(off) <= 10), octaves + (abs(off) > 600)
    say(f"pitch n={count}", **{"within 10 cents": within / count, "octave errors": octaves / count})


def main() -> None:
    warnings.filterwarnings("ignore")
    build.install()
    given = Path(sys.argv[1]) if len(sys.argv) > 1 else None
    with tempfile.TemporaryDirectory() as folder:
        root = given or Path(folder)
        if not (root / "index.json").is_file():
            build.build(root, SEED, BREAKS, SONGS)
        rows = json.loads((root / "index.json").read_text())
        breaks, songs = ([r for r in rows if r["kind"] == kind] for kind in ("break", "song"))
        tempo(root, songs)
        loops(root, breaks)
        for flavour in FLAVOURS:
            mine = [b for b in breaks if b["flavour"] == flavour]
            onsets(root, flavour, mine, lambda r: f"{r['name']}.wav")
            roles(root, flavour, mine)
        onsets(root, "song", songs, lambda r: f"{r['name']}/drums.wav")
        mixes(root, songs)
        harmony(root, songs)
        progressions()
        worth_taking(root, songs)
        pitches()


if __name__ == "__main__":
    main()
