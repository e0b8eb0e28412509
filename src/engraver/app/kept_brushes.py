"""The brushes of a project in the hand: kept in one press, picked up whole, and what has changed since."""

from __future__ import annotations

from PySide6.QtCore import QObject

from engraver.core.pressing.settings import StrokeSettings
from engraver.core.raster import Zero
from engraver.core.recipe import Brush, brushes

from .active_trial import ActiveTrial
from .brush_icons import BrushIcons
from .studio import Studio


class KeptBrushes(QObject):
    """Brushes lie in the project; which one is in the hand, in the proof desk's state."""

    def __init__(self, studio: Studio, active: ActiveTrial, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._studio, self._active = studio, active
        self.icons = BrushIcons(studio)

    @property
    def all(self) -> tuple[Brush, ...]:
        return self._studio.project.brushes

    @property
    def current(self) -> Brush | None:
        """The brush in the hand, while the hand has its plate."""
        id, plate = self._active.state.brush, self._studio.plate_id
        return next((b for b in self.all if b.id == id and b.plate.id == plate), None)

    def _in_hand(self) -> tuple[str, StrokeSettings, Zero]:
        """The plate and settings of the chosen gesture, else those of the next one, and the plate's zero."""
        active, gesture = self._active, self._active.gesture
        plate = gesture.plate if gesture is not None and gesture.plate else self._studio.plate_id or ""
        lines = self._studio.attempt(lambda: active.drawing.lines(active.trial)) or {}
        zero: Zero = lines[plate].facts[-1].zero if plate in lines else "black"
        return plate, gesture.settings if gesture is not None and gesture.plate else active.state.settings, zero

    # -- changes -------------------------------------------------------------------

    def keep(self) -> None:
        """The plate in the hand and its settings become a brush; one made from a brush carries on from it."""
        plate, settings, zero = self._in_hand()
        if not plate:
            self._studio.told.emit("There is no plate to keep: open or begin one first.", "look")
            return
        old = self.current

        def act() -> None:
            project, id = brushes.keep(
                self._studio.project, plate, settings, zero, name=old.name if old is not None else "",
                made_from=old.id if old is not None else "",
            )  # fmt: skip
            name = project.brush(id).name
            self._studio.edit(project, f"Keep the brush {name}")
            self._take(id, settings)
            self._studio.told.emit(f"Kept as the brush {name}.", "good")

        self._studio.attempt(act)

    def pick_up(self, id: str) -> None:
        """Plate and settings as the brush has them; a plate that is gone is brought back."""
        studio = self._studio

        def act() -> None:
            brush = studio.project.brush(id)
            if brushes.plate_change(studio.project, brush) == "gone":
                studio.edit(brushes.back(studio.project, id), f"Bring back {brush.plate.name}")
            studio.choose_plate(brush.plate.id)
            self._take(id, brush.settings)

        studio.attempt(act)

    def next(self) -> None:
        """The brush after the one in the hand, round and round."""
        ids = [b.id for b in self.all]
        if ids:
            here = self._active.state.brush
            self.pick_up(ids[(ids.index(here) + 1) % len(ids)] if here in ids else ids[0])

    def keep_change(self) -> None:
        """The brush in the hand becomes what the hand has."""
        brush, (_, settings, zero) = self.current, self._in_hand()
        if brush is not None:
            self._studio.attempt(lambda: self._studio.edit(
                brushes.keep_change(self._studio.project, brush.id, settings, zero), f"Change the brush {brush.name}"
            ))  # fmt: skip
            self._active.changed.emit()

    def back(self) -> None:
        """Plate and settings as the brush in the hand was kept."""
        brush, studio = self.current, self._studio
        if brush is None:
            return

        def act() -> None:
            if brushes.plate_change(studio.project, brush):
                studio.edit(brushes.back(studio.project, brush.id), f"Back to the brush {brush.name}")
            self._take(brush.id, brush.settings)

        studio.attempt(act)

    def rename(self, name: str) -> None:
        brush = self.current
        if brush is not None:
            project = brushes.rename(self._studio.project, brush.id, name)
            self._studio.attempt(lambda: self._studio.edit(project, "Rename a brush"))
            self._active.changed.emit()

    def remove(self) -> None:
        """The brush in the hand is no longer kept; its plate stays."""
        brush = self.current
        if brush is not None:
            project = brushes.remove(self._studio.project, brush.id)
            self._studio.attempt(lambda: self._studio.edit(project, f"Remove the brush {brush.name}"))
            self._active.set(brush="")

    def _take(self, id: str, settings: StrokeSettings) -> None:
        self._active.choose("")
        self._active.take_settings(settings, id)

    # -- words ---------------------------------------------------------------------

    def change_words(self) -> str:
        """What is another than when the brush in the hand was kept; "" for nothing."""
        brush = self.current
        if brush is None:
            return ""
        found = [name.lower() for name in brushes.settings_changed(brush, self._active.state.settings)]
        if brushes.plate_change(self._studio.project, brush):
            found.insert(0, "the plate")
        return ", ".join(found) if len(found) < 4 else f"{found[0]}, {found[1]} and {len(found) - 2} more"
