"""A day of abuse: what no honest use does, for as long as one likes. Not part of the tests; what it found has a test there."""
