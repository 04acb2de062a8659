"""The numbers a musician can set, in one table: name, label, unit, range, default and step.

The document's fields, the edits that change them, the API's description of them and the sliders in the interface all
follow from here.
"""

from __future__ import annotations

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


# How a chop sounds: what pads, layers and favourites hold (core/document/sound).
SOUND: tuple[Setting, ...] = (
    Parameter("level", "Level", "dB", -60.0, 12.0, 0.0, 0.5, 1, "Loudness of the pad"),
    Parameter("pitch", "Pitch", "st", -24.0, 24.0, 0.0, 1.0, 2, "Speed and pitch together, in semitones"),
    Parameter("fade_out", "Fade out", "ms", 0.0, 4000.0, 0.0, 5.0, 0, "Fade before the end of the chop"),
    Switch("reverse", "Reverse", False, "Play it from its end to its start"),
    Choice("play", "Play", (("one-shot", "one-shot"), ("held", "held")), "one-shot", "To its end, or while the pad is held"),
)
POCKET = (
    Parameter("tempo", "Tempo", "BPM", 30.0, 300.0, 94.0, 1.0, 2, "Quarter notes a minute"),
    Parameter("level", "Master level", "dB", -60.0, 12.0, 0.0, 0.5, 1, "Loudness of everything"),
    Parameter("fade_in_edge", "Fade at starts", "ms", 0.0, 5.0, 0.7, 0.1, 1, "Fade just before a chop's start"),
    Parameter("fade_out_edge", "Fade at ends", "ms", 0.0, 50.0, 5.0, 0.5, 1, "Fade at a chop's end"),
)
PATTERN = (
    Parameter("swing", "Swing", "%", 50.0, 75.0, 50.0, 1.0, 0, "Share of a pair of steps that the first one takes"),
    Parameter("bars", "Length", "bars", 1.0, 64.0, 2.0, 1.0, 0, "Length of the pattern"),
)
HIT = (
    Parameter("velocity", "Velocity", "", 1.0, 127.0, 100.0, 4.0, 0, "How hard a hit is played; 127 is the chop's own level"),
    Parameter("note", "Note", "st", -60.0, 60.0, 0.0, 1.0, 0, "Semitones above the pad's own pitch"),
)
BUS = (
    Parameter("level", "Level", "dB", -60.0, 12.0, 0.0, 0.5, 1, "Loudness of the bus"),
    Parameter("pan", "Pan", "%", -100.0, 100.0, 0.0, 1.0, 0, "Where it stands: -100 is left, 100 right"),
    Parameter("amount", "Amount", "%", 0.0, 100.0, 100.0, 1.0, 0, "How much of its chain is heard, dry to wet"),
)
SEND = (Parameter("level", "Send", "dB", -60.0, 12.0, -12.0, 0.5, 1, "How much of the bus goes there"),)
SECTION = (
    Parameter("bars", "Bars", "bars", 1.0, 64.0, 8.0, 1.0, 0, "Length of the section, once through"),
    Parameter("repeats", "Times", "times", 1.0, 32.0, 1.0, 1.0, 0, "How often it is played in a row"),
)
CHOP = (
    Parameter("sensitivity", "Sensitivity", "%", 0.0, 100.0, 50.0, 1.0, 0, "How slight a transient may be to be cut"),
    Parameter("shortest", "Shortest", "ms", 0.0, 4000.0, 0.0, 5.0, 0, "No slice shorter than this"),
    Parameter("step", "Every", "beats", 0.0625, 64.0, 1.0, 0.25, 2, "Length of the slices on the grid"),
    Parameter("parts", "Parts", "parts", 2.0, 256.0, 16.0, 1.0, 0, "Equal parts to cut into"),
    Parameter("window", "Catch", "ms", 10.0, 300.0, 90.0, 5.0, 0, "How far from the press a live cut looks for an attack"),
    Parameter("latency", "Input delay", "ms", 0.0, 200.0, 0.0, 1.0, 0, "How late a press arrives after the hand meant it"),
)
GRID = (
    Parameter("bpm", "Tempo of the find", "BPM", 20.0, 400.0, 100.0, 0.1, 2, "Tempo of this record, in quarter notes a minute"),
    Parameter("bars", "Bars", "bars", 1.0, 512.0, 4.0, 1.0, 0, "How many bars it lasts"),
)
SOURCE = (Parameter("trim", "Trim", "dB", -36.0, 12.0, 0.0, 0.5, 1, "Level of the find wherever it sounds, to leave headroom"),)
LISTEN = (Parameter("click_level", "Click level", "dB", -30.0, 6.0, -6.0, 1.0, 0, "Loudness of the click over the record"),)
CLEAN = (
    Parameter("clicks", "Clicks", "%", 0.0, 100.0, 0.0, 5.0, 0, "How slight a click may be to be taken out; 0 leaves all"),
    Parameter("hiss", "Hiss", "dB", 0.0, 30.0, 0.0, 1.0, 0, "How far the hiss is turned down; 0 leaves it"),
)
GROUPS: dict[str, tuple[Setting, ...]] = {
    "pad": SOUND,
    "bus": BUS,
    "send": SEND,
    "section": SECTION,
    "pocket": POCKET,
    "pattern": PATTERN,
    "hit": HIT,
    "chop": CHOP,
    "grid": GRID,
    "source": SOURCE,
    "listen": LISTEN,
    "clean": CLEAN,
}


def named(table: tuple[Setting, ...], name: str) -> Setting:
    """Raises KeyError."""
    for setting in table:
        if setting.name == name:
            return setting
    raise KeyError(name)


def of(group: str, name: str) -> Parameter:
    """A number of a group."""
    found = named(GROUPS[group], name)
    if not isinstance(found, Parameter):
        raise KeyError(name)
    return found
