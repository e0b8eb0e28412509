"""What an editor is shown beside its step."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from ..looking import PlateViewPicture


@dataclass(frozen=True, slots=True)
class Seen:
    """The plate view's picture when it is of this step, what the step found, and the tone pressed on the plate.

    ``counts`` and ``after`` are how often each tone occurs before and after the step.
    """

    look: PlateViewPicture | None = None
    autos: Mapping[str, float] | None = None
    toned: float | None = None

    @property
    def counts(self) -> NDArray[np.float32] | None:
        return None if self.look is None else self.look.histogram

    @property
    def after(self) -> NDArray[np.float32] | None:
        return None if self.look is None else self.look.after
