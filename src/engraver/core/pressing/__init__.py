"""Marks: what a plate leaves on a surface, laid in one place for the hand, the strip and the paper."""
