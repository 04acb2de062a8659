"""Recordings whose every onset, drum, beat, bar, chord and key is known, because we made them."""
