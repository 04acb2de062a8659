"""What a setting is: a number in a range, a choice or a switch; and the check of a value against it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import Field


@dataclass(frozen=True)
class Parameter:
    """low and high are inclusive; step is what one wheel click or arrow key changes; digits are decimals shown; curve: how a
    slider goes from low to high, "log" for what the ear measures in ratios (both ends over zero)."""

    name: str
    label: str
    unit: str
    low: float
    high: float
    default: float
    step: float
    digits: int
    help: str
    curve: Literal["linear", "log"] = "linear"

    def field(self) -> Any:
        return Field(default=self.default, ge=self.low, le=self.high, description=f"{self.help} ({self.unit})")

    def whole_field(self) -> Any:
        return Field(default=int(self.default), ge=int(self.low), le=int(self.high), description=f"{self.help} ({self.unit})")

    def place(self, value: float) -> float:
        """Where a value lies on the slider, 0..1."""
        if self.curve == "log":
            return math.log(value / self.low) / math.log(self.high / self.low)
        return (value - self.low) / (self.high - self.low)

    def along(self, place: float) -> float:
        """The value at a place on the slider; beyond its ends, at the end."""
        place = min(1.0, max(0.0, place))
        return self.low * (self.high / self.low) ** place if self.curve == "log" else self.low + (self.high - self.low) * place

    def optional_field(self) -> Any:
        return Field(default=None, ge=self.low, le=self.high, description=f"{self.help} ({self.unit})")

    @property
    def kind(self) -> Any:
        return float


@dataclass(frozen=True)
class Choice:
    """One of several ways. options: (value, label) in the order in which they are offered."""

    name: str
    label: str
    options: tuple[tuple[str, str], ...]
    default: str
    help: str

    @property
    def values(self) -> tuple[str, ...]:
        return tuple(value for value, _ in self.options)

    @property
    def kind(self) -> Any:
        return Literal[self.values]

    def field(self) -> Any:
        return Field(default=self.default, description=self.help)


@dataclass(frozen=True)
class Switch:
    """On or off."""

    name: str
    label: str
    default: bool
    help: str

    @property
    def kind(self) -> Any:
        return bool

    def field(self) -> Any:
        return Field(default=self.default, description=self.help)


Setting = Parameter | Choice | Switch
Value = float | str | bool


class BadValue(ValueError):
    """A value that a setting does not take; the message gives its range."""


def checked(setting: Setting, value: Value) -> Value:
    """The value as the setting holds it. Raises BadValue, with what would do instead."""
    if isinstance(setting, Switch):
        if isinstance(value, bool):
            return value
        raise BadValue(f"{setting.label} is on or off.")
    if isinstance(setting, Choice):
        if value in setting.values:
            return value
        raise BadValue(f"{setting.label} is one of {', '.join(label for _, label in setting.options)}.")
    if isinstance(value, bool | str) or not setting.low <= value <= setting.high:
        raise BadValue(f"{setting.label} goes from {setting.low:g} to {setting.high:g} {setting.unit}".rstrip() + ".")
    return float(value)


def named(table: tuple[Setting, ...], name: str) -> Setting:
    """Raises KeyError."""
    for setting in table:
        if setting.name == name:
            return setting
    raise KeyError(name)
