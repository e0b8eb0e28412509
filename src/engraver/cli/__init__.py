"""The same core from a terminal."""
