"""The kinds of records that a pocket holds by id, in one list: packing, differences, the API and the front end follow it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel

from grainpocket.core.document.mixing import Bus
from grainpocket.core.document.song import Section, Thread
from grainpocket.core.pocket import Feel, Pad, Pattern, Pocket, Source

# Field of the pocket: (record, type of its key).
RECORDS: Mapping[str, tuple[type[BaseModel], type]] = {
    "sources": (Source, str),
    "pads": (Pad, int),
    "patterns": (Pattern, str),
    "feels": (Feel, str),
    "buses": (Bus, str),
    "sections": (Section, str),
    "threads": (Thread, str),
}


def differences(old: Pocket, new: Pocket) -> dict[str, Any]:
    """{"fields": {...}, kind: {id: record, or None where it is gone}}: what leads from one state to the next. Frozen records that
    are the same object are the same; the rest is compared."""
    fields = {
        name: getattr(new, name) for name in Pocket.model_fields if name not in RECORDS and getattr(new, name) != getattr(old, name)
    }
    out: dict[str, Any] = {"fields": fields}
    for name in RECORDS:
        before, after = getattr(old, name), getattr(new, name)
        changed: dict[Any, Any] = {k: v for k, v in after.items() if k not in before or (before[k] is not v and before[k] != v)}
        changed.update({k: None for k in before if k not in after})
        out[name] = changed
    return out
