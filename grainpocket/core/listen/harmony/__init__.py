"""Chroma, chords, key, and the pitch of a single sound."""
