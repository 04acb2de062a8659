"""Loudness, true peak, and how two recordings lie against each other."""
