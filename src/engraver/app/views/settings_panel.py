"""The settings of the chosen step: built from its declaration, with our own editors on top."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from engraver.core.errors import EngraverError
from engraver.core.files.picture import Reading
from engraver.core.mesh.capture import Capture
from engraver.core.params import BY_HAND, Params, specs
from engraver.core.raster import Facts
from engraver.core.recipe import Step, edits
from engraver.core.recipe.models import Blank, Source
from engraver.core.steps.contrast import Curve, Levels
from engraver.core.steps.falloff import Falloff
from engraver.core.steps.frame import Crop, locked
from engraver.core.steps.grey import Grey
from engraver.core.steps.shape import Bevel

from ..editors.brush_box import BrushBox
from ..editors.capture_box import CaptureBox, find_again_button
from ..editors.curve_box import CurveBox
from ..editors.falloff import FalloffBox
from ..editors.finder_box import FinderBox
from ..editors.form_box import FormBox
from ..editors.grey_box import GreyBox
from ..editors.hand_box import HandBox
from ..editors.levels import LevelsBox
from ..editors.match_box import MatchBox
from ..editors.own_editor import OWNED, own_editor
from ..editors.rows import ListRow, Row, SourceRow, row_for
from ..editors.tone_picks import TonePicks
from ..pictures import Look
from ..ui import Ui, named

WIDTH = 278
# The rows of a mesh's capture in the order of work; the frame's place is set in the view alone.
_CAPTURE_ROWS = (
    "roll_out", "view", "turn", "tilt", "roll", "axis", "cone", "band", "along", "body", "frame", "margin", "depth",
    "lo", "hi", "zero_at", "picked", "side", "samples", "skip_back", "unit",
)  # fmt: skip


class SettingsPanel(QWidget):
    """Follows the chosen step; every gesture becomes an edit in the studio."""

    find_again = Signal(object)

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        named(self, "paper")
        self.setFixedWidth(ui.px(WIDTH))
        self._shown: tuple[str, str] | None = None
        self.rows: dict[str, Row] = {}
        self.editor: QWidget | None = None
        self.picks: TonePicks | None = None
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
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.viewport().setAutoFillBackground(False)
        outer.addWidget(area, 1)
        self._area = area
        self.found = named(QLabel(), "second")
        self.found.setWordWrap(True)
        self.revealer: QPushButton | None = None
        ui.studio.project_changed.connect(self.follow)
        ui.studio.selection_changed.connect(self.follow)
        ui.pictures.looked.connect(self._looked)
        ui.pictures.measured.connect(self.follow)
        ui.pictures.failed.connect(self._failed)
        ui.captures.known.connect(self.follow)
        ui.hand.toned.connect(self._toned)
        self.follow()

    # -- following -----------------------------------------------------------------

    def follow(self, _: object = None) -> None:
        """Show what the model holds; rebuild only when another step is chosen."""
        studio = self.ui.studio
        plate, step = studio.plate, studio.step
        if plate is None:
            self.title.setText("Nothing open")
            self.help.setText("Open or drop a photo: it becomes a plate with a line of steps.")
            self.reset.hide()
            self._rebuild(("", ""), None)
            return
        if step is not None:
            self.title.setText(step.title)
            self.help.setText(step.declared.help if step.on else f"{step.declared.help} It is off.")
            self.reset.setVisible(bool(specs(step.declared.params)))
            if self._shown != (step.uid, step.kind):
                self._rebuild((step.uid, step.kind), step.declared.params)
            self._show(step.params)
            self._show_editor(step)
            return
        source = studio.project.source(plate.source)
        self.title.setText("Source")
        self.help.setText(self._source_words(source))
        self.reset.hide()
        if self._shown != ("source", plate.id):
            if source.kind == "blank":
                self._rebuild(("source", plate.id), Blank)
            elif source.kind == "mesh":
                self._rebuild(("source", plate.id), Capture, _CAPTURE_ROWS)
            else:
                self._rebuild(("source", plate.id), Reading, self._reading_fields(source))
            if self.ui.studio.sources.missing(source):
                self._offer_to_find(source)
        self._show(Blank(side=source.side, grey=source.grey) if source.kind == "blank" else plate.reading)

    def _source_words(self, source: Source) -> str:
        if source.kind == "blank":
            return "An even grey, to start a plate from nothing."
        if source.kind == "mesh":
            return self._mesh_words(source)
        try:
            known = self.ui.studio.sources.picture_facts(source)
            return f"{source.name} · {known.words()} · fills a plate up to {known.sharp_side} px sharply"
        except EngraverError as error:
            return error.sentence()

    def _mesh_words(self, source: Source) -> str:
        plate, known = self.ui.studio.plate, self.ui.captures.facts()
        unit = plate.reading.unit if plate is not None and isinstance(plate.reading, Capture) else ""
        if known is None or plate is None:
            return source.name
        return f"{source.name} · {known.words(unit)}"

    def _offer_to_find(self, source: Source) -> None:
        """The file that was linked is not at its place."""
        inside = self._area.widget()
        body = inside.layout() if inside is not None else None
        assert isinstance(body, QVBoxLayout)
        body.insertWidget(0, find_again_button(self.ui, source, self.find_again.emit))

    def _reading_fields(self, source: Source) -> tuple[str, ...]:
        try:
            facts = self.ui.studio.sources.picture_facts(source)
        except EngraverError:
            return ()
        lo_hi = ("lo", "hi") if facts.samples in ("float", "signed") else ()
        return (*lo_hi, "reversed", *(("page",) if facts.pages > 1 else ()))

    def _facts(self) -> Facts:
        line = self.ui.studio.attempt(self.ui.studio.line)
        if line is None:
            return Facts(1, 1)
        return line.facts[line.place_before(self.ui.studio.step_uid)]  # type: ignore[no-any-return]

    def _rebuild(self, key: tuple[str, str], model: type[Params] | None, only: tuple[str, ...] | None = None) -> None:
        self._shown = key
        self.rows = {}
        self.editor = self.revealer = self.picks = None
        self.found = named(QLabel(), "second")
        self.found.setWordWrap(True)
        body = QWidget()
        box = QVBoxLayout(body)
        box.setContentsMargins(0, self.ui.px(4), self.ui.px(10), self.ui.px(6))
        box.setSpacing(self.ui.px(10))
        step = self.ui.studio.step
        owned: tuple[str, ...] = ()
        if step is not None and model is not None:
            self.editor = own_editor(self.ui, step)
            owned = OWNED.get(step.declared.editor, ())
            if self.editor is not None:
                if isinstance(self.editor, CurveBox):
                    self.editor.edited.connect(lambda points: self._edit({"points": points}))
                else:
                    self.editor.edited.connect(self._edit)  # type: ignore[attr-defined]
                self.editor.finished.connect(self.ui.studio.seal)  # type: ignore[attr-defined]
                box.addWidget(self.editor)
            if isinstance(step.params, Levels | Curve):
                self.picks = TonePicks(self.ui, step)
                self.picks.edited.connect(self._edit)
                self.picks.finished.connect(self.ui.studio.seal)
                box.addWidget(self.picks)
            if step.declared.finders:
                finders = FinderBox(self.ui, step)
                finders.edited.connect(self._edit)
                finders.finished.connect(self.ui.studio.seal)
                box.addWidget(finders)
            if step.declared.reveal is not None:
                box.addWidget(self._reveal_button(step))
        if model is Capture:
            box.addWidget(CaptureBox(self.ui, self.ui.captures))
        if model is not None:
            if step is not None:
                box.addWidget(self.found)
            known = specs(model)
            for name, spec in [(n, known[n]) for n in only or known]:
                if name in owned or spec.kind in BY_HAND:
                    continue
                row = row_for(self.ui, spec)
                row.edited.connect(lambda value, n=name: self._edit({n: value}))
                row.finished.connect(self.ui.studio.seal)
                row.refused.connect(lambda words: self.ui.studio.told.emit(words, "look"))
                self.rows[name] = row
                box.addWidget(row)
        box.addStretch(1)
        old = self._area.takeWidget()
        self._area.setWidget(body)
        if old is not None:
            old.hide()
            old.deleteLater()

    def _reveal_button(self, step: Step) -> QPushButton:
        """Shows what the step found in place of its result, while it is down."""
        button = named(QPushButton(f"Show {step.declared.revealed}"), "profile")
        button.setCheckable(True)
        button.setChecked(self.ui.studio.revealing)
        button.setFixedHeight(self.ui.px(28))
        button.setToolTip(f"The plate view shows {step.declared.revealed} instead of the result. (I)")
        button.clicked.connect(lambda on: self.ui.studio.reveal(bool(on)))
        self.revealer = button
        return button

    def _show(self, params: Params) -> None:
        values = params.values()
        facts = self._facts()
        for name, row in self.rows.items():
            row.setVisible(row.spec.applies(values))
            if isinstance(row, SourceRow):
                row.show_sources(self.ui.studio)
            elif isinstance(row, ListRow):
                known = self.ui.captures.facts()
                bodies = known.bodies if known is not None else ()
                row.offer([(0, "All together"), *((n + 1, body) for n, body in enumerate(bodies))])
                row.setVisible(len(bodies) > 1)
            if values[name] is not None:
                row.show_value(values[name], facts)

    def _show_editor(self, step: Step) -> None:
        look = self.ui.pictures.look
        counts = look.histogram if look is not None and look.uid == step.uid else None
        after = look.after if look is not None and look.uid == step.uid else None
        toned = self.ui.hand.toned_at
        autos = dict(look.finished.autos.get(step.uid, {})) if look is not None else {}
        editor, params = self.editor, step.params
        if isinstance(editor, LevelsBox) and isinstance(params, Levels):
            held = params.find == "held" or not autos
            ends = (params.black, params.white) if held else (autos["black"], autos["white"])
            editor.show_values(params, ends, counts)
            editor.show_after(after, toned)
            if self.picks is not None:
                self.picks.show_values(step, ends, look)
        elif isinstance(editor, CurveBox) and isinstance(params, Curve):
            editor.show_points(params.points, straight=params.joined == "straight")
            editor.show_counts(counts)
            editor.show_after(after, toned)
            if self.picks is not None:
                self.picks.show_values(step, (0.0, 1.0), look)
        elif isinstance(editor, FormBox) and isinstance(params, Bevel):
            editor.show_values(params)
        elif isinstance(editor, MatchBox):
            editor.show_plates()
        elif isinstance(editor, FalloffBox) and isinstance(params, Falloff):
            editor.show_values(params)
        elif isinstance(editor, GreyBox) and isinstance(params, Grey):
            editor.show_values(step, params)
        elif isinstance(editor, HandBox):
            editor.show_marks(getattr(params, "marks", ()))
        elif isinstance(editor, BrushBox):
            editor.show_marks(getattr(params, "marks", ()))
            editor.setVisible(getattr(params, "how", "marks") == "marks")
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

    def _looked(self, look: Look | None) -> None:
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
            source = studio.project.source(plate.source)
            if source.kind == "blank":
                studio.edit(edits.set_blank(studio.project, source.id, **changes), "Change the blank", "blank")
                return
            if "roll_out" in changes:
                self.ui.captures.roll_out(changes["roll_out"])
                return
            if "view" in changes:
                self.ui.captures.look_from(changes["view"])
                return
            if isinstance(plate.reading, Capture):
                self.ui.captures.change("Change the capture", **changes)
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
        spec = specs(step.declared.params)[name]
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
