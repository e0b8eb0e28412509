"""The computing half of Engraver: no Qt, no screen, no global state."""
