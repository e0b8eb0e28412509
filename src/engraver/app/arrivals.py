"""Pictures that arrive: in a watched folder, from the clipboard, from the practice camera."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QObject, QTimer, Signal
from PySide6.QtGui import QGuiApplication, QImage

from engraver.core.errors import EngraverError
from engraver.core.files.atomic import write_bytes
from engraver.core.sources import EXTENSIONS as SOURCES
from engraver.demo.papers import knot_drawings
from engraver.demo.photos import sand_ripples
from engraver.standins.devices import Camera
from engraver.standins.phone import PracticeCamera

from .filing import Filing
from .studio import Studio

LOOK_MS = 800


class Arrivals(QObject):
    """Watches one folder: what appears there and has stopped growing becomes a plate."""

    watching = Signal(str)

    def __init__(self, studio: Studio, filing: Filing, camera_folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.studio, self.filing = studio, filing
        self.folder: Path | None = None
        self.camera: Camera = PracticeCamera((
            ("knot_page", lambda: knot_drawings(900, 1260).rgb), ("ripples", lambda: sand_ripples(900, 1200).rgb)
        ))  # fmt: skip
        self._camera_folder = camera_folder
        self._known: set[str] = set()
        self._growing: dict[str, int] = {}
        self._timer = QTimer(self, interval=LOOK_MS)
        self._timer.timeout.connect(self.look)

    def watch(self, folder: Path | None) -> None:
        """Watch a folder from now on; what is in it already is left alone. None stops watching."""
        self._timer.stop()
        self.folder, self._growing = folder, {}
        if folder is None:
            self.watching.emit("")
            return
        try:
            self._known = {p.name for p in folder.iterdir()}
        except OSError:
            self._gone()
            return
        self._timer.start()
        self.watching.emit(folder.name)
        self.studio.told.emit(f"Watching {folder.name}: new pictures there become plates.", "good")

    def _gone(self) -> None:
        name = self.folder.name if self.folder is not None else ""
        self.folder = None
        self._timer.stop()
        self.watching.emit("")
        self.studio.told.emit(
            f"The folder {name} cannot be read any more, so it is not watched. Your plates are as they were.", "look"
        )

    def look(self) -> None:
        """Look into the folder once: a new file is taken when its size is the same as at the last look."""
        if self.folder is None:
            return
        arrived = []
        try:
            for path in sorted(self.folder.iterdir()):
                if path.name in self._known or path.suffix.lower() not in SOURCES or not path.is_file():
                    continue
                size = path.stat().st_size
                if size > 0 and self._growing.get(path.name) == size:
                    arrived.append(path)
                    self._known.add(path.name)
                self._growing[path.name] = size
        except OSError:
            self._gone()
            return
        if arrived:
            self.filing.open_paths(arrived)

    def pause(self) -> None:
        """Look only when told to; the folder stays the watched one."""
        self._timer.stop()

    def shoot(self) -> None:
        """The practice camera takes a photo and hands it over through its folder, as a phone would."""
        try:
            self._camera_folder.mkdir(parents=True, exist_ok=True)
            name, data = self.camera.shoot()
            if self.folder != self._camera_folder:
                self.watch(self._camera_folder)
            path = self._camera_folder / name
            write_bytes(path, data)
            self._known.discard(name)
        except OSError as error:
            sentence = error.sentence() if isinstance(error, EngraverError) else str(error)
            self.studio.told.emit(f"The practice camera cannot hand over its photo. {sentence}", "fault")
            return
        self.studio.told.emit(f"{self.camera.name}: {name} is on its way.", "good")

    def paste(self) -> None:
        """What the clipboard holds: picture files, or a picture."""
        clipboard = QGuiApplication.clipboard()
        data = clipboard.mimeData()
        paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()] if data is not None else []
        if paths:
            self.filing.open_paths(paths)
            return
        image = clipboard.image()
        if image.isNull():
            self.studio.told.emit("There is no picture on the clipboard.", "look")
            return
        self.filing.open_bytes(png_of(image), "pasted.png")


def png_of(image: QImage) -> bytes:
    """A Qt picture as a PNG file's bytes."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload]
    return bytes(buffer.data().data())
