"""Fixtures that all tests share."""
