"""All that can be set on a sound, in groups: label, unit, range, default and curve.

Pads, layers and favourites hold these values (core/document/sound); what is at its default changes nothing.
"""

from __future__ import annotations

from collections.abc import Mapping

from grainpocket.core.notes import CHORDS
from grainpocket.core.setting import Choice, Parameter, Setting, Switch

CHOP: tuple[Setting, ...] = (
    Parameter("level", "Level", "dB", -60.0, 12.0, 0.0, 0.5, 1, "Loudness of the pad"),
    Parameter("pan", "Pan", "%", -100.0, 100.0, 0.0, 1.0, 0, "Where it stands: -100 is left, 100 right"),
    Parameter("start", "Starts", "ms", 0.0, 20000.0, 0.0, 1.0, 2, "Begins so far after the start of the chop"),
    Parameter("end", "Ends", "ms", 0.0, 20000.0, 0.0, 1.0, 2, "Ends so far before the end of the chop"),
    Parameter("fade_in", "Fade in", "ms", 0.0, 4000.0, 0.0, 5.0, 0, "Fade after its start"),
    Parameter("fade_out", "Fade out", "ms", 0.0, 4000.0, 0.0, 5.0, 0, "Fade before the end of the chop"),
    Switch("reverse", "Reverse", False, "Play it from its end to its start"),
    Switch("normalise", "Normalise", False, "Its loudest sample at full scale, before its level"),
    Switch("flip", "Flip polarity", False, "Turn the wave upside down"),
    Choice(
        "play", "Play", (("one-shot", "one-shot"), ("held", "held"), ("loop", "round and round")), "one-shot",
        "To its end, while the pad is held, or round and round while it is held",
    ),
    Parameter("loop_from", "Loop from", "ms", 0.0, 20000.0, 0.0, 1.0, 2, "Where the part that comes again begins"),
    Parameter("loop_to", "Loop to", "ms", 0.0, 20000.0, 0.0, 1.0, 2, "Where it ends; 0 is the end of the chop"),
    Parameter("loop_fade", "Crossfade", "ms", 0.0, 1000.0, 10.0, 1.0, 1, "How long the end of the loop and its beginning overlap"),
    Choice("loop_way", "Way", (("forth", "forwards"), ("both", "back and forth")), "forth", "How the loop is walked"),
    Parameter("band_from", "Band from", "Hz", 0.0, 20000.0, 0.0, 10.0, 0, "Only what lies above; under 20 is all"),
    Parameter("band_to", "Band to", "Hz", 0.0, 20000.0, 0.0, 10.0, 0, "Only what lies below; under 20 is all"),
)  # fmt: skip
PITCH: tuple[Setting, ...] = (
    Parameter("pitch", "Pitch", "st", -24.0, 24.0, 0.0, 1.0, 2, "Semitones up or down"),
    Choice(
        "time", "Time", (("repitch", "with the pitch"), ("keep", "keeps its length"), ("fit", "fits beats")), "repitch",
        "Whether speed goes along with pitch, stays, or follows the tempo",
    ),
    Parameter("speed", "Speed", "%", 25.0, 400.0, 100.0, 1.0, 1, "How fast it plays, where that is apart from its pitch", "log"),
    Parameter("beats", "Length", "beats", 0.25, 64.0, 4.0, 0.25, 2, "How many beats it lasts at any tempo", "log"),
    Parameter("formant", "Formants", "st", -12.0, 12.0, 0.0, 0.5, 1, "The size of the voice, apart from its pitch"),
    Choice(
        "protect", "Protects", (("both", "both"), ("attack", "the attack"), ("tone", "the tone")), "both",
        "What stretching leaves alone",
    ),
    Choice(
        "tune", "Correct", (("off", "off"), ("key", "to the key"), ("all", "to any note")), "off",
        "Pulls each note that is sung to the nearest one that is allowed; without a key in the pocket, to any",
    ),
    Parameter("tune_strength", "Strength", "%", 0.0, 100.0, 100.0, 1.0, 0, "How far each note is pulled"),
    Parameter("tune_ms", "Comes in", "ms", 1.0, 500.0, 40.0, 5.0, 0, "How long it takes to get there", "log"),
    Parameter("part_from", "Part from", "ms", 0.0, 20000.0, 0.0, 1.0, 2, "A part with its own pitch, level and time begins"),
    Parameter("part_to", "Part to", "ms", 0.0, 20000.0, 0.0, 1.0, 2, "It ends; no later than it begins is none"),
    Parameter("part_pitch", "Part's pitch", "st", -24.0, 24.0, 0.0, 1.0, 2, "Semitones that the part goes up or down"),
    Parameter("part_level", "Part's level", "dB", -60.0, 24.0, 0.0, 0.5, 1, "How much louder the part is"),
    Parameter("part_time", "Part's time", "%", 25.0, 400.0, 100.0, 1.0, 0, "How much longer the part lasts", "log"),
)  # fmt: skip
ENVELOPE: tuple[Setting, ...] = (
    Parameter("attack", "Attack", "ms", 0.0, 10000.0, 0.0, 1.0, 1, "From silence to full level"),
    Parameter("attack_bend", "Bend", "%", -100.0, 100.0, 0.0, 5.0, 0, "Over 0 the attack is slow first, under it fast first"),
    Parameter("hold", "Hold", "ms", 0.0, 10000.0, 0.0, 1.0, 1, "Stays at full level"),
    Parameter("decay", "Decay", "ms", 0.0, 20000.0, 0.0, 5.0, 1, "From full level to where it stays; 0 is at once"),
    Parameter("decay_bend", "Bend", "%", -100.0, 100.0, -50.0, 5.0, 0, "Under 0 the decay is fast first"),
    Parameter("sustain", "Sustain", "dB", -60.0, 0.0, 0.0, 0.5, 1, "Where it stays; -60 is silence"),
    Parameter("release", "Release", "ms", 1.0, 10000.0, 12.0, 5.0, 0, "Fades so long once it is let go", "log"),
    Switch("anew", "Anew at transients", False, "The envelope begins again at every transient inside"),
)  # fmt: skip
FILTERS = (("off", "off"), ("low", "low pass"), ("high", "high pass"), ("band", "band pass"), ("notch", "notch"))
FILTER: tuple[Setting, ...] = (
    Choice(
        "filter", "Kind", FILTERS, "off",
        "What it lets through",
    ),
    Choice("slope", "Slope", (("12", "12 dB"), ("24", "24 dB")), "12", "How steeply, per octave"),
    Parameter("cutoff", "Cutoff", "Hz", 20.0, 20000.0, 2000.0, 10.0, 0, "Where it takes hold", "log"),
    Parameter("resonance", "Resonance", "dB", 0.0, 36.0, 0.0, 0.5, 1, "How far the cutoff itself stands out"),
    Parameter("drive", "Drive before", "dB", 0.0, 36.0, 0.0, 0.5, 1, "Pushed into saturation before the filter"),
    Parameter("filter_key", "Follows keys", "%", -200.0, 200.0, 0.0, 5.0, 0, "The cutoff moves along with the note"),
    Parameter("filter_amount", "Envelope", "st", -96.0, 96.0, 0.0, 1.0, 0, "How far its envelope moves the cutoff"),
    Parameter("filter_attack", "Attack", "ms", 0.0, 10000.0, 0.0, 1.0, 1, "Envelope of the filter: rise"),
    Parameter("filter_decay", "Decay", "ms", 1.0, 20000.0, 250.0, 5.0, 0, "Envelope of the filter: fall", "log"),
    Parameter("filter_sustain", "Sustain", "%", 0.0, 100.0, 0.0, 1.0, 0, "Envelope of the filter: where it stays"),
)  # fmt: skip
SHAPES = (("sine", "sine"), ("triangle", "triangle"), ("square", "square"), ("ramp", "ramp"), ("random", "random"))


def _oscillator(n: int) -> tuple[Setting, ...]:
    return (
        Choice(f"lfo{n}_shape", "Shape", SHAPES, "sine", "How it moves"),
        Switch(f"lfo{n}_synced", "Synced", False, "In beats, along with the tempo; off: in Hz"),
        Parameter(f"lfo{n}_hz", "Rate", "Hz", 0.02, 50.0, 2.0, 0.1, 2, "How often a second", "log"),
        Parameter(f"lfo{n}_beats", "Every", "beats", 0.0625, 16.0, 1.0, 0.25, 3, "How long one round is", "log"),
        Switch(f"lfo{n}_free", "Runs free", False, "Goes on between hits; off: every hit begins it anew"),
        Parameter(f"lfo{n}_level", "Level", "%", 0.0, 100.0, 0.0, 1.0, 0, "How deeply it turns the level down"),
        Parameter(f"lfo{n}_pan", "Pan", "%", 0.0, 100.0, 0.0, 1.0, 0, "How far it moves from side to side"),
        Parameter(f"lfo{n}_pitch", "Pitch", "st", 0.0, 24.0, 0.0, 0.1, 2, "How far it bends the pitch"),
        Parameter(f"lfo{n}_cutoff", "Cutoff", "st", 0.0, 96.0, 0.0, 1.0, 0, "How far it moves the cutoff"),
    )


MOTION: tuple[Setting, ...] = (
    *_oscillator(1),
    *_oscillator(2),
    Parameter("pitch_amount", "Pitch", "st", -48.0, 48.0, 0.0, 1.0, 2, "The pitch begins so far off and falls into place"),
    Parameter("pitch_attack", "Attack", "ms", 0.0, 2000.0, 0.0, 1.0, 1, "Envelope of the pitch: rise"),
    Parameter("pitch_decay", "Decay", "ms", 1.0, 10000.0, 80.0, 5.0, 0, "Envelope of the pitch: fall", "log"),
    Parameter("motion_attack", "Attack", "ms", 0.0, 10000.0, 0.0, 1.0, 1, "One more envelope: rise"),
    Parameter("motion_decay", "Decay", "ms", 1.0, 20000.0, 500.0, 5.0, 0, "One more envelope: fall", "log"),
    Parameter("motion_sustain", "Sustain", "%", 0.0, 100.0, 0.0, 1.0, 0, "One more envelope: where it stays"),
    Parameter("motion_pitch", "Pitch", "st", -48.0, 48.0, 0.0, 1.0, 2, "How far it bends the pitch"),
    Parameter("motion_cutoff", "Cutoff", "st", -96.0, 96.0, 0.0, 1.0, 0, "How far it moves the cutoff"),
    Parameter("motion_drive", "Drive", "dB", -36.0, 36.0, 0.0, 0.5, 1, "How much it adds to the drive"),
    Parameter("motion_pan", "Pan", "%", -100.0, 100.0, 0.0, 1.0, 0, "How far it moves to a side"),
    Parameter("wheel", "Wheel", "%", 0.0, 100.0, 0.0, 1.0, 0, "Where the modulation wheel stands"),
)
KEYS: tuple[Setting, ...] = (
    Parameter("root", "Root", "key", 0.0, 127.0, 60.0, 1.0, 0, "The key (MIDI) at which it sounds at its own pitch"),
    Choice(
        "voices", "Voices",
        (("poly", "as many as played"), ("last", "one: the last"), ("high", "one: the highest"), ("low", "one: the lowest")),
        "poly",
        "How many notes sound at once",
    ),
    Parameter("most_voices", "At most", "voices", 1.0, 32.0, 32.0, 1.0, 0, "Notes at once; the oldest makes room; 32 is no limit"),
    Parameter("glide", "Glide", "ms", 0.0, 2000.0, 0.0, 5.0, 0, "From the note before, where one is played into the next"),
    Parameter("spread", "Spread", "ct", 0.0, 100.0, 0.0, 1.0, 0, "How far detuned copies lie apart"),
    Parameter("copies", "Copies", "copies", 1.0, 7.0, 3.0, 1.0, 0, "How many detuned copies, with the first"),
    Choice("chord", "Chord", tuple((name, name) for name in ("off", *CHORDS)), "off", "What sounds from one key"),
    Switch("in_key", "In the key", False, "Keys that lie outside the pocket's key play the nearest one inside"),
)  # fmt: skip
SOUND_GROUPS: Mapping[str, tuple[Setting, ...]] = {
    "chop": CHOP, "pitch": PITCH, "envelope": ENVELOPE, "filter": FILTER, "motion": MOTION, "keys": KEYS,
}  # fmt: skip
SOUND: tuple[Setting, ...] = tuple(setting for group in SOUND_GROUPS.values() for setting in group)
