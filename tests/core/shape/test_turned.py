"""What a sound is turned into in one step, its notes as a multisample, loops that fit by themselves, and sends of pads."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.document.mixing import Send
from grainpocket.core.document.sound import Sound
from grainpocket.core.edits import Refusal
from grainpocket.core.edits.found import Stretch, StretchesToPads
from grainpocket.core.edits.mixing import SendPads
from grainpocket.core.listen.harmony.pitch import pitch
from grainpocket.core.mix.loop import Renderer
from grainpocket.core.mix.mixdown import Mix
from grainpocket.core.mix.nodes import pieces
from grainpocket.core.pocket import Bus, Chop, Effect, Grid, Hit, Pad, Pattern, Pocket, Recipe, Source
from grainpocket.core.rhythm.schedule import schedule
from grainpocket.core.shape import transforms
from grainpocket.core.song.printing import printed
from grainpocket.core.sound.audio import Samples
from tests.signals import RATE, ArrayReader

BEAT = RATE / 2
T = np.arange(RATE) / RATE
TONE: Samples = (0.4 * np.sin(2 * np.pi * 220 * T) * np.exp(-3 * T))[:, None].repeat(2, axis=1).astype(np.float32)
READER = ArrayReader(a=np.concatenate((TONE, np.zeros((RATE, 2), np.float32))))


def pocket(**more: object) -> Pocket:
    source = Source(id="s1", name="Tone", audio="a", frames=2 * RATE, channels=2, grid=Grid(bpm=120))
    pads = {
        i: Pad(name=f"Tone {i}", called=f"Tone {i}", chop=Chop(source="s1", start=0, end=RATE), sound=Sound(root=57))
        for i in (0, 1)
    }
    return Pocket(name="p", tempo=120, sources={"s1": source}, pads=pads, **more)  # type: ignore[arg-type]


def rms(x: Samples) -> float:
    return float(np.sqrt(np.mean(np.square(x))))


def test_a_reversed_reverb_swells_up_to_the_sound_itself() -> None:
    made = transforms.reversed_reverb(TONE, RATE, BEAT)
    assert made.at == (0, 2 * RATE)
    assert len(made.sound) == 2 * RATE + len(TONE)
    quarters = [rms(made.sound[k * RATE // 2 : (k + 1) * RATE // 2]) for k in range(4)]
    assert quarters == sorted(quarters)
    assert quarters[3] > 4 * quarters[0] > 0
    # The hit itself is there, on its sample, over its own room.
    assert np.corrcoef(made.sound[2 * RATE : 2 * RATE + 8000, 0], TONE[:8000, 0])[0, 1] > 0.5


def test_a_riser_goes_up_two_octaves_and_gets_louder() -> None:
    steady = (0.4 * np.sin(2 * np.pi * 220 * T))[:, None].repeat(2, axis=1).astype(np.float32)
    made = transforms.riser(steady, RATE, BEAT).sound
    assert len(made) == 8 * BEAT
    # Where a cycle ends and begins again it is crossfaded: pitch is taken in the middle of a stretch.
    first = pitch(made[int(0.25 * RATE) : int(0.6 * RATE), 0], RATE)
    last = pitch(made[-int(0.3 * RATE) : -2000, 0], RATE)
    assert first is not None
    assert last is not None
    assert 1.5 < np.log2(last.hz / first.hz) < 2.1
    assert 20 * np.log10(rms(made[-RATE // 2 :]) / rms(made[: RATE // 2])) == pytest.approx(26, abs=3)
    assert np.abs(np.diff(made[:, 0])).max() < 0.2


def test_a_stutter_is_its_beginning_ever_faster() -> None:
    made = transforms.stutter(TONE, RATE, BEAT)
    lengths = np.diff([*made.at, len(made.sound)]) / BEAT
    assert lengths == pytest.approx([0.5] * 2 + [0.25] * 4 + [0.125] * 8, abs=1e-4)
    for at in made.at:
        assert np.abs(made.sound[at + 200 : at + 2000] - TONE[200:2000]).max() < 1e-6


def test_half_speed_is_an_octave_down_and_twice_as_long() -> None:
    made = transforms.half_speed(TONE, RATE, BEAT).sound
    found = pitch(made[2000:40000, 0], RATE)
    assert len(made) == 2 * len(TONE)
    assert found is not None
    assert 1200 * np.log2(found.hz / 110) == pytest.approx(0, abs=2)


@pytest.mark.parametrize("name", sorted(transforms.TRANSFORMS))
def test_turned_sounds_are_printed_with_where_they_came_from(name: str) -> None:
    recipe = Recipe.model_validate({"what": "pad", "pad": 0, "transform": name, "ending": "ring"})
    made = printed(pocket(), recipe, Renderer(READER, RATE), pieces(0))
    sound = np.concatenate(list(made.blocks))
    assert made.name == f"Tone 0, {name}"
    assert np.isfinite(sound).all()
    assert 0.05 < np.abs(sound).max() < 1.5
    assert made.cuts[0].at == 0
    assert [(part.record, part.at) for part in made.parts] == [("s1", None)] or made.parts[0].at is None
    with pytest.raises(Refusal, match="empty"):
        printed(pocket(), recipe.model_copy(update={"pad": 9}), Renderer(READER, RATE), pieces(0))


def test_notes_one_after_the_other_each_in_tune_and_named() -> None:
    made = printed(pocket(), Recipe(what="keys", pad=0, ending="ring"), Renderer(READER, RATE), pieces(0))
    sound = np.concatenate(list(made.blocks))
    assert [cut.name for cut in made.cuts][:3] == ["A1", "C2", "Eb2"]
    assert len(made.cuts) == 17
    for number, cut in enumerate(made.cuts):
        found = pitch(sound[cut.at + 1500 : cut.at + 9000, 0], RATE)
        note = -24 + 3 * number
        if found is not None and note >= -12:
            assert 1200 * np.log2(found.hz / (220 * 2 ** (note / 12))) == pytest.approx(0, abs=5)


def test_a_loop_of_whole_bars_fits_itself() -> None:
    def to_pad(frames: int, fit: bool) -> Sound:
        edit = StretchesToPads(source="s1", stretches=(Stretch(start=0, end=frames),), first=5, fit=fit)
        return edit.apply(pocket(), None).pads[5].sound  # type: ignore[arg-type]

    bar = 2 * RATE
    assert (to_pad(bar, True).time, to_pad(bar, True).beats) == ("fit", 4)
    assert to_pad(bar, False) == Sound()
    assert to_pad(round(bar * 0.8), True) == Sound()


def rendered(one: Pocket, *pads: int) -> Samples:
    pattern = Pattern(id="p1", name="P", bars=1, hits=tuple(Hit(pad=pad, beat=0, velocity=127) for pad in pads))
    mix = Mix(one, schedule(one, pattern, cyclic=False), Renderer(READER, RATE), pieces(0), cyclic=False)
    return np.concatenate(list(mix.written()))


def test_a_send_of_a_pad_adds_its_share_and_no_other_pads() -> None:
    plain = pocket(buses={"b1": Bus(id="b1", name="Throw", is_return=True)})
    sent = SendPads(pads=(0,), to="b1", level=-6).apply(plain, None)  # type: ignore[arg-type]
    assert sent.pads[0].sends == (Send(to="b1", level=-6),)
    dry, wet = rendered(plain, 0), rendered(sent, 0)
    assert wet[:RATE] == pytest.approx(dry[:RATE] * (1 + 10 ** (-6 / 20)), abs=2e-4)
    assert rendered(sent, 1) == pytest.approx(rendered(plain, 1), abs=1e-6)
    gone = SendPads(pads=(0,), to="b1", level=None).apply(sent, None)  # type: ignore[arg-type]
    assert gone.pads[0].sends == ()
    with pytest.raises(Refusal, match="returns"):
        SendPads(pads=(0,), to="b2", level=0).apply(plain.with_bus(Bus(id="b2", name="Drums")), None)  # type: ignore[arg-type]


def test_what_is_sent_rings_on_in_the_return() -> None:
    echo = Effect(id="e1", kind="echo", settings={})
    plain = pocket(buses={"b1": Bus(id="b1", name="Throw", is_return=True, chain=(echo,))})
    sent = SendPads(pads=(0,), to="b1", level=0).apply(plain, None)  # type: ignore[arg-type]
    wet, dry = rendered(sent, 0), rendered(plain, 0)
    dry = np.pad(dry, ((0, max(0, len(wet) - len(dry))), (0, 0)))[: len(wet)]
    late = wet - dry
    assert rms(late[: RATE // 20]) < 1e-4 or rms(late[: RATE // 20]) < rms(late[RATE // 4 : RATE])
    assert rms(late[RATE // 4 : RATE]) > 0.005
