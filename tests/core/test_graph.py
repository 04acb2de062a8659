"""The render graph: the same sound however it is cut into segments, rendered once, and loops that follow themselves."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from grainpocket.core.effects import EFFECTS
from grainpocket.core.effects.base import Curve
from grainpocket.core.mix.graph import Graph
from grainpocket.core.mix.nodes import SILENT_KEY, Circle, Clock, Feed, Insert, Node, Pieces, order, pieces
from grainpocket.core.params import Value
from grainpocket.core.sound.audio import Samples
from tests.core.effects.desk import db
from tests.signals import RATE

BEAT = 11025
BEATS = 8


class Sound:
    """A lane whose sound is known as a whole; its keys are its samples' own."""

    def __init__(self, samples: Samples, clock: Clock) -> None:
        self.samples, self.clock = samples, clock

    def piece(self, segment: int) -> tuple[str, Samples]:
        start, frames = self.clock.segments[segment]
        part = self.samples[start : start + frames]
        return (str(hash(part.tobytes())) if part.any() else SILENT_KEY), part


def clock(edges: list[int] | None = None) -> Clock:
    edges = edges or [k * BEAT for k in range(BEATS + 1)]
    return Clock(RATE, float(BEAT), tuple((a, b - a) for a, b in itertools.pairwise(edges)))


def insert(kind: str, listens_to: str | None = None, automated: dict[str, Curve] | None = None, **some: Value) -> Insert:
    return Insert(kind, {**EFFECTS[kind].defaults(), **some}, listens_to, automated or {})


def strokes(*beats: float, hz: float = 200.0, seed: int = 1) -> Samples:
    out = np.zeros((BEATS * BEAT, 2), np.float32)
    t = np.arange(4000) / RATE
    hit = (0.5 * np.sin(2 * np.pi * hz * t) * np.exp(-t * 30))[:, None].astype(np.float32)
    for beat in beats:
        start = int(beat * BEAT)
        out[start : start + 4000] += hit[: max(0, len(out) - start)]
    return out


RISE = Curve(np.array([0.0, 4.0 * BEAT, 4.0 * BEAT]), np.array([-20.0, -20.0, 0.0]))
NODES = (
    Node("kick"),
    Node("keys"),
    Node("drums", (Feed("kick"),), (insert("compressor", threshold=-30.0), insert("saturation", drive=12.0))),
    Node("pad", (Feed("keys"),), (insert("duck", "kick", depth=12.0),), level=-3.0, pan=40.0, automated={"level": RISE}),
    Node("hall", (Feed("drums", -12.0), Feed("pad", -6.0, after_level=False)), (insert("reverb", decay=0.6),)),
    Node("master", (Feed("drums"), Feed("pad"), Feed("hall")), (insert("eq", high_db=3.0), insert("limiter"))),
)


def sounds(at: Clock, kick: Samples | None = None) -> dict[str, Sound]:
    return {"kick": Sound(strokes(0, 2, 4, 6) if kick is None else kick, at), "keys": Sound(strokes(1, 1.5, 5, hz=440), at)}


def graph(at: Clock | None = None, cache: Pieces | None = None, nodes: tuple[Node, ...] = NODES, **more: Samples) -> Graph:
    at = at or clock()
    return Graph(nodes, sounds(at, **more), at, cache if cache is not None else pieces(1 << 28))


@settings(max_examples=12, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(st.integers(1, BEATS * BEAT - 1), max_size=6, unique=True))
def test_segments_do_not_matter(inner: list[int]) -> None:
    whole = np.concatenate(graph().render("master"))
    other = np.concatenate(graph(clock([0, *sorted(inner), BEATS * BEAT])).render("master"))
    np.testing.assert_array_equal(whole, other)


def test_rendering_twice_and_in_another_order_gives_the_same_bytes() -> None:
    cache: Pieces = pieces(1 << 28)
    first = np.concatenate(graph(cache=cache).render("master"))
    misses = cache.misses
    np.testing.assert_array_equal(np.concatenate(graph(cache=cache).render("master")), first)
    assert cache.misses == misses, "all of it was kept"
    backwards = graph(nodes=NODES[::-1])
    backwards.render("hall")
    np.testing.assert_array_equal(np.concatenate(backwards.render("master")), first)
    tight: Pieces = pieces(200_000)
    np.testing.assert_array_equal(np.concatenate(graph(cache=tight).render("master")), first)
    assert tight.filled <= 200_000


def test_an_edit_renders_again_only_from_where_it_changes_something() -> None:
    cache: Pieces = pieces(1 << 28)
    graph(cache=cache).render("master")
    before = cache.misses
    # A stroke more in the sixth beat: the lane there, and from there on what it flows into or turns down.
    graph(cache=cache, kick=strokes(0, 2, 4, 5, 6)).render("master")
    assert cache.misses - before <= 3 * 5 + 2
    before = cache.misses
    louder = tuple(replace(n, level=-6.0, automated={}) if n.name == "pad" else n for n in NODES)
    graph(cache=cache, nodes=louder).render("drums")
    assert cache.misses == before, "a bus that the edit does not reach is not touched"


def test_histories_that_lead_to_one_state_meet_again() -> None:
    """A stroke that has gone through a duck and a wire leaves no trace some beats later: the rest is known."""
    nodes = (Node("kick"), Node("bus", (Feed("kick"),), (insert("width"),)))
    cache: Pieces = pieces(1 << 28)
    graph(cache=cache, nodes=nodes, kick=strokes(0, 4)).render("bus")
    before = cache.misses
    graph(cache=cache, nodes=nodes, kick=strokes(0, 1, 4)).render("bus")
    assert cache.misses - before <= 4


def test_a_loop_follows_itself() -> None:
    one = graph()
    lap = np.concatenate(one.loop("master"))
    # Played out by hand: ten laps in a row, from silence.
    edges = [k * BEAT for k in range(10 * BEATS + 1)]
    long = clock(edges)
    nodes = tuple(replace(n, automated={}) for n in NODES)
    lanes = {name: Sound(np.tile(sound.samples, (10, 1)), long) for name, sound in sounds(clock()).items()}
    played = np.concatenate(Graph(nodes, lanes, long, pieces(1 << 29)).render("master"))
    steady = np.concatenate(graph(nodes=nodes).loop("master"))
    laps = played.reshape(10, -1, 2)
    assert np.abs(laps[1] - laps[9]).max() < 1e-3
    assert np.abs(laps[9] - steady).max() < 5e-5
    np.testing.assert_array_equal(np.concatenate(one.loop("master")), lap)
    assert np.abs(lap[:BEAT] - np.concatenate(one.render("master"))[:BEAT]).max() > 1e-3, "the tail of its end is in its beginning"


def test_a_loop_without_memory_is_its_pass() -> None:
    nodes = (Node("kick"), Node("bus", (Feed("kick", -6.0),), level=3.0))
    one = graph(nodes=nodes)
    np.testing.assert_array_equal(np.concatenate(one.loop("bus")), np.concatenate(one.render("bus")))
    np.testing.assert_allclose(np.concatenate(one.render("bus")), strokes(0, 2, 4, 6) * 10 ** (-3 / 20), atol=1e-7)


def test_what_rings_on_after_the_end() -> None:
    rest = graph().tail("hall", 4 * RATE)
    assert db(rest[: RATE // 4]) > -90
    assert db(rest[-RATE // 2 :]) < -120
    assert not graph(nodes=(Node("kick"),)).tail("kick", 1000).any()


def test_a_muted_trigger_still_ducks() -> None:
    nodes = tuple(replace(n, muted=True) if n.name == "kick" else n for n in NODES)
    assert db(np.concatenate(graph(nodes=nodes).render("drums"))) < -150
    ducked, free = (np.concatenate(graph(nodes=some).render("pad")) for some in (nodes, tuple(replace(n, chain=()) for n in nodes)))
    assert db(ducked) < db(free) - 0.2


def test_automation_is_in_the_sound_and_only_where_it_differs_in_the_keys() -> None:
    cache: Pieces = pieces(1 << 28)
    out = np.concatenate(graph(cache=cache).render("pad"))
    assert db(out[5 * BEAT : 6 * BEAT]) > db(out[BEAT : 2 * BEAT]) + 15
    before = cache.misses
    later = Curve(RISE.at, np.array([-20.0, -20.0, -6.0]))
    graph(cache=cache, nodes=tuple(replace(n, automated={"level": later}) if n.name == "pad" else n for n in NODES)).render("pad")
    assert 3 <= cache.misses - before <= 5, "only the second half"


def test_circles_are_refused_in_words() -> None:
    nodes = {"a": Node("a", (Feed("b"),)), "b": Node("b", (Feed("c"),)), "c": Node("c", (Feed("a"),))}
    with pytest.raises(Circle, match="round in a circle: a into b into c into a"):
        order(nodes)
    listening = {"a": Node("a", (), (insert("duck", "b"),)), "b": Node("b", (Feed("a"),))}
    with pytest.raises(Circle):
        order(listening)
    assert order({n.name: n for n in NODES[::-1]}).index("master") == len(NODES) - 1
    with pytest.raises(KeyError):
        order({"a": Node("a", (Feed("nowhere"),))})
