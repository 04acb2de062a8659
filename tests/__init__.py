import grainpocket  # noqa: F401  (before numpy is loaded: how many threads that uses)
