"""The bars over and under the trial: surfaces, density, which trial; tools, symmetry and light."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSize, Signal
from PySide6.QtGui import QIcon, QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QMenu, QPushButton, QWidget

from engraver.core.pressing.gesture import GESTURES
from engraver.core.surfaces import SURFACES

from ..theme.icons import icon, pixmap
from ..ui import Ui, choice, fits, literal, named
from .light_dial import LightDial
from .paper_controls import PaperButton

DENSITIES = (
    (60_000, "60 k points"), (250_000, "¼ M points"), (500_000, "½ M points"), (1_000_000, "1 M points"),
    (2_000_000, "2 M points"), (4_000_000, "4 M points"),
)  # fmt: skip
_ARMS = (1, 2, 3, 4, 5, 6, 8, 12, 16, 24)


def density_words(points: int) -> str:
    """A number of points as it is read."""
    return dict(DENSITIES).get(points, f"{points / 1e6:.2g} M points")


def pill_icon(ui: Ui, name: str) -> QIcon:
    """An icon on a dark bar, and on the pale pill of what is chosen."""
    drawn = icon(name, ui.theme.on_bar_2, ui.px(16))
    drawn.addPixmap(pixmap(name, "#1F2430", ui.px(16), 2.0), QIcon.Mode.Normal, QIcon.State.On)
    return drawn


def _bar(ui: Ui, height: int) -> tuple[QWidget, QHBoxLayout]:
    bar = named(QWidget(), "picturebar")
    bar.setFixedHeight(ui.px(height))
    row = QHBoxLayout(bar)
    row.setContentsMargins(ui.px(8), 0, ui.px(8), 0)
    row.setSpacing(ui.px(4))
    row.setSizeConstraint(QHBoxLayout.SizeConstraint.SetNoConstraint)
    bar.setMinimumWidth(ui.px(200))
    return bar, row


# How the bar over the trial is shortened, step by step: names of surfaces (in the end all lie in a menu), short
# words, letters of the trial's name, and whether the second density has a button of its own.
_LEVELS = (
    ("all", False, 40, True), ("all", True, 40, True), ("one", True, 24, True), ("none", True, 14, True),
    ("none", True, 9, False), ("none", True, 5, False), ("menu", True, 14, False), ("menu", True, 6, False),
)  # fmt: skip


class SurfaceBar(QWidget):
    """Over the trial: what it is made on, how dense, and which trial it is."""

    choose_mesh = Signal()
    dense_wanted = Signal(int)

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        bar, row = _bar(ui, 34)
        self._row = row
        self._words = ("", "", "")
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(bar)
        self.trials = named(QPushButton(), "bar")
        self.trials.setToolTip("The trials of the project")
        self.trials.clicked.connect(lambda: self._drop(self.trials, self.trial_menu()))
        row.addWidget(self.trials)
        row.addSpacing(ui.px(6))
        group, self.surfaces = QButtonGroup(self), {}
        for kind in SURFACES.values():
            button = named(QPushButton(kind.name), "pill")
            button.setCheckable(True)
            button.setIcon(pill_icon(ui, f"on-{kind.id}"))
            button.setIconSize(QSize(ui.px(16), ui.px(16)))
            button.setToolTip(f"{kind.name}: {kind.help}")
            button.setAccessibleName(kind.name)
            button.clicked.connect(partial(self._take, kind.id))
            group.addButton(button)
            row.addWidget(button)
            self.surfaces[kind.id] = button
        self.surface = named(QPushButton("▾"), "bar")
        self.surface.setIconSize(QSize(ui.px(16), ui.px(16)))
        self.surface.setAccessibleName("Surface")
        self.surface.clicked.connect(lambda: self._drop(self.surface, self.surface_menu()))
        row.addWidget(self.surface)
        row.addStretch(1)
        self.second = named(QPushButton(), "bar")
        self.second.setToolTip("A second density beside the first: the same gestures on both (V)")
        self.second.clicked.connect(lambda: self._drop(self.second, self.second_menu()))
        row.addWidget(self.second)
        self.density = named(QPushButton(), "bar")
        self.density.setToolTip("How many points the surface has, as a mesh of that density would")
        self.density.clicked.connect(lambda: self._drop(self.density, self.density_menu()))
        row.addWidget(self.density)
        ui.trials.changed.connect(self.follow)
        self.follow()

    def _drop(self, button: QPushButton, menu: QMenu) -> None:
        menu.exec(button.mapToGlobal(button.rect().bottomLeft()))

    def _take(self, id: str) -> None:
        if SURFACES[id].geometry.needs_own:
            self.choose_mesh.emit()
            self.follow()  # until a mesh is chosen the surface stays
        else:
            self.ui.trials.set_surface(id)

    def trial_menu(self) -> QMenu:
        """Every trial, and a new one."""
        menu, active = QMenu(self), self.ui.trials
        for trial in self.ui.studio.project.trials:
            words = f"{trial.name}    {trial.declared.name.lower()}, {len(trial.gestures)} gestures"
            choice(menu, words, partial(active.show_trial, trial.id), now=trial.id == active.trial.id)
        if self.ui.studio.project.trials:
            menu.addSeparator()
        menu.addAction("New trial", active.new_trial)
        if active.trial.id:
            menu.addAction("Rename…", lambda: self.ui.commands["trial-rename"].do())
            menu.addAction("Remove the trial", lambda: self.ui.commands["trial-remove"].do())
        return menu

    def surface_menu(self) -> QMenu:
        """Every surface, where their buttons have no room."""
        menu = QMenu(self)
        for kind in SURFACES.values():
            choice(menu, kind.name, partial(self._take, kind.id), now=kind.id == self.ui.trials.trial.surface)
        return menu

    def density_menu(self) -> QMenu:
        """How dense the surface can be."""
        menu = QMenu(self)
        for points, words in DENSITIES:
            choice(menu, words, partial(self.dense_wanted.emit, points), now=points == self.ui.trials.trial.points)
        if self.second.isHidden():
            menu.addSeparator()
            self._add_beside(menu)
        menu.addSeparator()
        choice(menu, "Show the grid", self.ui.commands["trial-lines"].do, now=self.ui.trials.state.lines)
        return menu

    def second_menu(self) -> QMenu:
        """The density beside the first one."""
        menu = QMenu(self)
        self._add_beside(menu)
        return menu

    def _add_beside(self, menu: QMenu) -> None:
        now = self.ui.trials.state.second
        choice(menu, "One density", partial(self.ui.trials.set, second=0), now=not now)
        for points, words in DENSITIES[:-2]:
            choice(menu, f"Beside {words}", partial(self.ui.trials.set, second=points), now=points == now)

    def follow(self) -> None:
        """Show what is there."""
        active = self.ui.trials
        trial, second = active.trial, active.state.second
        self.surfaces[trial.surface].setChecked(True)
        self._words = (trial.name, density_words(trial.points), density_words(second) if second else "")
        self._fit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fit()

    def _fit(self) -> None:
        """What can be pressed stays whole: where room is short words are shortened, then names go, and the second
        density goes into the menu of the first."""
        name, points, second = self._words
        chosen = self.ui.trials.trial.surface
        self.surface.setIcon(icon(f"on-{chosen}", self.ui.theme.on_bar, self.ui.px(16)))
        self.surface.setToolTip(f"Tried on: {SURFACES[chosen].name.lower()}")
        for names, short, letters, beside in _LEVELS:
            few = (" points", "") if short else ("", "")
            for id, button in self.surfaces.items():
                button.setText(SURFACES[id].name if names == "all" or (names == "one" and id == chosen) else "")
                button.setVisible(names != "menu")
            self.surface.setVisible(names == "menu")
            self.trials.setText(literal(f"{name if len(name) <= letters else name[: letters - 1] + '…'} ▾"))
            self.density.setText(f"{points.replace(*few)} ▾")
            self.second.setText(f"beside {second.replace(*few)} ▾" if second else "side by side ▾")
            self.second.setVisible(beside)
            if fits(self._row, self.width() - self.ui.px(34)):
                return


# How the bar under the trial is shortened: names of tools (in the end only that in the hand is left), the word for
# the light, and whether symmetry and pen have buttons of their own.
_TOOL_LEVELS = (("all", True, True), ("all", False, True), ("one", False, True), ("none", False, True),
                ("one", False, False), ("none", False, False), ("menu", False, False))  # fmt: skip


# The menu of curves, by the names of actions, in parts.
_CURVE_MENU = (
    ("curve-corner", "curve-smooth", "curve-straight", "curve-close", "curve-true", "curve-turn"),
    ("curve-grow", "curve-hold-start", "curve-hold-end", "curve-reach"),
    ("curve-up", "curve-down"),
    ("curve-round", "curve-border", "curve-outline", "curve-file"),
)


class ToolBar(QWidget):
    """Under the trial: what the hand does, symmetry, the pen, and the light."""

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        bar, row = _bar(ui, 46)
        self._row = row
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(bar)
        group, self.tools = QButtonGroup(self), {}
        for kind in GESTURES.values():
            if not kind.points:
                continue
            button = named(QPushButton(kind.name), "pill")
            button.setCheckable(True)
            button.setIcon(pill_icon(ui, kind.icon))
            button.setIconSize(QSize(ui.px(16), ui.px(16)))
            button.setAccessibleName(kind.name)
            button.setToolTip(f"{kind.name}: {kind.help} ({ui.commands[f'tool-{kind.id}'].shortcut})")
            button.clicked.connect(partial(ui.trials.use, kind.id))
            group.addButton(button)
            row.addWidget(button)
            self.tools[kind.id] = button
        self.corner = self._switch("From a corner", "Dragged out from a corner, not from the middle", "corner")
        row.addWidget(self.corner)
        self.curve = named(QPushButton("Curve ▾"), "bar")
        self.curve.setToolTip("What can be done with the curve, and curves from elsewhere")
        self.curve.clicked.connect(
            lambda: self.curve_menu().exec(self.curve.mapToGlobal(self.curve.rect().topLeft()))
        )
        row.addWidget(self.curve)
        row.addStretch(1)
        self.mirror = self._switch("Mirror", "Marks stand on the other side, too (M)", "mirror")
        row.addWidget(self.mirror)
        self.arms = named(QPushButton(), "bar")
        self.arms.setToolTip("How often marks stand round the middle (R, Shift+R)")
        self.arms.clicked.connect(lambda: self.arms_menu().exec(self.arms.mapToGlobal(self.arms.rect().topLeft())))
        row.addWidget(self.arms)
        self.practice = self._switch("Practice pen", "Plays a pen's pressure: light at both ends", "practice")
        row.addWidget(self.practice)
        self.more = named(QPushButton("More ▾"), "bar")
        self.more.setToolTip("Symmetry, the practice pen, and from where marks are dragged out")
        self.more.clicked.connect(lambda: self.more_menu().exec(self.more.mapToGlobal(self.more.rect().topLeft())))
        row.addWidget(self.more)
        row.addSpacing(ui.px(6))
        self.light = QLabel("Light")
        row.addWidget(self.light)
        active = ui.trials
        self.dial = LightDial(
            ui, active.changed, lambda: active.lamp, lambda: active.trial.declared.lamp, active.shine
        )
        row.addWidget(self.dial)
        self.page = PaperButton(ui, active.changed, lambda: active.state.paper, lambda paper: active.set(paper=paper))
        row.addWidget(self.page)
        ui.trials.changed.connect(self.follow)
        self.follow()

    def _switch(self, words: str, tip: str, name: str) -> QPushButton:
        button = named(QPushButton(words), "pill")
        button.setCheckable(True)
        button.setToolTip(tip)
        button.clicked.connect(lambda on: self.ui.trials.set(**{name: on}))
        return button

    def more_menu(self) -> QMenu:
        """What has no room of its own in a narrow bar."""
        menu = QMenu(self)
        for id, tool in self.tools.items():
            if tool.isHidden():
                menu.addAction(GESTURES[id].name, tool.click)
        for switch in self._switches():
            choice(menu, switch.text(), switch.click, now=switch.isChecked())
        menu.addMenu(self.arms_menu()).setText(self.arms.text().removesuffix(" ▾"))
        return menu

    def curve_menu(self) -> QMenu:
        """All that can be done with a curve; what cannot be done now is greyed."""
        menu = QMenu(self)
        for n, names in enumerate(_CURVE_MENU):
            if n:
                menu.addSeparator()
            for name in names:
                command = self.ui.commands[name]
                words = command.name.removeprefix("Curve: ")
                action = menu.addAction(f"{words[:1].upper()}{words[1:]}\t{command.shortcut}", command.run)
                action.setEnabled(command.when())
        return menu

    def _switches(self) -> tuple[QPushButton, ...]:
        """Those that mean something to the tool in the hand."""
        dragged = self.ui.trials.state.tool == "drag-out"
        return (*((self.corner,) if dragged else ()), self.mirror, self.practice)

    def arms_menu(self) -> QMenu:
        """How many arms there can be."""
        menu = QMenu(self)
        for count in _ARMS:
            words, take = "No arms" if count == 1 else f"{count} arms", partial(self.ui.trials.set, arms=count)
            choice(menu, words, take, now=count == self.ui.trials.state.arms)
        return menu

    def follow(self) -> None:
        """Show what the hand does."""
        state = self.ui.trials.state
        self.on_page = self.ui.trials.trial.declared.geometry.page
        self.dial.setVisible(not self.on_page)
        self.page.setVisible(self.on_page)
        self.tools[state.tool].setChecked(True)
        for button, on in ((self.corner, state.corner), (self.mirror, state.mirror), (self.practice, state.practice)):
            button.setChecked(on)
        self._fit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fit()

    def _fit(self) -> None:
        """What can be pressed stays whole: where room is short names go, all but that of the tool in the hand."""
        state, switches = self.ui.trials.state, self._switches()
        self.curve.setVisible(GESTURES[state.tool].curve or self.ui.trials.curve.gesture is not None)
        self.arms.setText("no arms ▾" if state.arms == 1 else f"{state.arms} arms ▾")
        for names, light, apart in _TOOL_LEVELS:
            for id, button in self.tools.items():
                button.setText(GESTURES[id].name if names == "all" or (names == "one" and id == state.tool) else "")
                button.setVisible(names != "menu" or id == state.tool)
            for switch in (self.corner, self.mirror, self.practice):
                switch.setVisible(apart and switch in switches)
            self.arms.setVisible(apart)
            self.more.setVisible(not apart)
            self.light.setVisible(light and not self.on_page)
            self.practice.setText("Practice pen" if light or not apart else "Pen")
            self.page.setText("Page" if apart else "")
            if fits(self._row, self.width() - self.ui.px(34)):
                return
