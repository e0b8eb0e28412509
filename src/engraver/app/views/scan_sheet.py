"""Scanning: choose a sheet, a resolution and a region, look at a preview, scan line by line."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QVBoxLayout, QWidget

from engraver.core.errors import EngraverError, Watch
from engraver.standins.devices import WHOLE, Region, Scanner, ScanSettings

from ..editors.rows import Choice
from ..lanes import LatestLane
from ..painting import picture_of
from ..ui import Ui, named
from .sheet import Sheet

DPI = (75, 150, 200, 300, 600, 1200)
LEAST = 0.03


class Bed(QWidget):
    """The preview; drag over it for the region, double-click for the whole bed."""

    changed = Signal()

    def __init__(self, ui: Ui) -> None:
        super().__init__()
        self.ui = ui
        self.image: QImage | None = None
        self.region: Region = WHOLE
        self.done = 0.0
        self._from: QPointF | None = None
        self.setMinimumSize(ui.px(480), ui.px(370))
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName("The scanner's bed")

    def target(self) -> QRectF:
        """Where the bed is drawn."""
        if self.image is None:
            return QRectF(self.rect()).adjusted(8, 8, -8, -8)
        scale = min((self.width() - 16) / self.image.width(), (self.height() - 16) / self.image.height())
        rect = QRectF(0, 0, self.image.width() * scale, self.image.height() * scale)
        rect.moveCenter(QRectF(self.rect()).center())
        return rect

    def _share(self, place: QPointF) -> QPointF:
        t = self.target()
        x, y = (place.x() - t.left()) / t.width(), (place.y() - t.top()) / t.height()
        return QPointF(min(1.0, max(0.0, x)), min(1.0, max(0.0, y)))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._from = self._share(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is None:
            return
        here = self._share(event.position())
        left, right = sorted((self._from.x(), here.x()))
        top, bottom = sorted((self._from.y(), here.y()))
        if right - left > LEAST and bottom - top > LEAST:
            self.region = (left, top, right, bottom)
            self.changed.emit()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._from = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.region = WHOLE
        self.changed.emit()
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), self.ui.colour("surround"))
        t = self.target()
        if self.image is not None:
            painter.drawImage(t, self.image)
        left, top, right, bottom = self.region
        frame = QRectF(
            QPointF(t.left() + left * t.width(), t.top() + top * t.height()),
            QPointF(t.left() + right * t.width(), t.top() + bottom * t.height()),
        )
        outside, inside = QPainterPath(), QPainterPath()
        outside.addRect(t)
        inside.addRect(frame)
        painter.fillPath(outside.subtracted(inside), QColor(20, 20, 18, 140))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((QColor(20, 20, 18, 180), 3.4), (QColor("#FFFFFF"), 1.6)):
            painter.setPen(QPen(colour, width))
            painter.drawRect(frame)
        if 0 < self.done < 1:
            y = frame.top() + frame.height() * self.done
            painter.setPen(QPen(self.ui.colour("accent"), 2.4))
            painter.drawLine(QPointF(frame.left(), y), QPointF(frame.right(), y))


class ScanSheet(Sheet):
    """Follows one scanner; what was scanned is taken by :attr:`scanned`."""

    _line = Signal(int, int)

    def __init__(self, ui: Ui, parent: QWidget, scanner: Scanner) -> None:
        super().__init__(ui, parent)
        self.scanner = scanner
        self.scanned: tuple[bytes, str] | None = None
        self.setWindowTitle("Scan")
        self.resize(ui.px(720), ui.px(600))
        box = QVBoxLayout(self)
        box.setContentsMargins(ui.px(18), ui.px(14), ui.px(18), ui.px(14))
        box.setSpacing(ui.px(10))
        box.addWidget(named(QLabel(scanner.name), "title"))
        row = QHBoxLayout()
        row.setSpacing(ui.px(8))
        self.sheet, self.dpi, self.bits = Choice(ui), Choice(ui), Choice(ui)
        for name in scanner.sheets():
            self.sheet.addItem(name, name)
        for dpi in DPI:
            self.dpi.addItem(f"{dpi} DPI", dpi)
        self.dpi.setCurrentIndex(DPI.index(200))
        for bits in (8, 16):
            self.bits.addItem(f"{bits} bits", bits)
        for label, choice in (("Sheet", self.sheet), ("Resolution", self.dpi), ("Depth", self.bits)):
            row.addWidget(QLabel(label))
            choice.setAccessibleName(label)
            row.addWidget(choice, 1)
        box.addLayout(row)
        self.bed = Bed(ui)
        box.addWidget(self.bed, 1)
        self.words = named(QLabel(), "second")
        box.addWidget(self.words)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(ui.px(6))
        box.addWidget(self.progress)
        foot = QHBoxLayout()
        foot.addStretch(1)
        self.stop = QPushButton("Cancel")
        self.stop.clicked.connect(self._stop)
        self.go = named(QPushButton("Scan"), "main")
        self.go.setDefault(True)
        self.go.clicked.connect(self.scan)
        foot.addWidget(self.stop)
        foot.addWidget(self.go)
        box.addLayout(foot)
        self.lane = LatestLane("scanner", stop_old=True, parent=self)
        self.finished.connect(lambda _: self.lane.end())
        self._line.connect(self._lines, Qt.ConnectionType.QueuedConnection)
        self.sheet.currentIndexChanged.connect(self.look)
        for choice in (self.dpi, self.bits):
            choice.currentIndexChanged.connect(self._tell)
        self.bed.changed.connect(self._tell)
        self.look()

    @property
    def settings(self) -> ScanSettings:
        """What is set now."""
        return ScanSettings(int(self.dpi.currentData()), self.bed.region, self.bits.currentData())

    def look(self) -> None:
        """A preview of the sheet that lies on the bed."""
        name = str(self.sheet.currentData())
        self.words.setText("Looking at the bed…")
        self.go.setEnabled(False)

        def done(array: object) -> None:
            self.bed.image = picture_of(array)  # type: ignore[arg-type]
            self.bed.update()
            self.go.setEnabled(True)
            self._tell()

        self.lane.submit(lambda check: self.scanner.preview(name), done, self._failed)

    def _tell(self) -> None:
        left, top, right, bottom = self.bed.region
        wide, tall = self.scanner.size()
        dpi = int(self.dpi.currentData())
        columns, rows = round((right - left) * wide * dpi), round((bottom - top) * tall * dpi)
        self.words.setText(
            f"{columns} × {rows} px · fills a plate up to {min(columns, rows)} px sharply · "
            "drag over the bed for a part of it, double-click for the whole"
        )

    def scan(self) -> None:
        """Scan the region; every line is told."""
        name, settings = str(self.sheet.currentData()), self.settings
        self.go.setEnabled(False)
        self.stop.setText("Stop")

        def work(check: Watch) -> bytes:
            def told(done: int, whole: int) -> None:
                check()
                self._line.emit(done, whole)

            return self.scanner.scan(name, settings, told)

        self.lane.submit(work, partial(self._scanned, name, settings), self._failed)

    def _lines(self, done: int, whole: int) -> None:
        self.progress.setMaximum(whole)
        self.progress.setValue(done)
        self.bed.done = done / max(1, whole)
        self.words.setText(f"Scanning line {done} of {whole}…")
        self.bed.update()

    def _scanned(self, name: str, settings: ScanSettings, data: bytes) -> None:
        ending = "png" if settings.depth == 8 else "tif"
        stem = "_".join(name.lower().split())
        self.scanned = (data, f"{stem}_{settings.dpi}dpi.{ending}")
        self.accept()

    def _failed(self, error: EngraverError) -> None:
        self.words.setText(error.sentence())
        self.go.setEnabled(True)
        self.stop.setText("Cancel")

    def _stop(self) -> None:
        """Stop a scan that runs; else leave."""
        if self.stop.text() == "Stop":
            self.lane.submit(lambda check: None, lambda _: None, self._failed)
            self.progress.setValue(0)
            self.bed.done = 0.0
            self.bed.update()
            self.go.setEnabled(True)
            self.stop.setText("Cancel")
            self.words.setText("Stopped: nothing was taken.")
        else:
            self.reject()
