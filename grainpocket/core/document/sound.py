"""How a chop sounds: one value that pads, layers and favourites each hold.

Its fields are the table of settings (core/document/settings): a setting that is added there is in every document, in the edits that
change it and in the API, and is one more thing in which a sound can differ from the neutral one. Written down is only what
differs from its default, so that a document stays small and a setting that is added changes no bytes and no keys.
"""

from __future__ import annotations

import functools
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Self

from pydantic import Field, GetJsonSchemaHandler, SerializerFunctionWrapHandler, create_model, model_serializer

from grainpocket.core.document.base import Frozen
from grainpocket.core.document.mixing import MOST_EFFECTS, Effect
from grainpocket.core.params import SOUND, Parameter, Setting, Value, checked, named

Amounts = dict[str, float]


class _Sound(Frozen):
    """by_velocity, by_wheel: by setting, in % of its range, how far a soft hit moves it down, or a turned wheel up; chain: the
    effects that its voice goes through."""

    by_velocity: Amounts = {}
    by_wheel: Amounts = {}
    chain: tuple[Effect, ...] = Field(default=(), max_length=MOST_EFFECTS)

    @functools.cached_property
    def differing(self) -> dict[str, Any]:
        """What is not at its default, by name. Asked for at every hit of every plan, so it is worked out once."""
        return {name: value for name, value in self.__dict__.items() if value != _DEFAULTS[name]}

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        out = super().model_copy(update=update, deep=deep)
        out.__dict__.pop("differing", None)
        return out

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Sound) and self.differing == other.differing

    def __hash__(self) -> int:
        # Names and single values; what no tuple holds, the comparison tells apart.
        return hash(tuple((name, value) for name, value in self.differing.items() if isinstance(value, float | str | bool)))

    @model_serializer(mode="wrap")
    def _sparse(self, handler: SerializerFunctionWrapHandler) -> Any:
        differing = self.differing
        return {name: value for name, value in handler(self).items() if name in differing} if differing else {}

    @classmethod
    def __get_pydantic_json_schema__(cls, core_schema: Any, handler: GetJsonSchemaHandler) -> Any:
        # A serializer hides the fields from the API's document; they are all there, and none has to be.
        return handler({key: value for key, value in core_schema.items() if key != "serialization"})


if TYPE_CHECKING:

    class Sound(_Sound):
        def __init__(self, **settings: Any) -> None: ...
        def __getattr__(self, name: str) -> Any: ...

else:
    Sound = create_model("Sound", __base__=_Sound, __module__=__name__, **{s.name: (s.kind, s.field()) for s in SOUND})
    Sound.__doc__ = "The settings of a sound: those that differ from their defaults."

_DEFAULTS: dict[str, Any] = {name: field.default for name, field in Sound.model_fields.items()}
NEUTRAL = Sound()


def changed(sound: Sound, changes: Mapping[str, Value | None]) -> Sound:
    """The sound with other settings; None puts one back to its default. Raises BadValue, and KeyError for an unknown one."""
    update: dict[str, Value] = {}
    for name, value in changes.items():
        setting: Setting = named(SOUND, name)
        update[name] = setting.default if value is None else checked(setting, value)
    return sound.model_copy(update=update) if update else sound


def moved_by(sound: Sound, amounts: Mapping[str, float], share: float) -> Sound:
    """The sound with settings moved by so many per cent of their range, times a share; along the curve of their slider."""
    update = {}
    for name, amount in amounts.items():
        setting = next((one for one in SOUND if one.name == name), None)
        if isinstance(setting, Parameter) and amount * share:
            update[name] = setting.along(setting.place(getattr(sound, name)) + amount * share / 100)
    return sound.model_copy(update=update) if update else sound


# The level is the same on both sides of a join or there is none; how a pad is played shows in where its voices stop.
_HARMLESS = ("level", "release", "root", "by_velocity", "by_wheel", "wheel")
_AT_ITS_END = ("fade_out",)


def bends(sound: Sound, at_start: bool = False) -> bool:
    """Whether anything but the level differs from the neutral sound, so that the record does not simply go on from one chop to
    the next; at_start: into this one, whatever becomes of its end. Every setting that is added counts by itself, unless it is
    known to change nothing there."""
    free = _HARMLESS + _AT_ITS_END if at_start else _HARMLESS
    return any(name not in free and (name, value) != ("play", "held") for name, value in sound.differing.items())
