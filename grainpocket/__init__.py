"""Grain Pocket: find tempo and hits in a record, take it apart, and make something of the pieces."""

import os

# Read by numpy when it is loaded. The matrices here are small: threads gain a few hundredths of the time, and where something
# else keeps the machine busy, as a musician's other programs do, they wait for each other, up to six times as long.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
