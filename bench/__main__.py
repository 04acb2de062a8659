"""All benchmarks, one after another: `make bench`."""

import subprocess
import sys

from bench import alike, drumparts, latency, listening, longfile, longpattern, manyslices, mixing

print("From key to sound, from edit to loop")
latency.main()
print("\nBuses, controls and songs")
mixing.main()
print("\nA long file")
longfile.main()
print("\nFive hundred slices")
manyslices.main()
print("\nA long pattern")
longpattern.main()
print("\nDrums apart")
drumparts.main()
print("\nHow fast it listens")
subprocess.run([sys.executable, "-m", "bench.listenspeed"], check=True)
print("\nHow well it listens")
listening.main()
print("\nHow well it finds what sounds alike")
alike.main()
