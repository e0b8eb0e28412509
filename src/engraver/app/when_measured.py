"""An errand that needs the finished plate: done at once, or as soon as the plate is measured."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QApplication

from engraver.core.recipe import Plate

from .measuring import MeasuredPlate
from .pictures import Pictures

Errand = Callable[[MeasuredPlate, Plate], None]
# So long a wait needs no word; so often it is asked whether the mouse has been let go.
_UNTOLD_MS, _HELD_MS = 400, 50


class WhenMeasured(QObject):
    """Holds one errand at most, the newest; another plate chosen, a fault or a sheet that has opened lets it go."""

    def __init__(self, pictures: Pictures, parent: QObject) -> None:
        super().__init__(parent)
        self._pictures, self._studio = pictures, pictures.studio
        self._errand: Errand | None = None
        self._plate: str | None = None
        self._said = False
        self._look = QTimer(self, interval=_UNTOLD_MS)
        self._look.timeout.connect(self._look_after)
        self._next = QTimer(self, singleShot=True)
        self._next.timeout.connect(self._go)
        pictures.measured.connect(self._measured)
        pictures.failed.connect(self._failed)

    @property
    def waiting(self) -> bool:
        """Whether an errand is still to be done."""
        return self._errand is not None

    def ask(self, errand: Errand) -> None:
        """Do it with the chosen plate, now or later."""
        self.drop()
        full, plate = self._pictures.full, self._studio.plate
        if plate is None:
            return
        if full is not None:
            errand(full, plate)
        else:
            self._errand, self._plate, self._said = errand, plate.id, False
            self._look.start()

    def drop(self) -> None:
        self._errand = None
        self._look.stop()
        self._next.stop()

    def _measured(self, _: MeasuredPlate) -> None:
        if self._errand is not None:
            self._next.start(0)

    def _failed(self, what: str, words: str) -> None:
        if words and what != "proof":  # no words: what failed before is well again
            self.drop()

    def _look_after(self) -> None:
        """Say once that it waits; and that it waits in vain where nothing is under way any more."""
        if not self._pictures.busy and not self._next.isActive():
            self.drop()
            self._studio.told.emit("The plate cannot be finished: one of its steps fails.", "look")
        elif not self._said:
            self._said = True
            self._studio.told.emit("The plate is still being measured; then this goes on by itself.", "look")

    def _go(self) -> None:
        errand, full, plate = self._errand, self._pictures.full, self._studio.plate
        if plate is None or plate.id != self._plate or QApplication.activeModalWidget() is not None:
            self.drop()
        elif QApplication.mouseButtons():
            self._next.start(_HELD_MS)  # no sheet opens under a hand that drags
        elif errand is not None and full is not None:
            self.drop()
            errand(full, plate)
