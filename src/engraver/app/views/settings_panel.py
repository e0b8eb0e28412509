"""The settings of the chosen step: built from its declaration, with our own editors on top."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from engraver.core.errors import EngraverError
from engraver.core.params import Params, specs
from engraver.core.raster import Facts
from engraver.core.recipe import Plate, Source, Step, edits
from engraver.core.sources import SourceKind
from engraver.core.steps.frame import Crop, locked

from ..editors.row import Row
from ..editors.rows import ListRow
from ..editors.seen import Seen
from ..editors.table import as_editor
from ..looking import PlateViewPicture
from ..ui import Ui, let_go, named, scrolled
from .settings_page import SOURCE_EDITS, SettingsPage

WIDTH = 278
# So many kinds of settings are kept ready.
PAGES = 9
# So many rows are made before the hand is let in again.
AT_ONCE = 5


class SettingsPanel(QWidget):
    """Follows the chosen step; every gesture becomes an edit in the studio."""

    find_again = Signal(object)

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        named(self, "paper")
        self.setFixedWidth(ui.px(WIDTH))
        self._shown: tuple[str, str] | None = None
        self._page = SettingsPage(ui)
        self._pages: dict[tuple[object, ...], SettingsPage] = {}
        outer = QVBoxLayout(self)
        outer.setContentsMargins(ui.px(14), ui.px(10), ui.px(4), ui.px(6))
        outer.setSpacing(ui.px(4))
        head = QHBoxLayout()
        self.title = named(QLabel(), "title")
        self.reset = named(QPushButton("Reset all"), "link")
        self.reset.clicked.connect(self._reset_all)
        head.addWidget(self.title, 1)
        head.addWidget(self.reset)
        head.setContentsMargins(0, 0, ui.px(10), 0)
        outer.addLayout(head)
        self.help = named(QLabel(), "second")
        self.help.setWordWrap(True)
        self.help.setContentsMargins(0, 0, ui.px(10), 0)
        outer.addWidget(self.help)
        self.trouble = QLabel()
        self.trouble.setWordWrap(True)
        self.trouble.setStyleSheet(f"color: {ui.theme.fault}; font-weight: 600;")
        self.trouble.hide()
        outer.addWidget(self.trouble)
        self._stack = QStackedWidget()
        self._stack.addWidget(self._page)
        self._area = scrolled(self._stack)
        outer.addWidget(self._area, 1)
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self._follow_now)
        self._more = QTimer(self, singleShot=True, interval=0)
        self._more.timeout.connect(self._fill_more)
        ui.studio.project_changed.connect(self.follow)
        ui.studio.selection_changed.connect(self.follow)
        ui.pictures.looked.connect(self._looked)
        ui.pictures.measured.connect(self.follow)
        ui.pictures.failed.connect(self._failed)
        ui.captures.known.connect(self.follow)
        ui.hand.toned.connect(self._toned)
        self.follow()

    # -- following -----------------------------------------------------------------

    @property
    def rows(self) -> dict[str, Row]:
        """The rows shown, by the name of their setting."""
        return self._page.rows

    @property
    def editors(self) -> tuple[QWidget, ...]:
        """The editors of our own above the rows."""
        return self._page.editors

    @property
    def revealer(self) -> QPushButton | None:
        """Shows what the step found."""
        return self._page.revealer

    @property
    def found(self) -> QLabel:
        """What the step found, in words."""
        return self._page.found

    def _wanted(self) -> tuple[str, str]:
        """What the settings are to be of: a step, a plate's source, or nothing."""
        studio = self.ui.studio
        plate, step = studio.plate, studio.step
        if plate is None:
            return "", ""
        return (step.uid, step.kind) if step is not None else ("source", plate.id)

    def follow(self, _: object = None) -> None:
        """Show what the model holds: at once for the same step, when the hand pauses for another one."""
        self._show_head()
        if self._wanted() == self._shown:
            self._follow_now()
        else:
            self._soon.start()

    def _show_head(self) -> None:
        studio = self.ui.studio
        plate, step = studio.plate, studio.step
        self.reset.setVisible(step is not None and bool(specs(step.declared.params)))
        if plate is None:
            self.title.setText("Nothing open")
            self.help.setText("Open or drop a photo: it becomes a plate with a line of steps.")
        elif step is not None:
            help = step.declared.help
            self.title.setText(step.title)
            self.help.setText(help if step.on else f"{help} It is off.")
        else:
            self.title.setText("Source")
            self.help.setText(self._source_words(plate, *studio.source(plate)))

    def _follow_now(self) -> None:
        studio = self.ui.studio
        plate, step, wanted = studio.plate, studio.step, self._wanted()
        changed, self._shown = wanted != self._shown, wanted
        if plate is None:
            self._show_page(("",), lambda page: None)
            return
        if step is not None:
            if changed:
                self._show_page(("step", step.kind), lambda page: self._fill_step(page, step))
            self._show(step.params)
            self._show_editor(step)
            return
        source, kind = studio.source(plate)
        if changed:
            fields = kind.shown(source)
            self._show_page(("source", kind.id, *fields), lambda page: self._fill_source(page, kind, fields))
        missing = studio.sources.missing(source)
        self._page.find_button.setVisible(missing)
        self._page.missing = source if missing else None
        self._show(plate.reading)

    def _source_words(self, plate: Plate, source: Source, kind: SourceKind) -> str:
        try:
            return kind.words(source, plate.reading, self.ui.studio.sources)
        except EngraverError as error:
            return error.sentence()

    def _facts(self) -> Facts:
        line = self.ui.studio.attempt(self.ui.studio.line)
        if line is None:
            return Facts(1, 1)
        return line.facts[line.place_before(self.ui.studio.step_uid)]  # type: ignore[no-any-return]

    def _show_page(self, key: tuple[object, ...], fill: Callable[[SettingsPage], None]) -> None:
        """Bring up the page of this key; it is made when first wanted and kept, so that cards change at once."""
        page = self._pages.pop(key, None)
        if page is None:
            page = SettingsPage(self.ui)
            page.edited.connect(self._edit)
            page.finished.connect(self.ui.studio.seal)
            page.find_button.clicked.connect(lambda: self.find_again.emit(self._page.missing))
            page.box.addStretch(1)
            self._stack.addWidget(page)
            before, self._page = self._page, page
            fill(page)
            self._page = before
        self._pages[key] = page  # the last one used stands last
        if page is not self._page:
            let_go(self._page)
            # Only the page in use counts for how long the panel scrolls.
            self._page.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Ignored)
            page.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
            self._page = page
            self._stack.setCurrentWidget(page)
            if page.coming:
                self._more.start()
            self._area.verticalScrollBar().setValue(0)
        while len(self._pages) > PAGES:
            old = self._pages.pop(next(iter(self._pages)))
            self._stack.removeWidget(old)
            old.deleteLater()

    def _fill_step(self, page: SettingsPage, step: Step) -> None:
        page.fill_step(step)
        if step.declared.reveal is not None:
            page.put_revealer(self._reveal_button(step))
        self._fill_more()

    def _fill_source(self, page: SettingsPage, kind: SourceKind, fields: tuple[str, ...]) -> None:
        page.fill_source(kind, fields)
        self._fill_more()

    def _fill_more(self) -> None:
        """A few rows at a time, so that the hand can go on in between."""
        page = self._page
        if page.make_rows(AT_ONCE):
            self._more.start()
        if page.params is not None:
            self._show(page.params)

    @property
    def filling(self) -> bool:
        """Whether rows are still to come."""
        return self._more.isActive() or self._soon.isActive()

    def _reveal_button(self, step: Step) -> QPushButton:
        """Shows what the step found in place of its result, while it is down."""
        button = named(QPushButton(f"Show {step.declared.revealed}"), "profile")
        button.setCheckable(True)
        button.setChecked(self.ui.studio.revealing)
        button.setFixedHeight(self.ui.px(28))
        button.setToolTip(f"The plate view shows {step.declared.revealed} instead of the result. (I)")
        button.clicked.connect(lambda on: self.ui.studio.reveal(bool(on)))
        return button

    def _show(self, params: Params) -> None:
        self._page.params = params
        values = params.values()
        facts = self._facts()
        for name, row in self.rows.items():
            row.setVisible(row.spec.applies(values))
            row.follow(self.ui.studio)
            if type(row) is ListRow:
                known = self.ui.captures.facts()
                bodies = known.bodies if known is not None else ()
                row.offer([(0, "All together"), *((n + 1, body) for n, body in enumerate(bodies))])
                row.setVisible(len(bodies) > 1)
            if values[name] is not None:
                row.show_value(values[name], facts)

    def _show_editor(self, step: Step) -> None:
        look = self.ui.pictures.look
        autos = dict(look.finished.autos.get(step.uid, {})) if look is not None else {}
        mine = look if look is not None and look.uid == step.uid else None
        seen = Seen(mine, autos, self.ui.hand.toned_at)
        for widget in self._page.all_editors:
            as_editor(widget).show_step(step, seen)
        if self.revealer is not None:
            self.revealer.setChecked(self.ui.studio.revealing)
        self._tell_found(step, autos)

    def _tell_found(self, step: Step, autos: dict[str, float]) -> None:
        """What the step found by itself, in its own words."""
        kind = step.declared
        waits = kind.measure is not None and kind.measures(step.params) and not autos
        words = "" if waits else kind.tells(step.params, autos)
        words = " ".join(w for w in (words, self._wrap_words(step)) if w)
        look = self.ui.pictures.look
        if words and autos and look is not None and look.finished.provisional:
            words += " · measuring…"
        self.found.setText(words)
        self.found.setVisible(bool(words))

    def _wrap_words(self, step: Step) -> str:
        """Said of a step after which a tile repeats no more, or one way only."""
        line = self.ui.studio.attempt(self.ui.studio.line)
        if line is None or not step.on:
            return ""
        before, after = line.facts[line.place_before(step.uid)].wrap, line.facts[line.place_after(step.uid)].wrap
        lost = [way for way, b, a in zip(("across", "down"), before, after, strict=True) if b and not a]
        return f"After this step the plate no longer repeats {' and '.join(lost)}." if lost else ""

    def _looked(self, look: PlateViewPicture | None) -> None:
        step = self.ui.studio.step
        if look is not None and step is not None and self._shown == (step.uid, step.kind):
            self._show_editor(step)

    def _toned(self, _: float) -> None:
        step = self.ui.studio.step
        if step is not None and self._shown == (step.uid, step.kind):
            self._show_editor(step)

    def _failed(self, uid: str, sentence: str) -> None:
        self.trouble.setText(sentence)
        self.trouble.setVisible(bool(sentence))

    # -- editing -------------------------------------------------------------------

    def _edit(self, changes: dict[str, Any]) -> None:
        studio = self.ui.studio
        plate, step = studio.plate, studio.step
        if plate is None:
            return
        if step is None:
            handler = SOURCE_EDITS.get(studio.source(plate)[1].editor)
            if handler is not None:
                handler(self.ui, changes)
            else:
                studio.attempt(lambda: studio.set_reading(**changes))
            return
        if changes == {"find": "held"}:  # what was found stays as numbers
            look = self.ui.pictures.look
            found = dict(look.finished.autos.get(step.uid, {})) if look is not None else {}
            changes = {**changes, **{k: round(v, 4) for k, v in found.items()}}
        if isinstance(step.params, Crop):
            changes = locked(step.params, changes)
        name = next(iter(changes))
        spec = specs(step.declared.params).get(name)
        if spec is None:  # typed for a step that is no longer chosen
            return
        studio.attempt(
            lambda: studio.set_params(
                step.uid, f"{step.title}: {spec.label.lower()}", f"{step.uid}.{name}", **changes
            )
        )

    def _reset_all(self) -> None:
        studio = self.ui.studio
        if studio.plate is not None and studio.step is not None:
            step = studio.step
            studio.edit(edits.reset_params(studio.project, studio.plate.id, step.uid), f"Reset {step.title}")
