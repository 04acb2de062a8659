"""Sounds of our own making, so that a melody, a bass or a beat can start from nothing."""
