"""Older documents, brought up to this version's form step by step.

Each step takes the JSON of one form to the next one. A document says its form in `form`; the first ones said nothing and are form
1. A step is never changed once documents of its form are out: another one is added.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from grainpocket.core.document.naming import NAMES, free, numbered

Json = dict[str, Any]
FORM = 3
SOUND_OF_FORM_2 = ("level", "pitch", "fade_out", "reverse", "play")


class TooNew(ValueError):
    """A document that a later version of the program wrote."""


def upgraded(document: Json) -> Json:
    """The document in the form of this version. Raises TooNew."""
    form = int(document.get("form", 1))
    if form > FORM:
        raise TooNew(f"was written by a later version of the program (form {form}; this one knows {FORM})")
    for number in range(form, FORM):
        document = {**_STEPS[number](document), "form": number + 1}
    return document


def with_one_sound(document: Json) -> Json:
    """Form 1 to 2: the settings of a pad and of each of its layers are one value, and hits have ids and notes.

    A layer had a level only and took the rest from its pad; now it has a sound of its own, in which what was the pad's stands.
    """
    out = dict(document)
    out["sources"] = {key: _source(source) for key, source in document.get("sources", {}).items()}
    out["pads"] = {key: _pad(pad) for key, pad in document.get("pads", {}).items()}
    number = int(document.get("next_id", 1))
    patterns = {}
    for key, pattern in document.get("patterns", {}).items():
        hits = []
        for hit in pattern.get("hits", ()):
            hits.append({**hit, "id": f"h{number}"})
            number += 1
        patterns[key] = {**pattern, "hits": hits}
    out["patterns"] = patterns
    out["next_id"] = number
    return out


def favourite_with_sound(favourite: Json) -> Json:
    """A favourite of form 1, whose settings lay bare."""
    if "sound" in favourite:
        return favourite
    return _with_sound(favourite)


def _source(source: Json) -> Json:
    """From before there were policies of cutting, and from when one of them had another name."""
    out = dict(source)
    if "sensitivity" in out:
        sensitivity = out.pop("sensitivity")
        out.setdefault("cutting", {"sensitivity": sensitivity})
    if any(cut.get("by") == "transient" for cut in out.get("cuts", ())):
        out["cuts"] = [{**cut, "by": "transients"} if cut.get("by") == "transient" else cut for cut in out["cuts"]]
    return out


def _with_sound(record: Json) -> Json:
    rest = {key: value for key, value in record.items() if key not in SOUND_OF_FORM_2}
    return {**rest, "sound": {key: record[key] for key in SOUND_OF_FORM_2 if key in record}}


def _pad(pad: Json) -> Json:
    out = _with_sound(pad)
    own = {key: value for key, value in out["sound"].items() if key in ("fade_out", "reverse")}
    out["layers"] = [
        {**{k: v for k, v in layer.items() if k != "level"}, "sound": {**own, "level": layer.get("level", 0.0)}}
        for layer in pad.get("layers", ())
    ]
    return out


def with_names_by_themselves(document: Json) -> Json:
    """Form 2 to 3: slices and pads are called by what they are, unless they were named. The program of form 2 called them by
    their find ("Dockside break 4"); what it had called so has no name of its own any more."""
    sources = {}
    for key, source in document.get("sources", {}).items():
        cuts = source.get("cuts", ())
        nameless = [cut for cut in cuts if not cut.get("name")]
        names = iter(numbered([NAMES[cut.get("role")] for cut in nameless], (cut.get("name") for cut in cuts)))
        sources[key] = {**source, "cuts": [{**cut, "called": cut.get("name") or next(names)} for cut in cuts]}
    by_cut = {cut["id"]: cut for source in sources.values() for cut in source["cuts"]}

    def own(record: Json) -> str | None:
        name, chop = str(record["name"]), record["chop"]
        find = str(sources.get(chop["source"], {}).get("name", ""))
        cut = by_cut.get(chop.get("cut") or "", {})
        by_find = re.fullmatch(re.escape(find[:70]) + r"( \d+)?", name) is not None or name.endswith(f", {find[:60]}")
        return None if by_find or name == cut.get("name") else name

    taken = {name for pad in document.get("pads", {}).values() if (name := own(pad))}
    pads = {}
    for key, pad in document.get("pads", {}).items():
        name = own(pad)
        cut = by_cut.get(pad["chop"].get("cut") or "", {})
        called = name or cut.get("name") or ""
        if not name and (not called or called in taken):
            called = free(called or NAMES[pad.get("role")], taken)
        taken.add(called)
        pads[key] = {**pad, "name": name, "called": called}
    tray = [{**held, "name": own(held), "called": held["name"]} for held in document.get("tray", ())]
    return {**document, "sources": sources, "pads": pads, "tray": tray}


_STEPS: dict[int, Callable[[Json], Json]] = {1: with_one_sound, 2: with_names_by_themselves}
