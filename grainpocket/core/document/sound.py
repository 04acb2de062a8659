"""How a chop sounds: one value that pads, layers and favourites each hold.

Its fields are the table of settings (core/params): a setting that is added there is in every document, in the edits that change
it and in the API, and is one more thing in which a sound can differ from the neutral one.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from pydantic import create_model

from grainpocket.core.document.base import Frozen
from grainpocket.core.params import SOUND, Setting, Value, checked, named

if TYPE_CHECKING:

    class Sound(Frozen):
        def __init__(self, **settings: Value) -> None: ...
        def __getattr__(self, name: str) -> Any: ...

else:
    Sound = create_model("Sound", __base__=Frozen, __module__=__name__, **{s.name: (s.kind, s.field()) for s in SOUND})
    Sound.__doc__ = "The settings of a sound."

NEUTRAL = Sound()


def changed(sound: Sound, changes: Mapping[str, Value | None]) -> Sound:
    """The sound with other settings; None puts one back to its default. Raises BadValue, and KeyError for an unknown one."""
    update: dict[str, Value] = {}
    for name, value in changes.items():
        setting: Setting = named(SOUND, name)
        update[name] = setting.default if value is None else checked(setting, value)
    return sound.model_copy(update=update) if update else sound


# The level is the same on both sides of a join or there is none; how a pad is played shows in where its voices stop.
_HARMLESS = ("level", "play")
_AT_ITS_END = ("fade_out",)


def bends(sound: Sound, at_start: bool = False) -> bool:
    """Whether anything but the level differs from the neutral sound, so that the record does not simply go on from one chop to
    the next; at_start: into this one, whatever becomes of its end. Every setting that is added counts by itself, unless it is
    known to change nothing there."""
    free = _HARMLESS + _AT_ITS_END if at_start else _HARMLESS
    return bool(sound.model_copy(update={name: getattr(NEUTRAL, name) for name in free}) != NEUTRAL)
