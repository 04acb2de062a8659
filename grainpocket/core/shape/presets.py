"""Sounds to begin from: a few settings each, set over what a pad has; the rest stays."""

from __future__ import annotations

from collections.abc import Mapping

from grainpocket.core.params import Value

PRESETS: Mapping[str, Mapping[str, Value]] = {
    "short kick": {"decay": 160.0, "decay_bend": -60.0, "sustain": -60.0, "pitch_amount": 5.0, "pitch_decay": 40.0},
    "long low": {"pitch": -12.0, "decay": 900.0, "sustain": -60.0, "filter": "low", "cutoff": 220.0, "drive": 6.0},
    "ghost": {"level": -12.0, "attack": 3.0, "decay": 120.0, "sustain": -60.0, "filter": "low", "cutoff": 2600.0},
    "felt pad": {
        "attack": 250.0, "release": 600.0, "filter": "low", "cutoff": 900.0, "lfo1_cutoff": 5.0, "lfo1_hz": 0.3,
        "play": "held",
    },
    "tape wobble": {"lfo1_pitch": 0.18, "lfo1_hz": 0.9, "lfo2_pitch": 0.05, "lfo2_hz": 7.0, "filter": "low", "cutoff": 7000.0},
    "tight hat": {"decay": 55.0, "sustain": -60.0, "filter": "high", "cutoff": 3000.0},
    "open sweep": {
        "filter": "low", "slope": "24", "cutoff": 250.0, "resonance": 9.0, "filter_amount": 48.0, "filter_attack": 20.0,
        "filter_decay": 600.0,
    },
    "beat trem": {"lfo1_synced": True, "lfo1_beats": 0.5, "lfo1_level": 80.0, "lfo1_shape": "triangle"},
    "sung lead": {"play": "loop", "loop_fade": 40.0, "voices": "last", "glide": 100.0, "release": 150.0, "attack": 8.0},
    "wide keys": {"spread": 14.0, "copies": 3.0, "release": 250.0, "play": "held", "attack": 4.0},
    "backwards": {"reverse": True, "fade_in": 120.0},
    "half speed": {"pitch": -12.0},
}  # fmt: skip
