"""Tab goes in the order of work: from part to part of a desk, and within a part as it is read."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QScrollArea, QWidget

# Things whose middles lie so close are read as one row, in pixels.
_ROW = 14


def _areas(widget: QWidget) -> Iterator[QScrollArea]:
    """The areas that a widget is scrolled in."""
    parent = widget.parentWidget()
    while parent is not None:
        if isinstance(parent, QScrollArea):
            yield parent
        parent = parent.parentWidget()


def _middle(widget: QWidget, window: QWidget) -> QPoint:
    """Where a widget's middle would be if nothing were scrolled."""
    place = widget.mapTo(window, QPoint(widget.width() // 2, widget.height() // 2))
    for area in _areas(widget):
        place += QPoint(area.horizontalScrollBar().value(), area.verticalScrollBar().value())
    return place


def _takes_it(widget: QWidget) -> bool:
    return widget.isVisible() and widget.isEnabled() and bool(widget.focusPolicy() & Qt.FocusPolicy.TabFocus)


def _stops_in(part: QWidget, window: QWidget, also: QWidget | None = None) -> list[QWidget]:
    """What takes the focus by Tab in a part of the window, and ``also``, as it is read: row by row."""
    inside = (part, *part.findChildren(QWidget))
    found = [w for w in inside if w.window() is window and (w is also or _takes_it(w))]
    middle = {w: _middle(w, window) for w in found}
    rows: list[list[QWidget]] = []
    for widget in sorted(found, key=lambda w: middle[w].y()):
        if not rows or middle[widget].y() - middle[rows[-1][0]].y() > _ROW:
            rows.append([])
        rows[-1].append(widget)
    read = [w for row in rows for w in sorted(row, key=lambda w: middle[w].x())]
    return _one_of_each(read)


def _one_of_each(read: list[QWidget]) -> list[QWidget]:
    """Of plates or cards, among which the arrow keys walk, the chosen one stands for all; or the first."""
    chosen: dict[type, QWidget] = {}
    for widget in read:
        here = getattr(widget, "stands_for_all", None)
        if here or (here is not None and type(widget) not in chosen):
            chosen[type(widget)] = widget
    return [w for w in read if chosen.get(type(w), w) is w]


def stops(window: QWidget, parts: Sequence[QWidget], also: QWidget | None = None) -> list[QWidget]:
    """Everything in a window that takes the focus by Tab, and ``also``, part by part."""
    found: dict[QWidget, None] = {}
    for part in parts:
        found |= dict.fromkeys(_stops_in(part, window, also))
    return list(found)


def step(window: QWidget, parts: Sequence[QWidget], now: QWidget | None, forward: bool) -> bool:
    """Give the focus to the stop after a place, or before it; False where there is none.

    ``now`` is where the focus is, or was before that was hidden.
    """
    order = stops(window, parts, now)
    if not order:
        return False
    if now in order:
        place = order.index(now) + (1 if forward else -1)
    else:  # another one stands for it: on from the part that it is in
        part = next((p for p in parts if now is not None and (p is now or p.isAncestorOf(now))), None)
        inside = set(_stops_in(part, window)) if part is not None else set()
        near = [n for n, w in enumerate(order) if w in inside]
        place = (near[-1] + 1 if forward else near[0] - 1) if near else (0 if forward else len(order) - 1)
    target = order[place % len(order)]
    target.setFocus(Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason)
    for area in _areas(target):
        area.ensureWidgetVisible(target)
    return True
