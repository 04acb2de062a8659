"""How the demo records are made. Run `make demo-audio` (needs FluidSynth and the FluidR3 sound font, both in Debian)."""
