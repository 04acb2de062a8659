"""Levels of frequency bands over time, and spectra round chosen samples."""
