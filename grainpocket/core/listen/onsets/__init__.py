"""Attacks to the sample, and the onset classifier."""
