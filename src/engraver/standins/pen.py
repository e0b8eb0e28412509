"""A practice pen: plays pressure for those without one, and for tests."""

from __future__ import annotations

import numpy as np


class PracticePen:
    """Sets down softly, presses in the middle of a stroke and lifts off again."""

    name = "Practice pen"
    # Share of a stroke's length over which the pressure comes and goes, and what it begins with.
    ramp = 0.3
    least = 0.15

    def pressures(self, places: list[tuple[float, float]]) -> list[float]:
        """A pressure 0..1 for every place of a stroke, by the way already gone."""
        if len(places) < 2:
            return [1.0] * len(places)
        steps = np.hypot(*np.diff(np.asarray(places, float), axis=0).T)
        way = np.concatenate([[0.0], np.cumsum(steps)]) / max(float(steps.sum()), 1e-12)
        rise = np.clip(np.minimum(way, 1 - way) / self.ramp, 0, 1)
        return [float(v) for v in self.least + (1 - self.least) * rise * (2 - rise)]
