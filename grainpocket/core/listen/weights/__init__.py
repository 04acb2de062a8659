"""Weights of the networks (numpy archives), made by training/listen."""
