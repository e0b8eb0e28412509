"""Exporting: for several destinations at once, again to the same files, onto the clipboard, out of the tray."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any
from uuid import uuid4

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QGuiApplication, QImage

from engraver.core.engine import Request, resolve
from engraver.core.errors import Cancelled, EngraverError, Watch, file_trouble
from engraver.core.files.atomic import write_bytes
from engraver.core.files.names import file_stem, typed_path
from engraver.core.files.write import Signed, quantise
from engraver.core.readiness.export import Order, delivered, orders_for, write_orders
from engraver.core.readiness.normals import normal_map_file

from .filing import Filing
from .measuring import MeasuredPlate
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
        self._kept, self.trouble = _read(self._file)

    # -- what is remembered ------------------------------------------------------------

    @property
    def author(self) -> str:
        return str(self._kept.get("author", ""))[:200]

    def folder_for(self, id: str) -> Path | None:
        """Where a destination's files go on this machine, if that was ever said."""
        found = self._kept.get("folders", {})
        text = found.get(id) if isinstance(found, dict) else None
        return typed_path(text) if isinstance(text, str) and text else None

    def set_folder(self, id: str, folder: str) -> None:
        self._kept["folders"] = {**self._kept.get("folders", {}), id: folder}
        self._store()

    def last(self, plate_id: str) -> ExportWish | None:
        """The last export of a plate, as far as its destinations are still there."""
        kept = self._kept.get("plates", {}).get(plate_id)
        known = self.studio.destinations
        try:
            orders = tuple(
                Order(known[o["to"]], typed_path(str(o["folder"])), str(o["stem"]), bool(o["reverse"]))
                for o in kept["orders"] if o.get("to") in known
            )  # fmt: skip
            dated = bool(kept.get("dated"))
        except (TypeError, KeyError, AttributeError):
            return None  # nothing was kept, or something by another hand
        return ExportWish(orders, True, author=self.author, dated=dated) if orders else None

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
        self.filing.write_soon(self._file, json.dumps(self._kept).encode())

    # -- doing it ----------------------------------------------------------------------

    def export(
        self, plate_id: str, full: MeasuredPlate, wish: ExportWish, strength: float = 0.0, note: str = ""
    ) -> None:
        """Write the finished plate's files, one by one; what went wrong is told with what was written."""
        signed = Signed(wish.author, datetime.now() if wish.dated else None)
        raster = full.result.raster

        def work(check: Watch) -> list[Path]:
            paths = write_orders(raster, wish.orders, overwrite=wish.replace, signed=signed, check=check)
            if wish.normals is not None:
                write_bytes(wish.normals, normal_map_file(raster, strength), overwrite=wish.replace)
                paths.append(wish.normals)
            return paths

        def done(paths: list[Path]) -> None:
            self._remember(plate_id, wish)
            notes = [o.destination.note for o in wish.orders if o.destination.note]
            said = [note, *dict.fromkeys(notes)]
            more = "".join(f" · {n}" for n in said if n)
            folders = {p.parent for p in paths}
            where = str(paths[0].parent) if len(folders) == 1 else f"{len(folders)} folders"
            names = " and ".join(p.name for p in paths) if len(paths) < 4 else f"{len(paths)} files"
            self.studio.told.emit(f"Exported {names} to {where}{more}", "good")
            self.written.emit(paths)

        first = wish.paths()[0].name if wish.paths() else "nothing"
        self.filing.tasks.add(f"Exporting {first}…", work, done, self._failed, must=True)

    def export_together(self, jobs: Sequence[tuple[str, tuple[Order, ...]]]) -> None:
        """Write the files of several plates, those that are there replaced; where one fails the others are written,
        and it is told."""
        studio = self.studio
        project, engine, signed = studio.project, studio.engine, Signed(self.author)
        names = {p.id: p.name for p in project.plates}

        def work(check: Watch) -> tuple[list[Path], list[str]]:
            paths: list[Path] = []
            wrong: list[str] = []
            for n, (id, orders) in enumerate(jobs):
                check(n / len(jobs))
                try:
                    for folder in {order.folder for order in orders}:
                        folder.mkdir(parents=True, exist_ok=True)
                    raster = engine.evaluate(resolve(project, id, engine.sources), Request(exact=True), check).raster
                    paths += write_orders(raster, orders, overwrite=True, signed=signed, check=check)
                except Cancelled:
                    raise
                except EngraverError as error:
                    wrong.append(f"{names[id]}: {error.sentence()}")
                except OSError as error:
                    raise file_trouble("made", orders[0].folder, error) from error
            return paths, wrong

        def done(found: tuple[list[Path], list[str]]) -> None:
            paths, wrong = found
            words = f"Exported {len(paths)} files of {len(jobs) - len(wrong)} plates"
            words += f" to {paths[0].parent}" if paths else ""
            more = f" · not {wrong[0]}" + (f" And {len(wrong) - 1} more." if len(wrong) > 1 else "") if wrong else ""
            studio.told.emit(words + more, "fault" if wrong else "good")
            self.written.emit(paths)

        self.filing.tasks.add(f"Exporting {len(jobs)} plates…", work, done, self._failed, must=True)

    def _failed(self, error: EngraverError) -> None:
        self.studio.told.emit(error.sentence(), "fault")

    def copy_picture(self, full: MeasuredPlate) -> None:
        """The finished picture, as it would be delivered, onto the clipboard."""
        image = self.studio.attempt(lambda: self._image(full))
        if image is not None:
            QGuiApplication.clipboard().setImage(image)
            self.studio.told.emit(f"Copied: {image.width()} × {image.height()}, 16-bit grey.", "good")

    def _image(self, full: MeasuredPlate) -> QImage:
        one = delivered(full.result.raster, Order(self.studio.destination, Path(), ""))
        stored = np.ascontiguousarray(quantise(one.pixels, "16"))
        rows, columns = stored.shape
        return QImage(stored.data, columns, rows, 2 * columns, QImage.Format.Format_Grayscale16).copy()

    def finish_files(self, plate_id: str, ready: Callable[[list[Path]], None]) -> None:
        """Make a plate's finished files in a folder of their own, for a drag out of the tray."""
        studio = self.studio
        plate = studio.project.plate(plate_id)
        to = studio.destination_of(plate)
        project, engine, sources, folder = studio.project, studio.engine, studio.sources, self._out / uuid4().hex[:8]

        def work(check: Watch) -> list[Path]:
            raster = engine.evaluate(resolve(project, plate_id, sources), Request(exact=True), check).raster
            try:
                folder.mkdir(parents=True, exist_ok=True)
            except OSError as error:
                raise file_trouble("made", folder, error) from error
            size = raster.width, raster.height
            orders = orders_for((to,), file_stem(plate.name), size, lambda _: folder)
            return write_orders(raster, orders, overwrite=True, check=check)

        self.filing.tasks.add(f"Making the files of {plate.name}…", work, ready, self._failed)

    def first_stem(self, name: str) -> str:
        return file_stem(name)

    def end(self) -> None:
        """What was dragged out has been taken over by then."""
        shutil.rmtree(self._out, ignore_errors=True)


def _read(path: Path) -> tuple[dict[str, Any], str]:
    """What was kept, and a word when it is broken."""
    damaged = (
        f"{path.name} is damaged: what was exported last is not remembered. Your plates and files are untouched."
    )
    try:
        values = json.loads(path.read_bytes())
    except FileNotFoundError:
        return {}, ""
    except (OSError, ValueError, RecursionError):
        return {}, damaged
    good = isinstance(values, dict) and all(isinstance(values.get(k, {}), dict) for k in ("plates", "folders"))
    return (values, "") if good else ({}, damaged)
