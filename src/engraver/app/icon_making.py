"""The icon maker's job: a plate's or a piece's icon, seen and written."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from engraver.core.cabinet import Cabinet
from engraver.core.cabinet.to_keep import reduced
from engraver.core.engine import Request, resolve
from engraver.core.errors import EngraverError, Watch
from engraver.core.files.atomic import write_bytes
from engraver.core.files.names import file_stem
from engraver.core.files.write import encode_picture
from engraver.core.pressing.tip import heights, heights_of
from engraver.core.proof.icon import Kind
from engraver.core.raster import Pixels
from engraver.core.words import counted

from .host import Host
from .views.icon_sheet import IconSheet

# As much of a plate as an icon shows.
_SIDE = 1024


def icon_of_plate(host: Host, plate_id: str) -> None:
    """The icon of a plate of the project, as it is finished."""
    studio = host.studio
    plate = next((p for p in studio.project.plates if p.id == plate_id), None)
    if plate is None:
        studio.told.emit("There is no plate to make an icon of: open or begin one first.", "look")
        return
    project = studio.project

    def tall(check: Watch) -> Pixels:
        line = resolve(project, plate_id, studio.sources)
        raster = studio.engine.evaluate(line, Request(side=_SIDE), check).raster
        return heights_of(raster)

    _ask(host, plate.name, tall, project.pack.icon)


def icon_of_piece(host: Host, entry_id: str, name: str) -> None:
    """The icon of a piece of the cabinet."""
    folder, session = host.cabinet.folder, host.cabinet.session

    def tall(check: Watch) -> Pixels:
        with Cabinet(folder, session) as cabinet:
            entry = cabinet.entry(entry_id)
            return heights(reduced(cabinet.picture(entry), _SIDE), entry.zero)

    _ask(host, name, tall, "ball")


def _ask(host: Host, name: str, tall: Callable[[Watch], Pixels], kind: Kind) -> None:
    sheet = IconSheet(host.ui, host.widget, name, tall, kind)
    if sheet.exec() and sheet.height_ is not None:
        folder = host.ui.files.folder(host.widget, "Where the icons go", "finished")
        if folder is not None:
            _write(host, sheet, name, folder)
    sheet.deleteLater()


def _write(host: Host, sheet: IconSheet, name: str, folder: Path) -> None:
    height, sides = sheet.height_, sheet.written()
    assert height is not None
    make = {side: sheet.maker() for side in sides}

    def work(check: Watch) -> list[Path]:
        paths = []
        for side in sides:
            path = folder / f"{file_stem(name)}-{side}.png"
            write_bytes(path, encode_picture(make[side](side, height, check)))
            paths.append(path)
        return paths

    def done(paths: list[Path]) -> None:
        host.studio.told.emit(f"{counted(len(paths), 'icon')} in {folder}", "good")

    def failed(error: EngraverError) -> None:
        host.studio.told.emit(error.sentence(), "fault")

    host.filing.tasks.add(f"Making icons of {name}…", work, done, failed, must=True)
