"""What actions and desks may ask of the window, without knowing it."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtWidgets import QWidget

from engraver.standins.devices import Scanner

from .active_brush import ActiveBrush
from .active_cabinet import ActiveCabinet
from .active_pack import ActivePack
from .active_trial import ActiveTrial
from .arrivals import Arrivals
from .besides import Besides
from .cabinet_using import CabinetUsing
from .captures import Captures
from .commands import Command, Commands
from .exporting import Exports
from .filing import Filing
from .kept_brushes import KeptBrushes
from .pictures import Pictures
from .places import Places
from .prefs import Prefs
from .state import Looks
from .studio import Studio
from .ui import Ui
from .undo_stacks import CabinetUndo, UndoStack
from .when_measured import WhenMeasured


class Host(Protocol):
    """The window as its parts see it; ``widget`` is what sheets stand over."""

    ui: Ui
    measured: WhenMeasured
    studio: Studio
    pictures: Pictures
    looks: Looks
    filing: Filing
    exports: Exports
    arrivals: Arrivals
    captures: Captures
    trials: ActiveTrial
    brushes: KeptBrushes
    hand: ActiveBrush
    cabinet: ActiveCabinet
    using: CabinetUsing
    cabinet_undo: CabinetUndo
    pack: ActivePack
    besides: Besides
    scanner: Scanner
    commands: Commands
    places: Places
    prefs: Prefs

    @property
    def widget(self) -> QWidget: ...

    @property
    def undo_stack(self) -> UndoStack: ...

    @property
    def head(self) -> QWidget: ...

    def desk(self, id: str) -> QWidget: ...

    def go_to(self, id: str) -> None: ...

    def find_command(self) -> None: ...

    def open_dialog(self) -> None: ...

    def open_demo(self) -> None: ...

    def save(self) -> None: ...

    def save_as(self) -> None: ...

    def make_icon(self, plate: str) -> None: ...

    def show_keys(self) -> None: ...

    def change_theme(self) -> None: ...

    def change_text(self, by: int) -> None: ...

    def run(self, command: Command) -> None: ...
