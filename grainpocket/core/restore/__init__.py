"""Cleaning a recording: clicks, hum and hiss taken out, its time line kept to the sample."""
