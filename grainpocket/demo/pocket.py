"""The demo pocket "Night ferry set": our own records, one break already on the pads and its rhythm ready to play."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Iterable
from typing import Any

import numpy as np

from grainpocket.core.chop.kin import slices
from grainpocket.core.edits import EditModel
from grainpocket.core.edits.cutting import NameSlice
from grainpocket.core.edits.gridding import TakeTempo
from grainpocket.core.edits.hitting import PutHits
from grainpocket.core.edits.padding import SetPads, SlicesToPads
from grainpocket.core.edits.patterns import AddPattern, OriginalRhythm, SetPattern
from grainpocket.core.edits.pocket_wide import AddSource
from grainpocket.core.edits.shaping import FindRoot
from grainpocket.core.pocket import Hit, Pocket, Role, Source
from grainpocket.demo.tune import make_parts, make_tune
from grainpocket.jobs.importing import import_file
from grainpocket.settings import RECORDS as RECORDS_FOLDER
from grainpocket.settings import Settings
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.pockets import PocketStore

AUDIO = RECORDS_FOLDER
NAME, POCKET_ID = "Night ferry set", "night-ferry-set"
# The sung note as an instrument: it comes in softly, opens, sways, and rings on when it is let go.
HUM: dict[str, float | str | bool | None] = {
    "play": "held", "attack": 45.0, "release": 320.0, "decay": 600.0, "sustain": -3.0, "filter": "low", "cutoff": 1100.0,
    "resonance": 3.0, "filter_amount": 22.0, "filter_attack": 120.0, "filter_decay": 700.0, "lfo1_pitch": 0.12, "lfo1_hz": 5.1,
}  # fmt: skip
RECORDS = ("Dockside break", "Lantern street", "Tin roof rain", "Marlo hum", "Galley keys")
_NAMES: dict[str, tuple[Role, str]] = {
    "kick": ("kick", "Kick"), "snare": ("snare", "Snare"), "ghost": ("snare", "Ghost"), "hat": ("hat", "Hat"),
    "perc": ("perc", "Tom"),
}  # fmt: skip


def make_demo(settings: Settings, fresh: bool = False, say: Callable[[str], object] = print) -> None:
    """Make the demo pocket in a data folder, unless it is there."""
    if fresh and settings.data.exists():
        shutil.rmtree(settings.data)
    database = Database(settings.database)
    try:
        pockets = PocketStore(database)
        if any(row.id == POCKET_ID for row in pockets.listing()):
            return
        say("Making the demo pocket: listening to five records ...")
        pockets.create(demo_pocket(AudioStore(settings.audio), settings.most_minutes), POCKET_ID)
    finally:
        database.close()


def demo_pocket(store: AudioStore, most_minutes: float = 30) -> Pocket:
    """The document, its audio put into the store."""
    pocket = Pocket(name=NAME)

    def make(edits: Iterable[EditModel]) -> Pocket:
        nonlocal pocket
        for edit in edits:
            pocket = edit.made(pocket, store)
        return pocket

    make(_added(name, store, most_minutes) for name in RECORDS)
    truth = json.loads((AUDIO / "truth.json").read_text())
    make(_counted(pocket, store, truth))
    dockside = next(s for s in pocket.sources.values() if s.name == "Dockside break")
    make(_named(dockside, truth["Dockside break"]["hits"], pocket.rate))
    dockside = pocket.sources[dockside.id]
    make([SlicesToPads(source=dockside.id, cuts=tuple(_one_of_each(dockside)), first=0)])
    make([OriginalRhythm(source=dockside.id)])
    played = list(pocket.patterns)[-1]
    make([SetPattern(pattern=played, name="Dockside, as played")])
    hum = next(s for s in pocket.sources.values() if s.name == "Marlo hum")
    keys = next(s for s in pocket.sources.values() if s.name == "Galley keys")
    make(_tonal_page(pocket, hum, keys))
    make_parts(pocket, make)
    make(_own_pattern(pocket))
    return make_tune(pocket, make)


def _counted(pocket: Pocket, store: AudioStore, truth: dict[str, Any]) -> Iterable[EditModel]:
    """Where a record may be counted in two ways, the one it was played in: as a musician would choose it."""
    for source in pocket.sources.values():
        bpm = truth.get(source.name, {}).get("bpm")
        tempi = store.hearing(source.audio).tempi
        near = [i for i, t in enumerate(tempi) if bpm and abs(t.bpm / bpm - 1) < 0.01]
        if near and near[0] > 0:
            yield TakeTempo(source=source.id, candidate=near[0])


def _added(name: str, store: AudioStore, most_minutes: float) -> AddSource:
    return import_file(AUDIO / f"{name}.flac", f"{name}.flac", store, most_minutes, lambda progress, step: None)


def _named(source: Source, hits: list[tuple[float, str, int]], rate: int) -> Iterable[EditModel]:
    """Names and roles for the slices, from what was really played at each cut (the loudest drum of an instant)."""
    count: dict[str, int] = {}
    weight = {"kick": 3.0, "snare": 2.5, "perc": 2.0, "hat": 1.0}
    for cut in source.cuts:
        near = [(weight[role] * v, role, v) for at, role, v in hits if abs(at * rate - cut.at) < 0.025 * rate]
        if not near:
            continue
        _, role, velocity = max(near)
        kind = "ghost" if role == "snare" and velocity < 60 else role
        count[kind] = count.get(kind, 0) + 1
        yield NameSlice(source=source.id, cut=cut.id, name=f"{_NAMES[kind][1]} {count[kind]}", role=_NAMES[kind][0])


def _one_of_each(source: Source) -> list[str]:
    """Twelve slices for the first page: the first few of each kind, in rows of four."""
    out: list[str] = []
    for kind, how_many in (("Kick", 4), ("Snare", 4), ("Hat", 4), ("Ghost", 2), ("Tom", 2)):
        out += [c.id for c in source.cuts if (c.name or "").startswith(kind)][:how_many]
    return out[:16]


def _tonal_page(pocket: Pocket, hum: Source, keys: Source) -> Iterable[EditModel]:
    """The hum and the four chords on the page behind the break."""
    first = (max(pocket.pads) // 16 + 1) * 16
    yield SlicesToPads(source=hum.id, cuts=(hum.cuts[0].id,), first=first, choke=2)
    yield SetPads(pads=(first,), name="Hum A", role="vocal", sound=HUM)
    yield FindRoot(pads=(first,))
    chosen = []
    for wanted in np.array([0, 1, 2, 3]) * keys.frames / 4:
        chop = min(slices(pocket, keys), key=lambda c: abs(c.start - wanted))
        chosen.append(chop.cut or "")
    yield SlicesToPads(source=keys.id, cuts=tuple(chosen), first=first + 1, choke=3)
    for i, name in enumerate(("Keys Dm", "Keys Gm", "Keys Bb", "Keys A")):
        yield SetPads(pads=(first + 1 + i,), name=name, role="tonal", sound={"fade_out": 40})


def _own_pattern(pocket: Pocket) -> Iterable[EditModel]:
    """A two-bar pattern stepped in by hand, to change and to listen to."""
    by_name = {pad.called: index for index, pad in pocket.pads.items()}
    yield AddPattern(name="Dockside, bar A", bars=2)
    key = f"p{pocket.next_id}"
    yield SetPattern(pattern=key, swing=58)
    lines = (
        ("Kick 1", (0, 7, 10, 16, 23, 26, 27), 118), ("Snare 1", (4, 12, 20, 28), 120), ("Ghost 1", (9, 15, 25, 31), 88),
        ("Hat 1", (0, 4, 8, 12, 16, 20, 24, 28), 104), ("Hat 2", (2, 6, 10, 14, 18, 22, 26, 30), 86),
    )  # fmt: skip
    hits = [Hit(pad=by_name[name], beat=s / 4, velocity=v, length=0.25) for name, steps, v in lines for s in steps]
    yield PutHits(pattern=key, hits=tuple(hits))
