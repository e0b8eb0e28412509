"""Where a plate lies in its view: zoom, pan, and the way between places of the plate and of the screen."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QWidget

from ..looking import PlateViewPicture
from ..state import ZOOMS, Overlays
from ..ui import Ui
from .overlays import tiles

INSET = 8
# How far an arrow key moves an enlarged plate, at text size 100 %.
_KEY_STEP = 40
_BY_KEYS = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)


class PlateFrame(QWidget):
    """A view on a picture; places are in shares of the picture, 0..1."""

    zoomed = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self.look: PlateViewPicture | None = None
        # Whether Tab has come here: then it is seen where the keys go.
        self.reached = False

    # -- how it is looked at -------------------------------------------------------

    @property
    def overlays(self) -> Overlays:
        return self.ui.looks.bench.overlays

    @property
    def zoom(self) -> float | None:
        """Screen pixels per full-size pixel; None fits."""
        return self.ui.looks.bench.zoom

    @property
    def section(self) -> tuple[QPointF, QPointF]:
        """The ends of the section line, as shares of the plate."""
        a, b = self.ui.looks.bench.section
        return QPointF(*a), QPointF(*b)

    @property
    def _pan(self) -> QPointF:
        return QPointF(*self.ui.looks.bench.pan)

    # -- geometry ------------------------------------------------------------------

    def _full_size(self) -> tuple[float, float]:
        if self.look is None:
            return 1.0, 1.0
        return float(self.look.result.facts.width), float(self.look.result.facts.height)

    def fit_zoom(self) -> float:
        width, height = self._full_size()
        if self.overlays.repeat:
            around = tiles(self._wrap())
            width *= 3 if any(i for i, _ in around) else 1
            height *= 3 if any(j for _, j in around) else 1
        return self._fit(width, height)

    def _fit(self, width: float, height: float) -> float:
        """Screen pixels to a pixel of a picture of this size that fits the view."""
        return max(1e-4, min((self.width() - 2 * INSET) / width, (self.height() - 2 * INSET) / height))

    def _wrap(self) -> tuple[bool, bool]:
        return self.look.result.facts.wrap if self.look is not None else (False, False)

    @property
    def scale(self) -> float:
        """Screen pixels per full-size pixel."""
        return self.fit_zoom() if self.zoom is None else self.zoom

    def target(self) -> QRectF:
        """Where the picture is drawn."""
        width, height = self._full_size()
        rect = QRectF(0, 0, width * self.scale, height * self.scale)
        rect.moveCenter(QRectF(self.rect()).center() + (self._pan if self.zoom is not None else QPointF(0, 0)))
        if self.zoom is None:  # on whole pixels of the screen, so that a picture of its size is shown as it is
            by = self.devicePixelRatioF()
            rect.moveTo(round(rect.x() * by) / by, round(rect.y() * by) / by)
        return rect

    def fit_side(self) -> int:
        """Pixels of the screen along the longer side of the finished plate where it fits; of a square one where none
        is known yet. Not of the step that is shown, so that all steps are drawn from pictures of one size."""
        facts = self.look.finished.facts if self.look is not None else None
        width, height = (facts.width, facts.height) if facts is not None else (1, 1)
        return round(max(width, height) * self._fit(width, height) * self.devicePixelRatioF())

    def to_screen(self, share: QPointF) -> QPointF:
        rect = self.target()
        return QPointF(rect.left() + share.x() * rect.width(), rect.top() + share.y() * rect.height())

    def to_share(self, place: QPointF) -> QPointF:
        rect = self.target()
        return QPointF((place.x() - rect.left()) / rect.width(), (place.y() - rect.top()) / rect.height())

    def set_zoom(self, zoom: float | None, at: QPointF | None = None) -> None:
        """Zoom to a scale about a place on screen; None fits."""
        if zoom is None:
            self.ui.looks.set(zoom=None, pan=(0.0, 0.0))
        else:
            at = at or QRectF(self.rect()).center()
            share = self.to_share(at)
            low, high = ZOOMS
            self.ui.looks.set(zoom=min(high, max(low, zoom)))
            self._move(at - self.to_screen(share))
        self.zoomed.emit()
        self.update()

    def look_aside(self, way: tuple[float, float]) -> bool:
        """Look further to a side of an enlarged plate; whether there is more than fits."""
        if self.zoom is None:
            return False
        self._move(QPointF(*way) * -self.ui.px(_KEY_STEP))
        return True

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.reached = event.reason() in _BY_KEYS
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.reached = False
        self.update()

    def _move(self, by: QPointF) -> None:
        pan = self._pan + by
        self.ui.looks.set(pan=(pan.x(), pan.y()))
