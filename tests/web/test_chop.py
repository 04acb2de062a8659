"""Cuts before they are made, what slices are like, repeats, the null test and the shelf, over the API."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from grainpocket.core.document.upgrades import upgraded
from grainpocket.core.pocket import RATE
from tests.files import wav
from tests.signals import drum_loop
from tests.web.conftest import Api
from tests.web.test_taking import audio_of, stereo

LOOP = drum_loop(bpm=97.3, bars=2)


@pytest.fixture
def chop(api: Api) -> Api:
    api.bring_in("loop.wav", wav(LOOP.samples))
    return api


def cuts(api: Api, source: str = "s1") -> list[dict[str, Any]]:
    return list(api.state["pocket"]["sources"][source]["cuts"])


def test_a_preview_says_what_would_be_cut_and_cuts_nothing(chop: Api) -> None:
    path, before = f"/api/pockets/{chop.id}/finds/s1/cuts", chop.state
    would = chop.post(path, {"cutting": {"by": "parts", "parts": 5}})
    assert len(would["at"]) == len(would["roles"]) == 5
    assert would["kept"] == 0
    assert would["problem"] == ""
    assert chop.state == before
    chop.edit({"type": "recut", "source": "s1", "cutting": {"by": "parts", "parts": 5}})
    assert [c["at"] for c in cuts(chop)] == would["at"], "what was shown is what is cut"
    assert {c["by"] for c in cuts(chop)} == {"parts"}
    assert chop.state["pocket"]["sources"]["s1"]["cutting"]["parts"] == 5
    one = cuts(chop)[2]
    chop.edit({"type": "name_slice", "source": "s1", "cut": one["id"], "name": "Mine", "role": "kick"})
    again = chop.post(path, {"cutting": {"by": "grid", "step": 1.0}})
    assert (again["kept"], one["at"] in again["at"]) == (1, True)
    assert one["at"] not in chop.post(path, {"cutting": {"by": "grid", "step": 1.0}, "keep_hand": False})["at"]
    assert "Choose the find" in chop.post(path, {"cutting": {"by": "copied"}})["problem"]
    chop.post(path, {"cutting": {"by": "parts", "parts": 1}}, 422)
    chop.post(path, {"cutting": {"by": "nonsense"}}, 422)
    chop.post(f"/api/pockets/{chop.id}/finds/s9/cuts", {"cutting": {}}, 422)


def test_a_document_from_before_there_were_policies_still_opens() -> None:
    from grainpocket.core.pocket import Pocket

    old = {
        "name": "Old",
        "sources": {
            "s1": {
                "id": "s1", "name": "A", "audio": "a", "frames": 9, "channels": 1, "sensitivity": 71.0,
                "cuts": [{"id": "c1", "at": 0, "by": "transient"}, {"id": "c2", "at": 4, "by": "hand"}],
            }
        },
    }  # fmt: skip
    source = Pocket.model_validate(upgraded(old)).sources["s1"]
    assert source.cutting.sensitivity == 71.0
    assert [c.by for c in source.cuts] == ["transients", "hand"]


def test_facts_of_slices(chop: Api) -> None:
    ids = [c["id"] for c in cuts(chop)]
    found = chop.post(f"/api/pockets/{chop.id}/finds/s1/facts", {"cuts": [*ids, "c999"]})["facts"]
    assert [f["cut"] for f in found] == ids
    by = dict(zip(ids, found, strict=True))
    kinds: dict[str, list[float]] = {"kick": [], "hat": []}
    for cut in cuts(chop):
        if cut["role"] in kinds:
            kinds[cut["role"]].append(by[cut["id"]]["bright_hz"])
    assert max(kinds["kick"]) < min(kinds["hat"])
    peak = 20 * np.log10(np.abs(LOOP.samples).max())
    assert max(f["level_db"] for f in found) == pytest.approx(peak, abs=0.1)
    assert any(f["clean"] is not None for f in found)


def test_slices_of_all_finds_are_searched_and_ranked(chop: Api) -> None:
    chop.bring_in("other.wav", wav(drum_loop(bpm=140, bars=1, seed=9).samples))
    path = f"/api/pockets/{chop.id}/slices"
    everything = chop.post(path, {})
    assert everything["total"] == len(cuts(chop)) + len(cuts(chop, list(chop.state["pocket"]["sources"])[1]))
    assert {s["role"] for s in chop.post(path, {"roles": ["snare"]})["slices"]} == {"snare"}
    assert {s["source"] for s in chop.post(path, {"text": "OTHER"})["slices"]} == {list(chop.state["pocket"]["sources"])[1]}
    assert {s["source"] for s in chop.post(path, {"fastest": 110})["slices"]} == {"s1"}
    short = chop.post(path, {"longest": 0.1})["slices"]
    assert all((s["end"] - s["start"]) / RATE <= 0.1 for s in short)
    assert len(short) < everything["total"]
    assert all(s["bright_hz"] > 1500 for s in chop.post(path, {"bright": "bright"})["slices"])
    kick = next(c for c in cuts(chop) if c["role"] == "kick")
    ranked = chop.post(path, {"near": ["s1", kick["id"]]})["slices"]
    assert [s["role"] for s in ranked[:3]] == ["kick"] * 3
    assert kick["id"] not in {s["cut"] for s in ranked}
    scores = [s["score"] for s in ranked]
    assert scores == sorted(scores, reverse=True)
    completing = chop.post(path, {"near": ["s1", kick["id"]], "rank": "completes"})["slices"]
    assert completing[0]["role"] == "hat", "what has no lows of its own completes a kick"
    assert chop.post(path, {"near": ["s1", "c999"]}, 422)["code"] == "refused"


def test_repeats_of_a_stretch_and_the_null_of_a_pattern(api: Api) -> None:
    bar = drum_loop(bpm=120, bars=1, seed=6).samples
    quiet = np.asarray(bar * np.float32(0.9), np.float32)
    other = drum_loop(bpm=120, bars=1, seed=61).samples
    api.bring_in("song.wav", wav(np.concatenate([bar, other, quiet, bar])))
    audio, size = audio_of(api), len(bar)
    found = api.get(f"/api/audio/{audio}/repeats/0/{size}")["repeats"]
    assert [(r["at"], r["same"]) for r in found] == [(2 * size, False), (3 * size, True)]
    assert found[0]["residue_db"] == pytest.approx(-20, abs=0.5), "a tenth less loud leaves a tenth"
    assert api.get(f"/api/audio/{audio}/repeats/{size}/{2 * size}")["repeats"] == []
    api.get(f"/api/audio/{audio}/repeats/9/9", 422)
    api.edit({"type": "set_grid", "source": "s1", "bars": 4})
    api.edit({"type": "repeat_bars", "source": "s1", "start": 0, "end": size, "beats": 4, "times": 4})
    null = api.get(f"/api/pockets/{api.id}/null/{next(iter(api.state['pocket']['patterns']))}")
    assert null["bars"][1] > -10
    assert null["bars"][2] == pytest.approx(20 * np.log10(0.1 / 0.9), abs=1)
    assert null["bars"][3] < -30
    left = stereo(api.get(f"/api/pockets/{api.id}/null/{next(iter(api.state['pocket']['patterns']))}/sound"))
    assert len(left) == null["frames"] == 4 * size
    assert np.abs(left[3 * size + 400 : -400]).max() < 1e-6
    api.get(f"/api/pockets/{api.id}/null/p999", 404)
    api.edit({"type": "add_pattern", "name": "Bare"})
    bare = list(api.state["pocket"]["patterns"])[-1]
    assert "was not taken from a find" in api.get(f"/api/pockets/{api.id}/null/{bare}", 422)["message"]


def test_the_shelf_keeps_hits_across_pockets(chop: Api) -> None:
    assert chop.get("/api/shelf") == {"shelf": []}
    ids = [c["id"] for c in cuts(chop)]
    chop.edit({"type": "slices_to_pads", "source": "s1", "cuts": ids[:2]})
    chop.edit({"type": "set_credits", "source": "s1", "artist": "Harbour band"})
    chop.edit({"type": "set_pads", "pads": [1], "sound": {"pitch": -3}})
    kept = chop.post(f"/api/pockets/{chop.id}/shelf", {"pads": [0, 1, 7]})["shelf"]
    assert len(kept) == 2
    assert chop.post(f"/api/pockets/{chop.id}/shelf", {"pads": [0]})["shelf"][0]["id"] == kept[0]["id"], "once is enough"
    assert len(chop.get("/api/shelf")["shelf"]) == 2
    chop.post(f"/api/pockets/{chop.id}/shelf", {"pads": [9]}, 404)
    first = kept[1]["favourite"]
    chop.id = chop.post("/api/pockets", {"name": "Another"}, 201)["id"]
    chop.edit({"type": "take_from_shelf", "favourite": first})
    chop.edit({"type": "take_from_shelf", "favourite": first, "first": 5})
    pocket = chop.state["pocket"]
    assert len(pocket["sources"]) == 1, "one sound, however often it is taken"
    assert [p["sound"]["pitch"] for p in pocket["pads"].values()] == [-3, -3]
    source = next(iter(pocket["sources"].values()))
    assert source["credits"]["artist"] == "Harbour band"
    assert source["origin"]["taken"]["record"] == "loop"
    assert abs(source["origin"]["taken"]["start"] - LOOP.at[1]) < 0.006 * RATE
    sound = stereo(chop.get(f"/api/audio/{source['audio']}/pcm/0"))
    start = source["origin"]["taken"]["start"]
    assert np.array_equal(sound, LOOP.samples[start : start + len(sound)])
    # A favourite of a favourite still knows the record.
    again = chop.post(f"/api/pockets/{chop.id}/shelf", {"pads": [5]})["shelf"][0]["favourite"]
    assert again["taken"] == first["taken"]
    left = chop.ask("DELETE", f"/api/shelf/{kept[0]['id']}").json
    assert kept[0]["id"] not in {one["id"] for one in left["shelf"]}
    gone = {**first, "audio": "0" * 64}
    assert "not in the store" in chop.edit({"type": "take_from_shelf", "favourite": gone}, 422)["message"]
