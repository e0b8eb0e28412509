"""What can be done with whole plates: twins, families, another source, sheets, shared recipes."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from engraver.core.engine import Request
from engraver.core.errors import BadValue, EngraverError, Watch
from engraver.core.params import FieldSpec, specs, typed_value
from engraver.core.raster import Facts
from engraver.core.recipe import Step, edits, many
from engraver.core.recipe.first import READ_AS, shipped_recipe
from engraver.core.recipe.models import Source
from engraver.core.sources import EXTENSIONS as SOURCES
from engraver.core.sources import First
from engraver.core.sources.intake import Prepared, prepare

from .freezing import remove
from .host import Host
from .views.family_sheet import FamilySheet
from .views.plate_item import rename_plate
from .views.share_sheet import ShareSheet
from .views.splitter import Splitter

SPLIT_SIDE = 1400


def typed_values(text: str, spec: FieldSpec, facts: Facts) -> list[Any]:
    """Values typed with commas or spaces between them; bare numbers are in the unit shown. Raises BadValue."""
    words = [w for w in text.replace(";", ",").replace(",", " ").split() if w]
    return [typed_value(w, spec, facts) for w in words]


class PlateActions:
    """Gestures on plates; each becomes one edit of the studio."""

    def __init__(self, host: Host) -> None:
        self.host, self.studio = host, host.studio

    def _id(self) -> str:
        plate = self.studio.plate
        assert plate is not None
        return plate.id

    def _choose(self, plate_id: str) -> None:
        self.studio.choose_plate(plate_id)

    def rename(self) -> None:
        """Another name for the chosen plate."""
        rename_plate(self.host.widget, self.studio, self._id())

    def move(self, by: int) -> None:
        """The chosen plates so many places down the tray, together."""
        project, chosen = self.studio.project, self.host.besides.all
        first = next(n for n, p in enumerate(project.plates) if p.id in chosen)
        self.move_to(first + by)

    def move_to(self, place: int) -> None:
        """The chosen plates to a place of the tray, counted without them."""
        chosen = self.host.besides.all
        moved = edits.move_plates(self.studio.project, chosen, place)
        self.studio.edit(moved, "Move a plate" if len(chosen) == 1 else f"Move {len(chosen)} plates")

    def duplicate(self) -> None:
        chosen = self.host.besides.all
        project, new = many.duplicate_plates(self.studio.project, chosen)
        self.studio.edit(project, "Duplicate the plate" if len(chosen) == 1 else f"Duplicate {len(chosen)} plates")
        self._choose(new[0])
        self.host.besides.choose(new)

    def remove(self) -> None:
        """Take the chosen plates away."""
        remove(self.studio, self.host.pictures, self.host.besides.all)

    def from_source(self) -> None:
        """Another plate of the same source, with a crop of its own."""
        project, new = many.plate_from_source(self.studio.project, self._id())
        self.studio.edit(project, "New plate from this source")
        self._choose(new)
        crop = next((s.uid for s in self.studio.steps if s.kind == "crop"), None)
        if crop is not None:
            self.studio.choose_step(crop)

    def _failed(self, error: EngraverError) -> None:
        self.studio.told.emit(error.sentence(), "fault")

    def read_as(self, what: str) -> None:
        """Start the chosen plates' lines again for sources of this kind; their files are looked at elsewhere."""
        studio, chosen = self.studio, self.host.besides.all
        asked = [(p, *studio.source(p)) for p in studio.project.plates if p.id in chosen]
        wanted = [(plate, source) for plate, source, kind in asked if what in kind.read_as]

        def work(check: Watch) -> dict[str, First]:
            return {p.id: studio.sources.first(source, what, p.reading, check) for p, source in wanted}

        def done(found: dict[str, First]) -> None:
            sources = {p.id: p.source for p in studio.project.plates}
            same = {p.id: found[p.id] for p, source in wanted if sources.get(p.id) == source.id}
            if same:
                studio.read_as(same)

        if wanted:
            self.host.pictures.ask("", work, done)

    def replace_source(self) -> None:
        """Ask for a better photo of the same thing; the steps stay."""
        kinds = " ".join(f"*{e}" for e in SOURCES)
        path = self.host.ui.files.open(
            self.host.widget, "Replace the source", "source", f"Pictures and meshes ({kinds});;All files (*)"
        )
        if path is not None:
            self.take_source(path)

    def take_source(self, path: Path) -> None:
        """Put the picture at ``path`` in the place of the chosen plate's source."""
        studio, plate = self.studio, self._id()

        def done(found: Prepared) -> None:
            project = many.replace_source(studio.project, plate, found.source)
            project = edits.replace_reading(project, plate, found.first.reading, found.first.read_as)
            studio.edit(project, f"Replace the source by {path.name}")

        self.host.filing.tasks.add(
            f"Opening {path.name}…", lambda check: prepare(path, studio.sources, check), done, self._failed
        )

    def find_again(self, source: Source) -> None:
        """Ask where a linked source lies now."""
        path = self.host.ui.files.open(self.host.widget, f"Find {source.name}", "source", "All files (*)")
        if path is not None:
            self.relink(source, path)

    def relink(self, source: Source, path: Path) -> None:
        """Take the file at ``path`` for the linked source, when it is the same by its contents."""
        studio = self.studio

        def done(found: Path) -> None:
            studio.edit(edits.set_link(studio.project, source.id, found), f"Find {source.name} again")
            self.host.pictures.tray.forget()
            self.host.pictures.refresh()

        self.host.filing.tasks.add(
            f"Looking into {path.name}…", lambda check: studio.sources.relink(source, path), done, self._failed
        )

    def family(self) -> None:
        """One parameter of the chosen step over several values."""
        step = self.studio.step
        if step is None:
            self.studio.told.emit("Choose the step whose setting should vary first.", "look")
            return
        fields = {n: s for n, s in specs(step.declared.params).items() if FamilySheet.suits(s)}
        if not fields:
            self.studio.told.emit(f"{step.title} has no setting that could vary.", "look")
            return
        sheet = FamilySheet(self.host.ui, self.host.widget, step, fields)
        wanted = sheet.wish() if sheet.exec() else None
        sheet.deleteLater()
        if wanted is not None:
            self.studio.attempt(lambda: self.make_family(step, *wanted))

    def make_family(self, step: Step, field: str, text: str) -> None:
        """Plates over the values typed in ``text``. Raises BadValue."""
        line = self.studio.line()
        assert line is not None
        facts = line.facts[line.place_before(step.uid)]
        values = typed_values(text, specs(step.declared.params)[field], facts)
        if not values:
            raise BadValue("A family needs values", "none was typed", "Type some, such as 0, 25, 50")
        project = many.family(self.studio.project, self._id(), step.uid, field, values)
        self.studio.edit(project, f"A family of {len(values)}")

    def share(self) -> None:
        """Choose which plates follow this plate's recipe."""
        sheet = ShareSheet(self.host.ui, self.host.widget)
        chosen = sheet.wish() if sheet.exec() else None
        sheet.deleteLater()
        if chosen is not None:
            self.share_with(*chosen)

    def share_with(self, others: tuple[str, ...], parted: tuple[str, ...] = ()) -> None:
        """Let ``others`` follow this plate's recipe and give ``parted`` lines of their own again."""
        project = many.share_recipe(self.studio.project, self._id(), others) if others else self.studio.project
        for plate in parted:
            project = many.part_from_recipe(project, plate)
        self.studio.edit(project, "Share the recipe")

    def follow_shipped(self, kind: str) -> None:
        """Put a recipe that ships in the place of the plate's line."""
        recipe = shipped_recipe(kind)  # type: ignore[arg-type]
        self.studio.edit(many.follow_recipe(self.studio.project, self._id(), recipe), f"Recipe {READ_AS[kind]}")  # type: ignore[index]

    def only_here(self, uid: str, on: bool) -> None:
        """Keep a step to this plate, or share it again."""
        word = "only here" if on else "shared"
        self.studio.attempt(
            lambda: self.studio.edit(
                edits.set_only_here(self.studio.project, self._id(), uid, on), f"Make a step {word}"
            )
        )

    def split(self) -> None:
        """Find the separate drawings of a page and make each a plate."""
        studio = self.studio
        line = studio.attempt(studio.line)
        if line is None or studio.plate is None:
            return
        crop = many.crop_of(studio.project, studio.plate.id)
        steps = studio.steps
        if crop is not None:
            request = Request(upto=crop.uid, side=SPLIT_SIDE, before=True)
        else:
            place = many.crop_place(studio.project, studio.plate.id)
            request = Request(upto=steps[place - 1].uid if place else "", side=SPLIT_SIDE)

        def done(result: Any) -> None:
            sheet = Splitter(self.host.ui, self.host.widget, result)
            wish = sheet.wish() if sheet.exec() else None
            sheet.deleteLater()
            if wish is not None:
                size = (result.facts.width, result.facts.height)
                studio.attempt(lambda: self.make_parts(wish.boxes, size, wish.margin, wish.keep))

        def work(check: Watch) -> Any:
            return studio.engine.evaluate(line, request, check)

        self.host.pictures.ask("", work, done)

    def make_parts(self, boxes: tuple[many.Box, ...], size: tuple[int, int], margin: float, keep: bool) -> None:
        """A plate for each box. Raises BadValue when there is none."""
        project, first = many.split_sheet(self.studio.project, self._id(), boxes, size, margin=margin, keep=keep)
        self.studio.edit(project, f"Split the sheet into {len(boxes)}")
        self._choose(first)
