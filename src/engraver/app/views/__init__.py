"""What the window shows: the Bench and its parts."""
