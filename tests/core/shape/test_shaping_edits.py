"""Edits to how pads sound."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.document.mixing import Effect
from grainpocket.core.document.sound import Sound
from grainpocket.core.edits import Refusal
from grainpocket.core.edits.mixing import AddEffect, MoveEffect, SetEffect
from grainpocket.core.edits.padding import SetPads
from grainpocket.core.edits.shaping import AddZones, CopySound, FindRoot, FitToKey, SetAmounts, SetZone, SplitBands
from grainpocket.core.listen.hearing import hear
from grainpocket.core.pocket import Chop, Key, Pad, Pocket, Source
from grainpocket.core.shape.voice import render, spec_of
from tests.core.effects.desk import db
from tests.signals import RATE, ArrayReader


def reed(hz: float) -> np.ndarray:
    t = np.arange(2 * RATE) / RATE
    wave = sum(np.sin(2 * np.pi * hz * k * t) / k for k in range(1, 6)) * 0.2
    return np.asarray(np.stack((wave, wave), 1), np.float32)


class Library:
    """Three tones and a drum-like noise in one."""

    def __init__(self) -> None:
        noise = np.random.default_rng(1).standard_normal((2 * RATE, 2)) * np.exp(-np.arange(2 * RATE) / 2000)[:, None] * 0.3
        self.sound = np.concatenate((reed(220.0 * 2 ** (30 / 1200)), reed(330.0), reed(440.0), noise)).astype(np.float32)

    def read(self, audio: str, start: int, end: int) -> np.ndarray:
        return self.sound[start:end]

    def hearing(self, audio: str) -> object:
        return hear(self.sound[:RATE, 0], RATE)


@pytest.fixture
def library() -> Library:
    return Library()


@pytest.fixture
def pocket(library: Library) -> Pocket:
    source = Source(id="s1", name="Tones", audio="tones", frames=len(library.sound), channels=2)
    chops = [Chop(source="s1", start=2 * RATE * i, end=2 * RATE * (i + 1)) for i in range(4)]
    pads = {i: Pad(chop=chop, called=f"Pad {i}", role="tonal" if i < 3 else "snare") for i, chop in enumerate(chops)}
    return Pocket(name="P", sources={"s1": source}, pads=pads)


def test_settings_are_never_shared_and_copying_is_by_group(pocket: Pocket, library: Library) -> None:
    made = SetPads(pads=(0,), sound={"filter": "low", "pitch": 5.0, "attack": 30.0}).apply(pocket, library)  # type: ignore[arg-type]
    assert made.pads[1].sound == Sound()
    pasted = CopySound(pad=0, pads=(1, 2), groups=("filter",)).apply(made, library)  # type: ignore[arg-type]
    assert pasted.pads[1].sound == Sound(filter="low")
    whole = CopySound(pad=0, pads=(1,)).apply(made, library)  # type: ignore[arg-type]
    assert whole.pads[1].sound == made.pads[0].sound
    assert whole.pads[1].chop == pocket.pads[1].chop
    later = SetPads(pads=(1,), sound={"pitch": 1.0}).apply(whole, library)  # type: ignore[arg-type]
    assert later.pads[0].sound.pitch == 5.0


def test_bands_sum_to_what_they_were(pocket: Pocket, library: Library) -> None:
    reader = ArrayReader(tones=library.sound)
    whole = render(spec_of(pocket, pocket.pads[3]), reader, RATE)
    made = SplitBands(pad=3, edges=(90.0, 1000.0)).apply(pocket, library)  # type: ignore[arg-type]
    assert [layer.name for layer in made.pads[3].layers] == ["knock", "click"]
    parted = render(spec_of(made, made.pads[3]), reader, RATE)
    assert db(parted - whole) < db(whole) - 80
    with pytest.raises(Refusal, match="one band already"):
        SplitBands(pad=3, edges=(200.0,)).apply(made, library)  # type: ignore[arg-type]
    with pytest.raises(Refusal, match="rising"):
        SplitBands(pad=0, edges=(900.0, 200.0)).apply(pocket, library)  # type: ignore[arg-type]


def test_a_root_is_found_and_tuned_to_the_cent(pocket: Pocket, library: Library) -> None:
    made = FindRoot(pads=(0,), tune=True).apply(pocket, library)  # type: ignore[arg-type]
    assert made.pads[0].sound.root == 57.0
    assert made.pads[0].sound.pitch == pytest.approx(-0.30, abs=0.02)
    with pytest.raises(Refusal, match="no single pitch"):
        FindRoot(pads=(3,)).apply(pocket, library)  # type: ignore[arg-type]


def test_zones_lay_themselves_out(pocket: Pocket, library: Library) -> None:
    made = AddZones(pad=0, pads=(2, 1)).apply(pocket, library)  # type: ignore[arg-type]
    assert [round(zone.root) for zone in made.pads[0].zones] == [64, 69]
    with pytest.raises(Refusal, match="there already"):
        AddZones(pad=0, pads=(1,)).apply(made, library)  # type: ignore[arg-type]
    with pytest.raises(Refusal, match="no single pitch"):
        AddZones(pad=0, pads=(3,)).apply(pocket, library)  # type: ignore[arg-type]
    moved = SetZone(pad=0, zone=0, root=70.0).apply(made, library)  # type: ignore[arg-type]
    assert [round(zone.root) for zone in moved.pads[0].zones] == [69, 70]
    gone = SetZone(pad=0, zone=0, remove=True).apply(made, library)  # type: ignore[arg-type]
    assert len(gone.pads[0].zones) == 1


def test_tonal_chops_go_into_the_key_by_as_little_as_can_be(pocket: Pocket, library: Library) -> None:
    with pytest.raises(Refusal, match="no key yet"):
        FitToKey().apply(pocket, library)  # type: ignore[arg-type]
    keyed = pocket.model_copy(update={"key": Key(tonic=3, mode="major")})
    made = FitToKey().apply(keyed, library)  # type: ignore[arg-type]
    # A, thirty cents high, and E lie beside what E flat major has.
    assert made.pads[0].sound.pitch == pytest.approx(0.7, abs=0.03)
    assert abs(made.pads[1].sound.pitch) == pytest.approx(1, abs=0.03)
    assert made.pads[3].sound.pitch == 0


def test_amounts_are_within_their_range(pocket: Pocket, library: Library) -> None:
    made = SetAmounts(pads=(0, 1), by="velocity", amounts={"cutoff": 40.0, "start": -10.0}).apply(pocket, library)  # type: ignore[arg-type]
    assert made.pads[1].sound.by_velocity == {"cutoff": 40.0, "start": -10.0}
    made = SetAmounts(pads=(0,), by="velocity", amounts={"cutoff": None}).apply(made, library)  # type: ignore[arg-type]
    assert made.pads[0].sound.by_velocity == {"start": -10.0}
    for wrong in ({"colour": 1.0}, {"filter": 1.0}, {"cutoff": 101.0}):
        with pytest.raises(Refusal):
            SetAmounts(pads=(0,), by="wheel", amounts=wrong).apply(pocket, library)  # type: ignore[arg-type]


def test_a_pad_has_effects_of_its_own(pocket: Pocket, library: Library) -> None:
    made = AddEffect(bus="pad:1", kind="eq").apply(pocket, library)  # type: ignore[arg-type]
    (effect,) = made.pads[1].sound.chain
    made = SetEffect(bus="pad:1", effect=effect.id, settings={"peak1_db": 6.0}).apply(made, library)  # type: ignore[arg-type]
    assert made.pads[1].sound.chain == (Effect(id=effect.id, kind="eq", settings={"peak1_db": 6.0}),)
    assert not made.pads[0].sound.chain
    moved = MoveEffect(bus="pad:1", effect=effect.id, to=0, to_bus="pad:2").apply(made, library)  # type: ignore[arg-type]
    assert (len(moved.pads[1].sound.chain), len(moved.pads[2].sound.chain)) == (0, 1)
    for wrong in (AddEffect(bus="pad:1", kind="duck"), AddEffect(bus="pad:1", kind="compressor", listens_to="pad:0")):
        with pytest.raises(Refusal, match="hears nothing but that pad"):
            wrong.apply(pocket, library)  # type: ignore[arg-type]
    for nowhere in ("pad:99", "pad:x", "pad:"):
        with pytest.raises(Refusal, match="empty"):
            AddEffect(bus=nowhere, kind="eq").apply(pocket, library)  # type: ignore[arg-type]
