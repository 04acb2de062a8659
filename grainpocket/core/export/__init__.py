"""Files out."""
