"""Long trials of the whole program: a random hand, kills at any moment, files that mean harm. ``./dev soak``."""
