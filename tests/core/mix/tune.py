"""A small tune with buses, for tests of what is heard and written."""

from __future__ import annotations

from grainpocket.core.document.mixing import Bus, Effect, Send
from grainpocket.core.document.song import Point, Section, Thread
from grainpocket.core.document.sound import Sound
from grainpocket.core.mix.loop import Renderer
from grainpocket.core.mix.nodes import Pieces, pieces
from grainpocket.core.pocket import Chop, Hit, Pad, Pattern, Pocket, Source
from tests.files import tone
from tests.signals import RATE, ArrayReader, drum_loop

DRUMS = drum_loop(bpm=120, bars=1, seed=3).samples
READER = ArrayReader(drums=DRUMS, tone=tone(1.5, channels=2) * 0.4)
BEAT = RATE // 2  # at 120 BPM

SOURCES = {
    "s1": Source(id="s1", name="Drums", audio="drums", frames=len(DRUMS), channels=DRUMS.shape[1]),
    "s2": Source(id="s2", name="Tone", audio="tone", frames=int(1.5 * RATE), channels=2),
}
PADS = {
    0: Pad(name="Kick 1", role="kick", chop=Chop(source="s1", start=0, end=9000), choke=1),
    1: Pad(name="Snare 1", role="snare", chop=Chop(source="s1", start=22050, end=30000), choke=2),
    2: Pad(name="Keys 1", role="tonal", chop=Chop(source="s2", start=100, end=50000), sound=Sound(fade_out=30.0, play="held")),
}
PATTERNS = {
    "p1": Pattern(id="p1", name="Drums", bars=1, hits=tuple(
        Hit(id=f"h{i}", pad=pad, beat=beat, velocity=v) for i, (pad, beat, v) in enumerate(
            ((0, 0.0, 120), (1, 1.0, 110), (0, 1.75, 90), (0, 2.5, 118), (1, 3.0, 112))
        )
    )),
    "p2": Pattern(id="p2", name="Keys", bars=2, hits=(
        Hit(id="k1", pad=2, beat=0.0, length=1.5), Hit(id="k2", pad=2, beat=0.0, note=7, length=1.5),
        Hit(id="k3", pad=2, beat=5.0, note=-5),
    )),
}  # fmt: skip


def plain() -> Pocket:
    return Pocket(name="Tune", tempo=120.0, sources=SOURCES, pads=PADS, patterns=PATTERNS, next_id=100)


def mixed() -> Pocket:
    """Drums on a bus with a compressor and a reverb send, keys ducked under the kick, an echo on the snare only, a limiter."""
    drums = Bus(
        id="b1", name="Drums", roles=("kick",), sends=(Send(to="b5", level=-12.0),),
        chain=(Effect(id="e1", kind="compressor", settings={"threshold": -24.0}),),
    )  # fmt: skip
    snares = Bus(id="b2", name="Snares", roles=("snare",), into="b1", sends=(Send(to="b4", level=-6.0),))
    keys = Bus(
        id="b3", name="Keys", roles=("tonal",), level=-3.0, pan=30.0,
        chain=(
            Effect(id="e2", kind="saturation", settings={"drive": 9.0}),
            Effect(id="e3", kind="duck", listens_to="pad:0", settings={"depth": 12.0}),
        ),
    )  # fmt: skip
    echo = Bus(
        id="b4", name="Echo", is_return=True, chain=(Effect(id="e4", kind="echo", settings={"beats": 0.5, "feedback": 15.0}),)
    )
    reverb = Bus(id="b5", name="Reverb", is_return=True, chain=(Effect(id="e5", kind="reverb", settings={"decay": 0.3}),))
    return plain().model_copy(
        update={"buses": {b.id: b for b in (drums, snares, keys, echo, reverb)}, "chain": (Effect(id="e9", kind="limiter"),)}
    )


def song(pocket: Pocket) -> Pocket:
    """Three sections from two patterns, and the reverb's send that moves."""
    sections = (
        Section(id="n1", name="One", bars=2, patterns=("p2",)),
        Section(id="n2", name="Two", bars=1, repeats=2, patterns=("p1", "p2")),
        Section(id="n3", name="Three", bars=1, patterns=("p1",), muted=(1,)),
    )  # fmt: skip
    points = (Point(beat=0.0, value=-40.0), Point(beat=12.0, value=-6.0), Point(beat=12.0, value=-30.0))
    threads = {"t1": Thread(id="t1", control="b1.send.b5", points=points)}
    return pocket.model_copy(update={"sections": {s.id: s for s in sections}, "song": ("n1", "n2", "n3"), "threads": threads})


def renderer() -> tuple[Renderer, Pieces]:
    return Renderer(READER, RATE, 64), pieces(64_000_000)
