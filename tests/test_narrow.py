"""A small window and large text: one view at a time, and every word in the bars whole."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog, QPushButton, QWidget

from conftest import LEFT, drop, in_dialog, settle
from engraver.app.desks.proof import ProofDesk
from engraver.app.window import Window


def _cut(view: QWidget) -> list[str]:
    """Buttons of a view's header that have less room than their words."""
    head = view.head  # type: ignore[attr-defined]
    found = [head.itemAt(n).widget() for n in range(head.count())]
    buttons = [b for b in found if isinstance(b, QPushButton) and b.isVisible()]
    assert buttons
    # Shortened words end in three dots, and say so: they are not cut.
    return [b.text() for b in buttons if b.width() < b.fontMetrics().horizontalAdvance(b.text())]


def _narrow(window: Window, wider_text: int) -> None:
    window.resize(1024, 700)
    for _ in range(wider_text):
        window.change_text(1)
    settle(window)
    QTest.qWait(60)
    assert window.width() == 1024


@pytest.mark.parametrize("wider_text", [0, 2, 5])
def test_no_word_is_cut_in_the_bars_of_a_small_window(bench: Window, wider_text: int) -> None:
    _narrow(bench, wider_text)
    desk = bench.bench
    for shown in ("both", "plate", "proof"):
        bench.looks.set(shown=shown)
        QTest.qWait(30)
        for surface in ("flat", "paper"):
            bench.studio.set_proof(surface=surface)
            settle(bench)
            for view in (desk.plate_view, desk.proof_view):
                if view.isVisible():
                    assert not _cut(view), (shown, surface)


@pytest.mark.parametrize("wider_text", [0, 2, 5])
def test_nothing_lies_over_another_in_the_row_of_readiness(window: Window, photo: Path, wider_text: int) -> None:
    _narrow(window, wider_text)
    drop(window, photo)
    row = window.bench.readiness
    shown = [v for v in row.views.values() if v.isVisible()]
    parts = [row.destination, *shown, *([row.more] if row.more.isVisible() else []), row.verdict, row.button]
    places = [QRect(p.mapTo(row, QPoint()), p.size()) for p in parts]
    assert shown and all(a.right() < b.left() for a, b in pairwise(sorted(places, key=lambda p: p.left())))
    assert (
        places[-1].right() < row.width()
        and row.button.fontMetrics().horizontalAdvance("Export…") < places[-1].width()
    )


def test_one_view_at_a_time_where_both_have_no_room(bench: Window) -> None:
    desk = bench.bench
    assert not desk.narrow and desk.plate_view.isVisible() and desk.proof_view.isVisible()
    assert not any(b.isVisible() for b in desk.swaps)
    _narrow(bench, 5)
    desk = bench.bench  # made anew with the text
    assert desk.narrow and desk.plate_view.isVisible() and not desk.proof_view.isVisible()
    swap = next(b for b in desk.swaps if b.isVisible())
    QTest.mouseClick(swap, LEFT)
    assert desk.proof_view.isVisible() and not desk.plate_view.isVisible()
    density = desk.proof_view.density
    offered = [a.text() for a in desk.proof_view.cover_menu().actions()]
    assert density.isVisible() or "1 M points" in offered  # never out of reach
    QTest.keyClick(desk.proof_view.canvas, Qt.Key.Key_V)
    assert desk.plate_view.isVisible() and not desk.proof_view.isVisible()
    bench.looks.set(settings=False)  # folded away there is room again
    bench.resize(1500, 800)
    QTest.qWait(30)
    assert not desk.narrow and not any(b.isVisible() for b in desk.swaps)
    bench.looks.set(shown="both")
    assert desk.plate_view.isVisible() and desk.proof_view.isVisible()


@pytest.mark.parametrize("wider_text", [0, 2, 5])
def test_no_word_is_cut_in_the_bars_of_the_proof_desk(bench: Window, wider_text: int) -> None:
    _narrow(bench, wider_text)
    bench.go_to("proof")
    desk = bench.desk("proof")
    assert isinstance(desk, ProofDesk)
    for surface, tool, second in (("flat", "stroke", 0), ("paper", "drag-out", 0), ("terrain", "scrape", 60_000)):
        bench.trials.set_surface(surface)
        bench.trials.use(tool)
        bench.trials.set(second=second, arms=12)
        settle(bench)
        QTest.qWait(30)
        for bar in (desk.surfaces, desk.tools):
            buttons = [b for b in bar.findChildren(QPushButton) if b.isVisible() and b.window() is bench]
            assert len(buttons) >= 2
            for button in buttons:
                icon = button.iconSize().width() if not button.icon().isNull() else 0
                need = button.fontMetrics().horizontalAdvance(button.text()) + icon
                right = button.mapTo(bar, QPoint(button.width(), 0)).x()
                assert button.width() >= need and right <= bar.width(), (surface, button.text())


@pytest.mark.parametrize("room", [(1280, 800), (1024, 700)])
def test_no_sheet_is_larger_than_its_window_at_the_largest_text(bench: Window, room: tuple[int, int]) -> None:
    """And its buttons, which make the last row, are always seen."""
    _narrow(bench, 5)
    bench.resize(*room)
    settle(bench)
    assert bench.ui.scale == 1.5
    seen: dict[str, tuple[QSize, list[str]]] = {}

    def look(sheet: QDialog) -> None:
        QTest.qWait(40)
        foot = [b for b in sheet.findChildren(QPushButton) if b.isDefault() and b.isVisible()]
        hidden = [b.text() for b in foot if not sheet.rect().contains(QRect(b.mapTo(sheet, QPoint()), b.size()))]
        seen[type(sheet).__name__] = sheet.size(), hidden
        sheet.reject()

    for id in ("add-step", "new", "export", "export-all", "what-arrives", "destinations", "split", "keys", "icon"):
        in_dialog(QDialog, look)
        bench.commands[id].do()
        settle(bench)
    assert len(seen) == 9
    for name, (size, hidden) in seen.items():
        assert size.width() <= room[0] and size.height() <= room[1] and not hidden, (name, size, hidden)
