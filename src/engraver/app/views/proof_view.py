"""The proof view: the plate pressed into plaster, turned and lit by hand, and a strip of marks."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from engraver.core.raster import Wrap
from engraver.core.recipe.references import tried_in
from engraver.core.surfaces import ON_BENCH, surface
from engraver.core.surfaces.view import Lamp

from ..editors.slider import Slider
from ..ui import Ui, choice, fits, literal, named
from .light_dial import LightDial
from .paper_bar import PaperBar
from .proof_canvas import ProofCanvas, Strip

DENSITIES = ((250_000, "¼ M points"), (500_000, "½ M points"), (1_000_000, "1 M points"))
REPEATS = (0, 2, 3, 4, 6, 8)


def _cover_words(repeats: int, wrap: Wrap) -> str:
    if not repeats:
        return "one mark"
    return f"{repeats} in a row" if wrap[0] != wrap[1] else f"{repeats} × {repeats} tiles"


class ProofView(QWidget):
    """Header, canvas, strip and footer."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self._shown: tuple[object, ...] = ()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self._header())
        self.canvas = ProofCanvas(ui)
        box.addWidget(self.canvas, 1)
        self.strip = Strip(ui)
        box.addWidget(self.strip)
        self.plaster_bar, self.paper_bar = self._footer(), PaperBar(ui)
        box.addWidget(self.plaster_bar)
        box.addWidget(self.paper_bar)
        ui.studio.proof_changed.connect(self.follow)
        ui.studio.project_changed.connect(self.follow)
        ui.pictures.looked.connect(self.follow)
        ui.pictures.proofed.connect(self.follow)
        self.follow()

    def _bar(self, height: int) -> tuple[QWidget, QHBoxLayout]:
        bar = named(QWidget(), "picturebar")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar.setFixedHeight(self.ui.px(height))
        row = QHBoxLayout(bar)
        row.setContentsMargins(self.ui.px(8), 0, self.ui.px(6), 0)
        row.setSizeConstraint(QHBoxLayout.SizeConstraint.SetNoConstraint)
        bar.setMinimumWidth(self.ui.px(200))
        row.setSpacing(self.ui.px(4))
        return bar, row

    def _label(self, text: str, *, strong: bool = False) -> QLabel:
        label = QLabel(text)
        label.setStyleSheet("font-weight: 600;" if strong else "")
        return label

    def _pills(self, row: QHBoxLayout, names: tuple[tuple[str, str], ...], tip: str) -> dict[str, QPushButton]:
        group, buttons = QButtonGroup(self), {}
        for value, text in names:
            button = named(QPushButton(text), "pill")
            button.setCheckable(True)
            button.setToolTip(tip)
            group.addButton(button)
            row.addWidget(button)
            buttons[value] = button
        return buttons

    def _header(self) -> QWidget:
        bar, row = self._bar(30)
        self.head = row
        self.title = self._label("Proof", strong=True)
        row.addWidget(self.title)
        self.surfaces = self._pills(
            row, tuple((kind.id, kind.name) for kind in ON_BENCH.values()), "What the plate is tried on"
        )
        for value, button in self.surfaces.items():
            button.clicked.connect(lambda _=False, v=value: self.ui.studio.set_proof(surface=v, of_trial=False))
        row.addStretch(1)
        self.cover = named(QPushButton(), "bar")
        self.cover.setToolTip("One mark, or the surface covered with the plate as a tile")
        self.cover.clicked.connect(
            lambda: self.cover_menu().exec(self.cover.mapToGlobal(self.cover.rect().bottomLeft()))
        )
        row.addWidget(self.cover)
        self.density = named(QPushButton(), "bar")
        self.density.setToolTip("How many points the surface has, as a mesh of that density would")
        self.density.clicked.connect(
            lambda: self.density_menu().exec(self.density.mapToGlobal(self.density.rect().bottomLeft()))
        )
        row.addWidget(self.density)
        return bar

    def cover_menu(self) -> QMenu:
        menu, studio = QMenu(self), self.ui.studio
        tried = studio.proof_trial is not None
        for repeats in REPEATS:
            words, now = _cover_words(repeats, self.ui.pictures.wrap), repeats == studio.proof.repeats and not tried
            choice(menu, words, partial(studio.set_proof, repeats=repeats, of_trial=False), now=now)
        if tried_in(studio.project, studio.plate_id or ""):
            choice(menu, "the trial it was pressed in", partial(studio.set_proof, of_trial=True), now=tried)
        if self.density.isHidden():
            menu.addSeparator()
            self._add_densities(menu)
        return menu

    def density_menu(self) -> QMenu:
        menu = QMenu(self)
        self._add_densities(menu)
        return menu

    def _add_densities(self, menu: QMenu) -> None:
        now, take = self.ui.studio.proof.points, self.ui.studio.set_proof
        for points, words in DENSITIES:
            choice(menu, words, partial(take, points=points), now=points == now)

    def _check(self, id: str | None) -> None:
        """The surface of the single mark; none while the trial is shown."""
        for value, button in self.surfaces.items():
            button.group().setExclusive(False)
            button.setChecked(value == id)

    def _footer(self) -> QWidget:
        bar, row = self._bar(46)
        self.ways = self._pills(row, (("raise", "Raise"), ("cut", "Cut")), "Whether the plate is pressed out or in")
        for value, button in self.ways.items():
            button.clicked.connect(lambda _=False, v=value: self.ui.studio.set_proof(cut=v == "cut"))
        row.addSpacing(self.ui.px(8))
        label = self.strength_name = self._label("Strength")
        label.setToolTip("Height of white in per cent of the mark's width. Double-click: automatic.")
        label.mouseDoubleClickEvent = lambda event: self.ui.studio.set_proof(strength=None)  # type: ignore[method-assign]
        row.addWidget(label)
        self.strength = Slider(self.ui, 0.0, 0.12, 0.001, on_bar=True)
        self.strength.setAccessibleName("Strength")
        self.strength.moved.connect(lambda value: self.ui.studio.set_proof(strength=value))
        row.addWidget(self.strength, 1)
        self.amount = named(QPushButton(), "bar")
        self.amount.setToolTip("Press to go back to the automatic strength")
        self.amount.setMinimumWidth(self.ui.px(58))
        self.amount.clicked.connect(lambda: self.ui.studio.set_proof(strength=None))
        row.addWidget(self.amount)
        self.light_name = self._label("Light")
        row.addWidget(self.light_name)
        studio = self.ui.studio
        self.dial = LightDial(
            self.ui, studio.proof_changed, lambda: studio.proof.lamp, Lamp, lambda lamp: studio.set_proof(lamp=lamp)
        )
        row.addWidget(self.dial)
        return bar

    def resizeEvent(self, event: QResizeEvent) -> None:
        # Where room is short names go first, then the title: what can be pressed stays whole.
        self.light_name.setVisible(self.width() >= self.ui.px(415))
        self.strength_name.setVisible(self.width() >= self.ui.px(350))
        self.follow()

    def _fit_header(self, cover: str, points: str) -> None:
        """What can be pressed stays whole: where room is short the title goes, then words are shortened."""
        small = points.split(" points")[0]
        room = self.width() - self.ui.px(20)
        for title, said in ((True, f"surface {points}"), (True, points), (False, points), (False, small)):
            self.title.setVisible(title)
            self.cover.setText(f"{cover} ▾")
            self.density.setText(f"{said} ▾")
            if fits(self.head, room):
                return
        self.cover.setText(f"{cover.removesuffix(' tiles').removeprefix('one ')} ▾")
        self.density.hide()  # its choices go into the menu beside it

    def follow(self, _: object = None) -> None:
        """Show the settings in force; nothing is done where they are shown, as with most changes of a line."""
        settings, strength = self.ui.studio.proof, self.ui.pictures.strength
        trial, wrap = self.ui.studio.proof_trial, self.ui.pictures.wrap
        shown = settings, strength, trial, wrap, self.width()
        if shown == self._shown:
            return
        self._shown = shown
        self._check(None if trial is not None else settings.surface)
        self.ways["cut" if settings.cut else "raise"].setChecked(True)
        paper = trial is None and surface(settings.surface).foot == "paper"
        self.plaster_bar.setVisible(not paper)
        self.paper_bar.setVisible(paper)
        self.strip.setVisible(not paper)
        for button in (self.cover, self.density):
            button.setVisible(not paper)
        self.paper_bar.follow()
        cover = _cover_words(settings.repeats, wrap) if trial is None else literal(trial.name)
        self._fit_header(cover, dict(DENSITIES).get(settings.points, ""))
        self.strength.show_value(strength)
        wide = self.width() >= self.ui.px(300)
        auto = "auto " if settings.strength is None and wide else ""
        self.amount.setText(f"{auto}{strength * 100:.1f} %")
