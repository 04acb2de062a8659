"""Tempo hypotheses, beats, metre, and grids."""
