"""Engraver: height alphas and stamp masks from photos, with every step live."""

__version__ = "0.1.0"
