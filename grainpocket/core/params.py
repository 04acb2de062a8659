"""The numbers a musician can set, in tables: name, label, unit, range, default and step.

The document's fields, the edits that change them, the API's description of them and the sliders in the interface all
follow from here. Those of a sound are in core/document/settings, those of an effect beside the effect.
"""

from __future__ import annotations

from grainpocket.core.document.settings import SOUND
from grainpocket.core.setting import BadValue, Choice, Parameter, Setting, Switch, Value, checked, named

POCKET = (
    Parameter("tempo", "Tempo", "BPM", 30.0, 300.0, 94.0, 1.0, 2, "Quarter notes a minute"),
    Parameter("level", "Master level", "dB", -60.0, 12.0, 0.0, 0.5, 1, "Loudness of everything"),
    Parameter("fade_in_edge", "Fade at starts", "ms", 0.0, 5.0, 0.7, 0.1, 1, "Fade just before a chop's start"),
    Parameter("fade_out_edge", "Fade at ends", "ms", 0.0, 50.0, 5.0, 0.5, 1, "Fade at a chop's end"),
)
PATTERN = (
    Parameter("swing", "Swing", "%", 50.0, 75.0, 50.0, 1.0, 0, "Share of a pair of steps that the first one takes"),
    Parameter("swing_step", "Swings", "beats", 0.125, 1.0, 0.25, 0.25, 3, "The steps of which every second one comes late"),
    Parameter("loose", "Loose", "ms", 0.0, 40.0, 0.0, 1.0, 0, "How far hits stray from their place, always in the same way"),
    Parameter("uneven", "Uneven", "", 0.0, 60.0, 0.0, 1.0, 0, "How far velocities stray, always in the same way"),
    Parameter("bars", "Length", "bars", 1.0, 64.0, 2.0, 1.0, 0, "Length of the pattern"),
)
FEEL = (
    Parameter("place", "Timing", "%", 0.0, 150.0, 100.0, 5.0, 0, "How much of its timing is taken on"),
    Parameter("accent", "Accents", "%", 0.0, 150.0, 100.0, 5.0, 0, "How much of its accents is taken on"),
)
LANE = (
    Parameter("step", "Step", "beats", 1 / 24, 4.0, 0.25, 0.25, 3, "Length of the lane's steps"),
    Parameter("level", "Level", "dB", -60.0, 12.0, 0.0, 0.5, 1, "Loudness of the lane in this pattern"),
)
HIT = (
    Parameter("velocity", "Velocity", "", 1.0, 127.0, 100.0, 4.0, 0, "How hard a hit is played; 127 is the chop's own level"),
    Parameter("note", "Note", "st", -60.0, 60.0, 0.0, 1.0, 0, "Semitones above the pad's own pitch"),
    Parameter("chance", "Chance", "%", 1.0, 100.0, 100.0, 5.0, 0, "How often it is struck"),
)
BUS = (
    Parameter("level", "Level", "dB", -60.0, 12.0, 0.0, 0.5, 1, "Loudness of the bus"),
    Parameter("pan", "Pan", "%", -100.0, 100.0, 0.0, 1.0, 0, "Where it stands: -100 is left, 100 right"),
    Parameter("amount", "Amount", "%", 0.0, 100.0, 100.0, 1.0, 0, "How much of its chain is heard, dry to wet"),
)
SEND = (Parameter("level", "Send", "dB", -60.0, 12.0, -12.0, 0.5, 1, "How much of the bus goes there"),)
LAYER = (
    Parameter("delay", "Delay", "ms", 0.0, 2000.0, 0.0, 1.0, 1, "Sounds so long after the hit"),
    Parameter("softest", "From velocity", "", 1.0, 127.0, 1.0, 1.0, 0, "Softer hits leave it out"),
    Parameter("hardest", "To velocity", "", 1.0, 127.0, 127.0, 1.0, 0, "Harder hits leave it out"),
)
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
    "layer": LAYER,
    "section": SECTION,
    "pocket": POCKET,
    "pattern": PATTERN,
    "feel": FEEL,
    "lane": LANE,
    "hit": HIT,
    "chop": CHOP,
    "grid": GRID,
    "source": SOURCE,
    "listen": LISTEN,
    "clean": CLEAN,
}


def of(group: str, name: str) -> Parameter:
    """A number of a group."""
    found = named(GROUPS[group], name)
    if not isinstance(found, Parameter):
        raise KeyError(name)
    return found


__all__ = [
    "BUS", "GROUPS", "SOUND", "BadValue", "Choice", "Parameter", "Setting", "Switch", "Value", "checked", "named", "of",
]  # fmt: skip
