"""Exporting: for several destinations at once, again to the same files, onto the clipboard, out of the tray."""

from __future__ import annotations

import json
import shutil
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any
from uuid import uuid4

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QGuiApplication, QImage

from engraver.core.engine import Request, resolve
from engraver.core.errors import EngraverError, FileTrouble
from engraver.core.files.atomic import write_bytes
from engraver.core.files.names import file_stem
from engraver.core.files.write import Signed, quantise
from engraver.core.readiness.export import Order, delivered, write_orders
from engraver.core.readiness.normals import normal_map_file

from .filing import Filing
from .jobs import Check
from .measuring import Full
from .studio import Studio

MOST = 200


@dataclass(frozen=True, slots=True)
class ExportWish:
    """Which files to write, and how."""

    orders: tuple[Order, ...]
    replace: bool = False
    normals: Path | None = None
    author: str = ""
    dated: bool = False

    def paths(self) -> list[Path]:
        more = [self.normals] if self.normals is not None else []
        return [path for order in self.orders for path in order.paths()] + more


class Exports(QObject):
    """Remembers, per plate, what was exported last; on this machine, beside the preferences."""

    written = Signal(object)

    def __init__(self, studio: Studio, filing: Filing, home: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.studio, self.filing = studio, filing
        self._file, self._out = home / "exports.json", home / "dragged"
        self._kept: dict[str, Any] = _read(self._file)

    # -- what is remembered ------------------------------------------------------------

    @property
    def author(self) -> str:
        return str(self._kept.get("author", ""))

    def folder_for(self, id: str) -> Path | None:
        """Where a destination's files go on this machine, if that was ever said."""
        found = self._kept.get("folders", {})
        text = found.get(id) if isinstance(found, dict) else None
        return Path(text) if isinstance(text, str) and text else None

    def set_folder(self, id: str, folder: str) -> None:
        self._kept["folders"] = {**self._kept.get("folders", {}), id: folder}
        self._store()

    def last(self, plate_id: str) -> ExportWish | None:
        """The last export of a plate, as far as its destinations are still there."""
        kept = self._kept.get("plates", {}).get(plate_id)
        if not isinstance(kept, dict):
            return None
        known = self.studio.destinations
        orders = tuple(
            Order(known[o["to"]], Path(o["folder"]), o["stem"], bool(o["reverse"]))
            for o in kept.get("orders", ()) if o.get("to") in known
        )  # fmt: skip
        return ExportWish(orders, True, author=self.author, dated=bool(kept.get("dated"))) if orders else None

    def _remember(self, plate_id: str, wish: ExportWish) -> None:
        orders = [
            {"to": o.destination.id, "folder": str(o.folder), "stem": o.stem, "reverse": o.reverse}
            for o in wish.orders
        ]
        plates = dict(self._kept.get("plates", {}))
        plates.pop(plate_id, None)
        plates[plate_id] = {"orders": orders, "dated": wish.dated}
        self._kept["plates"] = dict(list(plates.items())[-MOST:])
        self._kept["author"] = wish.author
        self._store()

    def _store(self) -> None:
        try:
            self._file.parent.mkdir(parents=True, exist_ok=True)
            write_bytes(self._file, json.dumps(self._kept).encode())
        except (OSError, FileTrouble):
            return  # it is only remembered until the program ends

    # -- doing it ----------------------------------------------------------------------

    def export(self, plate_id: str, full: Full, wish: ExportWish, strength: float = 0.0, note: str = "") -> None:
        """Write the finished plate's files, one by one; what went wrong is told with what was written."""
        filing = self.filing
        filing.busy_with.emit("Exporting…")
        signed = Signed(wish.author, datetime.now() if wish.dated else None)
        raster = full.result.raster

        def work(check: Check) -> list[Path]:
            paths = write_orders(raster, wish.orders, overwrite=wish.replace, signed=signed, check=check)
            if wish.normals is not None:
                write_bytes(wish.normals, normal_map_file(raster, strength), overwrite=wish.replace)
                paths.append(wish.normals)
            return paths

        def done(paths: list[Path]) -> None:
            filing.busy_with.emit("")
            self._remember(plate_id, wish)
            notes = [o.destination.note for o in wish.orders if o.destination.note]
            said = [note, *dict.fromkeys(notes)]
            more = "".join(f" · {n}" for n in said if n)
            folders = {p.parent for p in paths}
            where = str(paths[0].parent) if len(folders) == 1 else f"{len(folders)} folders"
            names = " and ".join(p.name for p in paths) if len(paths) < 4 else f"{len(paths)} files"
            self.studio.told.emit(f"Exported {names} to {where}{more}", "good")
            self.written.emit(paths)

        def failed(error: EngraverError) -> None:
            filing.busy_with.emit("")
            self.studio.told.emit(error.sentence(), "fault")

        filing.lane.submit(work, done, failed)

    def copy_picture(self, full: Full) -> None:
        """The finished picture, as it would be delivered, onto the clipboard."""
        image = self.studio.attempt(lambda: self._image(full))
        if image is not None:
            QGuiApplication.clipboard().setImage(image)
            self.studio.told.emit(f"Copied: {image.width()} × {image.height()}, 16-bit grey.", "good")

    def _image(self, full: Full) -> QImage:
        one = delivered(full.result.raster, Order(self.studio.destination, Path(), ""))
        stored = np.ascontiguousarray(quantise(one.pixels, "16"))
        rows, columns = stored.shape
        return QImage(stored.data, columns, rows, 2 * columns, QImage.Format.Format_Grayscale16).copy()

    def finished_files(self, plate_id: str) -> list[Path]:
        """A plate's finished files in a folder of their own, for a drag out of the tray. Raises EngraverError."""
        studio = self.studio
        plate = studio.project.plate(plate_id)
        line = resolve(studio.project, plate_id, studio.sources)
        raster = studio.engine.evaluate(line, Request(exact=True)).raster
        folder = self._out / uuid4().hex[:8]
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise FileTrouble(f"{folder} cannot be made", error.strerror or "", "Free some space") from error
        side = max(raster.width, raster.height)
        to = studio.destinations.get(plate.ready_for, studio.usual)
        order = Order(to, folder, to.stem(plate.name, side))
        return write_orders(raster, (order,), overwrite=True)

    def first_stem(self, name: str) -> str:
        return file_stem(name)

    def end(self) -> None:
        """What was dragged out has been taken over by then."""
        shutil.rmtree(self._out, ignore_errors=True)


def _read(path: Path) -> dict[str, Any]:
    """What was kept; nothing where it is missing or broken."""
    try:
        values = json.loads(path.read_bytes())
    except (OSError, ValueError):
        return {}
    good = isinstance(values, dict) and all(isinstance(values.get(k, {}), Mapping) for k in ("plates", "folders"))
    return dict(values) if good else {}
