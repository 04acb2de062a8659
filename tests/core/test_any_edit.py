"""Whatever edits arrive, in whatever order: each is made or refused in words, and the document stays sound."""

from __future__ import annotations

import functools
import json
from collections.abc import Mapping
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from grainpocket.core.chop.kin import cuts_of, root_of
from grainpocket.core.edits import EDIT, Refusal
from grainpocket.core.edits.family import JoinFamily
from grainpocket.core.edits.pocket_wide import AddSource
from grainpocket.core.mix.loop import plan
from grainpocket.core.pocket import MOST_PADS, Pocket
from grainpocket.core.rhythm.schedule import schedule
from tests.core.test_rebuild import Bench, rebuilt
from tests.signals import RATE

SCHEMA = EDIT.json_schema()
KINDS = sorted(SCHEMA["discriminator"]["mapping"])
WHOLE = (0, 1, 2, 3, 5, 15, 16, 17, 40, 100, 4000, 30_000, RATE, 3 * RATE, 10**7)
PADS = (0, 1, 2, 3, 4, 5, 15, 16, 31, 500)
PARTS = (0.0, 0.25, 0.5, 1.0, 1.5, 2.0, 4.0, 50.0, 97.3, 120.0)
Schema = Mapping[str, Any]


@functools.cache
def desk() -> Bench:
    """A loop cut and rebuilt, a stem of it, and another record."""
    bench = rebuilt(bpm=97.3, bars=1, seed=1)
    frames = bench.pocket.sources["s1"].frames
    for name in ("Stem", "Other"):
        bench.make(AddSource(name=name, audio=name.lower(), frames=frames, channels=2))
    stem = next(k for k, s in bench.pocket.sources.items() if s.name == "Stem")
    bench.make(JoinFamily(source=stem, root="s1", offset=400))
    return bench


class Ids:
    """What a client might send: ids of all that is there, and now and then of what is not."""

    def __init__(self, pocket: Pocket) -> None:
        cuts = [c.id for s in pocket.sources.values() for c in s.cuts]
        sources, patterns = list(pocket.sources), list(pocket.patterns)
        self.frames = pocket.sources["s1"].frames if "s1" in pocket.sources else RATE
        self.of = {"pattern": patterns}
        self.of |= dict.fromkeys(("source", "root", "other"), sources) | dict.fromkeys(("cut", "cuts", "last"), cuts)

    def text(self, field: str) -> st.SearchStrategy[str]:
        known = self.of.get(field) or ["Kick", "Loop", ""]
        return st.sampled_from([*known, *known, "gone"])

    def whole(self, field: str, low: int, high: int) -> st.SearchStrategy[int]:
        if field in ("pad", "pads", "first", "to", "from_pad"):
            return st.sampled_from(PADS)
        if field in ("layer", "candidate", "places", "take", "times"):
            return st.integers(0, 3)
        if field == "frames":
            return st.sampled_from([self.frames, self.frames, 1])
        places = st.integers(max(low, 0), min(high, self.frames + 2000))
        return places | st.sampled_from([w for w in (*WHOLE, -1, low, high) if low <= w <= high])


def values(schema: Schema, ids: Ids, field: str = "") -> st.SearchStrategy[Any]:
    """Values of a JSON schema, near its edges and past them."""
    if "$ref" in schema:
        return values(SCHEMA["$defs"][schema["$ref"].rsplit("/", 1)[1]], ids, field)
    if "const" in schema:
        return st.just(schema["const"])
    if "enum" in schema:
        return st.sampled_from(schema["enum"])
    for word in ("anyOf", "oneOf"):
        if word in schema:
            return st.one_of([values(s, ids, field) for s in schema[word]])
    low, high = schema.get("minimum", -20), schema.get("maximum", 10**9)
    match schema.get("type"):
        case "integer":
            return ids.whole(field, low, high)
        case "number":
            return st.sampled_from([w for w in (*PARTS, -1.0, low, high) if low <= w <= high])
        case "string":
            return ids.text(field)
        case "boolean":
            return st.booleans()
        case "null":
            return st.none()
        case "array":
            if "prefixItems" in schema:
                return st.tuples(*[values(s, ids, field) for s in schema["prefixItems"]]).map(list)
            return st.lists(values(schema["items"], ids, field), min_size=schema.get("minItems", 0), max_size=4)
        case "object":
            known = {k: values(v, ids, k) for k, v in schema.get("properties", {}).items()}
            needed = {k: v for k, v in known.items() if k in schema.get("required", ()) or k == "type"}
            return st.fixed_dictionaries(needed, optional={k: v for k, v in known.items() if k not in needed})
    raise NotImplementedError(schema)


def an_edit(kind: str, ids: Ids) -> st.SearchStrategy[Any]:
    return values({"$ref": SCHEMA["discriminator"]["mapping"][kind]}, ids)


def is_sound(pocket: Pocket) -> None:
    """What holds of every document."""
    assert Pocket.model_validate(json.loads(pocket.model_dump_json())) == pocket
    for key, source in pocket.sources.items():
        assert key == source.id
        if source.kin is not None:
            assert source.cuts == ()
            assert pocket.sources[source.kin.root].kin is None, "a family is one deep"
        places = [c.at for c in source.cuts]
        assert places == sorted(places)
        assert all(0 <= at < source.frames for at in places)
        assert len({c.id for c in source.cuts}) == len(source.cuts)
        assert len(cuts_of(pocket, source)) <= len(root_of(pocket, source)[0].cuts)
    chops = [h.chop for h in pocket.tray]
    for index, pad in pocket.pads.items():
        assert 0 <= index < MOST_PADS
        chops += [pad.chop, *pad.takes, *(layer.chop for layer in pad.layers)]
    for chop in chops:
        assert chop.source in pocket.sources, "a chop without its record"
        assert chop.end > chop.start
    for key, pattern in pocket.patterns.items():
        assert key == pattern.id
        assert len({(h.pad, h.beat) for h in pattern.hits}) == len(pattern.hits)
        assert plan(schedule(pocket, pattern, True)).length > 0


@pytest.mark.parametrize("kind", KINDS)
@settings(max_examples=20, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
@given(data=st.data())
def test_an_edit_is_made_or_refused(kind: str, data: st.DataObject) -> None:
    bench = desk()
    before = bench.pocket.model_dump_json()
    after, said = made(bench.pocket, data.draw(an_edit(kind, Ids(bench.pocket))))
    assert bench.pocket.model_dump_json() == before
    assert said.endswith((".", "?")) or after is not bench.pocket, said
    is_sound(after)


@settings(max_examples=20, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
@given(data=st.data())
def test_edits_one_after_the_other(data: st.DataObject) -> None:
    pocket = desk().pocket
    for _ in range(8):
        kind = data.draw(st.sampled_from(KINDS))
        pocket, _ = made(pocket, data.draw(an_edit(kind, Ids(pocket))))
        is_sound(pocket)


def made(pocket: Pocket, sent: Any) -> tuple[Pocket, str]:
    """(the pocket after what was sent, the name of the edit), or the same pocket and why not."""
    try:
        edit = EDIT.validate_python(sent)
    except ValidationError:
        return pocket, "Not an edit."
    try:
        return edit.made(pocket, desk().library), edit.label(pocket)
    except Refusal as refusal:
        return pocket, str(refusal)
