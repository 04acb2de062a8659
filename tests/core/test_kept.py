"""Rendered sound in memory: made once, thrown out in order, never written to; what went wrong once may go right again."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from grainpocket.core.kept import Kept
from grainpocket.core.sound.audio import shared

ONE = 100 * 4


def sound(value: float = 0.0) -> np.ndarray:
    return np.full(100, value, np.float32)


def of_bytes(room: int) -> Kept[str, np.ndarray]:
    return Kept(room, lambda held: held.nbytes)


def test_the_longest_unused_goes_first() -> None:
    cache = of_bytes(3 * ONE)
    for key in "abc":
        cache.made(key, sound)
    # Asked for again: b is now the longest unused.
    cache.made("a", sound)
    cache.made("d", sound)
    assert [key in cache for key in "abcd"] == [True, False, True, True]
    assert (cache.hits, cache.misses) == (1, 4)


def test_what_is_larger_than_all_the_room_is_kept_until_the_next() -> None:
    cache = of_bytes(ONE // 2)
    first = cache.made("a", sound)
    assert "a" in cache
    assert cache.made("a", sound) is first
    cache.made("b", sound)
    assert "a" not in cache
    assert "b" in cache


def test_nobody_can_write_to_what_all_share() -> None:
    cache = of_bytes(10 * ONE)
    held = cache.made("a", lambda: shared(sound()))
    with pytest.raises(ValueError, match="read-only"):
        held[0] = 1
    assert cache.made("a", lambda: sound(1.0)) is held


def test_many_threads_wait_for_one_that_makes_it() -> None:
    cache, made, gate = of_bytes(10 * ONE), [], threading.Event()

    def make() -> np.ndarray:
        made.append(threading.get_ident())
        assert gate.wait(20)
        return sound(0.5)

    with ThreadPoolExecutor(6) as pool:
        asked = [pool.submit(cache.made, "a", make) for _ in range(6)]
        # Meanwhile another key is made and had without waiting.
        assert cache.made("b", sound) is cache.made("b", sound)
        gate.set()
        answers = [one.result(20) for one in asked]
    assert len(made) == 1
    assert all(one is answers[0] for one in answers)


def test_who_waits_hears_of_a_failure_and_the_next_may_try_again() -> None:
    cache, begun, gate = of_bytes(10 * ONE), threading.Event(), threading.Event()

    def fail() -> np.ndarray:
        begun.set()
        assert gate.wait(20)
        raise OSError("the disk is gone")

    with ThreadPoolExecutor(2) as pool:
        first = pool.submit(cache.made, "a", fail)
        assert begun.wait(20)
        second = pool.submit(cache.made, "a", fail)
        gate.set()
        for one in (first, second):
            with pytest.raises(OSError, match="the disk is gone"):
                one.result(20)
    assert "a" not in cache
    assert cache.made("a", lambda: sound(0.25))[0] == 0.25


@given(asked=st.lists(st.sampled_from("abcdefgh"), max_size=60), room=st.integers(1, 6))
def test_it_holds_the_last_few_that_were_asked_for(asked: list[str], room: int) -> None:
    cache = of_bytes(room * ONE)
    for key in asked:
        assert cache.made(key, lambda key=key: sound(float(ord(key))))[0] == ord(key)
    latest = list(dict.fromkeys(reversed(asked)))
    assert [key in cache for key in latest] == [place < room for place in range(len(latest))]


def test_with_no_room_nothing_is_kept() -> None:
    none: Kept[str, np.ndarray] = of_bytes(0)
    assert none.put("a", sound(0.5))[0] == 0.5
    assert "a" not in none
    assert none.filled == 0


def test_what_has_no_size_is_counted() -> None:
    kept: Kept[int, str] = Kept(2)
    for key in range(3):
        kept.put(key, str(key))
    assert [kept.get(key) for key in range(3)] == [None, "1", "2"]
