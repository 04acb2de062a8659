"""All benchmarks, one after another: `make bench`."""

from bench import latency, longfile

print("From key to sound, from edit to loop")
latency.main()
print("\nA long file")
longfile.main()
