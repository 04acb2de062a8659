"""The tune of the demo pocket: four buses, an echo, a reverb, a duck under the kick, five sections and two controls that move."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

from grainpocket.core.document.song import Point
from grainpocket.core.edits import EditModel
from grainpocket.core.edits.hitting import PutHits
from grainpocket.core.edits.mixing import AddBus, AddEffect, SetBus, SetSend
from grainpocket.core.edits.patterns import AddPattern
from grainpocket.core.edits.songs import AddSection, SetSection, SetThread
from grainpocket.core.pocket import Hit, Pocket

Make = Callable[[Iterable[EditModel]], Pocket]


def make_tune(pocket: Pocket, make: Make) -> Pocket:
    """The pocket with its tune, from the patterns that it has. make: carries edits out one after the other."""
    kick = next(index for index, pad in pocket.pads.items() if pad.called == "Kick 1")
    return _song(_buses(pocket, make, kick), make)


def make_parts(pocket: Pocket, make: Make) -> Pocket:
    """The pocket with the patterns of the tune that are not drums as they were played."""
    by_name = {pad.called: index for index, pad in pocket.pads.items()}
    chords = ("Keys Dm", "Keys Gm", "Keys Bb", "Keys A")
    pocket = make([AddPattern(name="Keys, held", bars=4)])
    held = [Hit(pad=by_name[name], beat=4.0 * k, velocity=104) for k, name in enumerate(chords)]
    pushed = [Hit(pad=by_name[name], beat=4.0 * k + 2.5, velocity=78) for k, name in enumerate(chords)]
    make([PutHits(pattern=_last(pocket.patterns), hits=(*held, *pushed))])
    pocket = make([AddPattern(name="Hum, answer", bars=4)])
    # The same sung note, answered a fourth lower and a tone higher.
    sung = [
        Hit(pad=by_name["Hum A"], beat=b, velocity=96, length=n, note=note) for b, n, note in ((2, 3, 0), (9, 2, -5), (12, 3, -2))
    ]
    make([PutHits(pattern=_last(pocket.patterns), hits=tuple(sung))])
    pocket = make([AddPattern(name="Half time", bars=2)])
    lines = (("Kick 1", (0, 2.5, 5.25), 118), ("Snare 1", (2, 6), 116), ("Hat 1", range(8), 84), ("Ghost 1", (3.75, 7.5), 80))
    hits = [Hit(pad=by_name[name], beat=float(b), velocity=v, length=0.25) for name, beats, v in lines for b in beats]
    return make([PutHits(pattern=_last(pocket.patterns), hits=tuple(hits))])


def _buses(pocket: Pocket, make: Make, kick: int) -> Pocket:
    pocket = make([AddBus(name="Drums", roles=("kick", "hat", "perc"))])
    drums = _last(pocket.buses)
    pocket = make([AddBus(name="Snares", roles=("snare",))])
    snares = _last(pocket.buses)
    pocket = make([AddBus(name="Keys", roles=("tonal",))])
    keys = _last(pocket.buses)
    pocket = make([AddBus(name="Hum", roles=("vocal",))])
    hum = _last(pocket.buses)
    pocket = make([AddBus(name="Echo", is_return=True, effects=())])
    echo = _last(pocket.buses)
    pocket = make([AddBus(name="Reverb", is_return=True, effects=())])
    reverb = _last(pocket.buses)
    return make(
        [
            AddEffect(bus=drums, kind="eq", settings={"low_cut": "12", "low_cut_hz": 32.0, "high_db": 2.0}),
            AddEffect(bus=drums, kind="compressor", settings={"threshold": -16.0, "ratio": 3.0, "attack": 18.0, "makeup": 2.0}),
            SetBus(bus=snares, into=drums),
            AddEffect(
                bus=keys, kind="eq", settings={"low_cut": "12", "low_cut_hz": 140.0, "high_cut": "12", "high_cut_hz": 9000.0}
            ),
            AddEffect(bus=keys, kind="duck", listens_to=f"pad:{kick}", settings={"depth": 9.0, "release": 260.0}),
            AddEffect(bus=hum, kind="eq", settings={"low_cut": "12", "low_cut_hz": 120.0}),
            SetBus(bus=keys, level=-4.0),
            SetBus(bus=hum, level=-3.0, pan=-14.0),
            AddEffect(bus=echo, kind="echo", settings={"beats": 0.75, "feedback": 42.0, "uneven": 133.0, "high_cut": 2400.0}),
            AddEffect(bus=reverb, kind="reverb", settings={"decay": 3.7, "before": 24.0, "damping": 5200.0}),
            SetSend(bus=snares, to=echo, level=-14.0),
            SetSend(bus=keys, to=reverb, level=-10.0),
            SetSend(bus=hum, to=echo, level=-9.0),
            SetSend(bus=hum, to=reverb, level=-12.0),
            AddEffect(bus="master", kind="limiter", settings={"ceiling": -1.0}),
        ]
    )


def _song(pocket: Pocket, make: Make) -> Pocket:
    named = {pattern.name: key for key, pattern in pocket.patterns.items()}
    keys, hum = named["Keys, held"], named["Hum, answer"]
    drums, played, half = named["Dockside, bar A"], named["Dockside, as played"], named["Half time"]
    for name, bars, patterns in (
        ("Quay", 8, (keys,)), ("Crossing", 8, (drums, keys)), ("Open water", 8, (played, keys, hum)), ("Tin roof", 4, (half, hum)),
        ("Quay again", 8, (keys, hum)),
    ):  # fmt: skip
        pocket = make([AddSection(name=name, bars=bars, patterns=patterns)])
    crossing = next(key for key, section in pocket.sections.items() if section.name == "Crossing")
    pocket = make([SetSection(section=crossing, repeats=2)])
    bus = {b.name: b for b in pocket.buses.values()}
    eq = bus["Keys"].chain[0].id
    # The keys open up from behind a wall, and the hum goes under water at the end.
    opening = tuple(Point(beat=b, value=v) for b, v in ((0.0, 700.0), (30.0, 5200.0), (32.0, 9000.0)))
    under = tuple(Point(beat=b, value=v) for b, v in ((96.0, -18.0), (144.0, -12.0), (170.0, -2.0)))
    return make(
        [
            SetThread(control=f"{bus['Keys'].id}.{eq}.high_cut_hz", points=opening),
            SetThread(control=f"{bus['Hum'].id}.send.{bus['Reverb'].id}", points=under),
        ]
    )


def _last(records: Mapping[str, object]) -> str:
    return list(records)[-1]
