"""The rules of one destination as a form: what the file is, where it goes, how it is named."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QWidget,
)

from engraver.core.files.names import typed_path
from engraver.core.readiness import Destination

from ..editors.rows import Choice, Switch
from ..ui import Ui, named

CHOICES: dict[str, tuple[str, tuple[tuple[str, str], ...]]] = {
    "kind": ("Used as", (("height", "Height"), ("paint", "Paint"), ("mask", "Mask"))),
    "zero": ("Zero", (("black", "Black"), ("mid", "Mid-grey"))),
    "raises": ("Stands up", (("white", "White"), ("black", "Black"))),
    "border": ("Border", (("zero", "Exactly zero"), ("free", "Free"))),
    "tiling": ("Repeats", (("none", "Not"), ("strip", "As a strip, across"), ("both", "Both ways"))),
    "rule": ("Side is", (("any", "Any number"), ("power-of-two", "Power of two"),
                         ("power-of-two-plus-one", "Power of two + 1"))),
    "format": ("Format", (("png", "PNG"), ("tiff", "TIFF"), ("exr", "OpenEXR"), ("jpeg", "JPEG"),
                          ("raw", "Bare numbers"))),
    "depth": ("Depth", (("8", "8 bits"), ("16", "16 bits"), ("float", "32-bit float"))),
    "channels": ("Channels", (("grey", "Grey"), ("grey+alpha", "Grey with transparency"))),
    "twin": ("Second file", (("", "None"), ("png 16", "16-bit PNG"), ("png 8", "8-bit PNG"),
                             ("tiff 16", "16-bit TIFF"), ("exr float", "32-bit OpenEXR"), ("jpeg 8", "8-bit JPEG"))),
}  # fmt: skip
SIZES = ("smallest", "preferred", "largest")
_TEXTS = (("name", "Name"), ("purpose", "Purpose"), ("name_pattern", "File name"), ("note", "Note after export"))


class DestinationRules(QWidget):
    """Shows a destination; gives back the values that stand in the form."""

    changed = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(ui.px(12))
        grid.setVerticalSpacing(ui.px(8))
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        self.texts: dict[str, QLineEdit] = {}
        self.choices: dict[str, Choice] = {}
        for row, (name, words) in enumerate(_TEXTS):
            grid.addWidget(QLabel(words), row, 0)
            grid.addWidget(self._text(name, words), row, 1, 1, 3)
        self.texts["name_pattern"].setToolTip("{plate}, {destination} and {side} are filled in")
        row = len(_TEXTS)
        for n, (name, (words, offered)) in enumerate(CHOICES.items()):
            choice = self.choices[name] = Choice(ui)
            choice.offer(list(offered))
            choice.setAccessibleName(words)
            choice.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            choice.activated.connect(self.changed)
            grid.addWidget(QLabel(words), row + n // 2, 2 * (n % 2))
            grid.addWidget(choice, row + n // 2, 2 * (n % 2) + 1)
        self.choices["raises"].setToolTip("The tone that raises, paints or reveals")
        row += len(CHOICES) // 2
        grid.addWidget(QLabel("Sides"), row, 0)
        grid.addLayout(self._sides(), row, 1, 1, 3)
        self.square = Switch(ui)
        self.square.setAccessibleName("Square only")
        self.square.clicked.connect(self.changed)
        dpi = self._text("dpi", "DPI")
        dpi.setPlaceholderText("none")
        dpi.setFixedWidth(ui.px(56))
        for n, (words, widget) in enumerate((("Square only", self.square), ("DPI", dpi))):
            grid.addWidget(QLabel(words), row + 1, 2 * n)
            grid.addWidget(widget, row + 1, 2 * n + 1)
        grid.addWidget(QLabel("Folder here"), row + 2, 0)
        grid.addLayout(self._place(), row + 2, 1, 1, 3)
        grid.setRowStretch(row + 3, 1)

    def _text(self, name: str, words: str) -> QLineEdit:
        field = self.texts[name] = QLineEdit()
        field.setAccessibleName(words)
        field.textEdited.connect(self.changed)
        return field

    def _sides(self) -> QHBoxLayout:
        ui, row = self.ui, QHBoxLayout()
        row.setSpacing(ui.px(5))
        for name in SIZES:
            row.addWidget(named(QLabel(name), "second"))
            field = self._text(name, f"{name.capitalize()} side")
            field.setFixedWidth(ui.px(56))
            row.addWidget(field)
            row.addSpacing(ui.px(8))
        row.addStretch(1)
        return row

    def _place(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(self.ui.px(8))
        self.folder = QLineEdit()
        self.folder.setPlaceholderText("the folder chosen at export")
        self.folder.setAccessibleName("Folder on this machine")
        self.folder.textChanged.connect(self.changed)
        browse = QPushButton("Choose…")
        browse.clicked.connect(self._browse)
        row.addWidget(self.folder, 1)
        row.addWidget(browse)
        return row

    def _browse(self) -> None:
        typed = self.folder.text()
        folder = self.ui.files.folder(self, "Folder", "destination", typed_path(typed) if typed else None)
        if folder is not None:
            self.folder.setText(str(folder))

    def show_destination(self, to: Destination, own: bool, folder: str) -> None:
        """Follow what is chosen; only the artist's own can be changed."""
        for name, _ in _TEXTS:
            self.texts[name].setText(str(getattr(to, name)))
            self.texts[name].setCursorPosition(0)
        for name in SIZES:
            self.texts[name].setText(str(getattr(to.sizes, name)))
        self.texts["purpose"].setToolTip(to.purpose)
        self.texts["dpi"].setText("" if to.dpi is None else f"{to.dpi:g}")
        for name, choice in self.choices.items():
            value = to.sizes.rule if name == "rule" else getattr(to, name)
            if name == "twin":
                value = f"{to.twin.format} {to.twin.depth}" if to.twin else ""
            choice.setCurrentIndex(choice.findData(value))
            choice.setEnabled(own)
        self.square.setChecked(to.square)
        self.square.setEnabled(own)
        for field in self.texts.values():
            field.setReadOnly(not own)
        self.folder.setText(folder)

    def values(self) -> dict[str, Any]:
        """What stands in the form, in the fields of a destination."""
        values: dict[str, Any] = {name: self.texts[name].text().strip() for name, _ in _TEXTS}
        values |= {name: c.currentData() for name, c in self.choices.items() if name not in ("rule", "twin")}
        values["sizes"] = {name: self.texts[name].text().strip() for name in SIZES}
        values["sizes"]["rule"] = self.choices["rule"].currentData()
        values["square"] = self.square.isChecked()
        values["dpi"] = self.texts["dpi"].text().strip() or None
        second = self.choices["twin"].currentData()
        values["twin"] = dict(zip(("format", "depth"), second.split(), strict=True)) if second else None
        return values
