"""The style sheet: what Qt's own widgets look like here."""

from __future__ import annotations

from .icons import ICONS
from .tokens import Theme


def style_sheet(t: Theme, scale: float) -> str:
    """Qt style sheet of a theme; ``scale`` is the text size."""

    def px(value: float) -> str:
        return f"{round(value * scale)}px"

    return f"""
* {{ font-family: Inter; font-size: {px(12)}; color: {t.ink}; }}
QMainWindow, QDialog, #paper {{ background: {t.paper}; }}
#panel {{ background: {t.panel}; }}
#picturebar {{ background: {t.bar}; }}
#picturebar QLabel {{ color: {t.on_bar}; }}
QToolTip {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; padding: 4px 6px; }}
QLabel {{ background: transparent; }}
QLabel#title {{ font-size: {px(15)}; font-weight: 600; }}
QLabel#second {{ color: {t.ink_2}; font-size: {px(11)}; }}
QLabel#caps {{ color: {t.ink_2}; font-size: {px(10)}; font-weight: 600; letter-spacing: 1px; }}
QLabel[changed="yes"] {{ font-weight: 600; }}
QPushButton {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 6px; padding: 4px 10px; }}
QPushButton:hover {{ border-color: {t.ink_2}; }}
QPushButton:focus {{ border: 1px solid {t.accent}; outline: none; }}
QPushButton:disabled {{ color: {t.ink_2}; background: {t.panel}; }}
QPushButton#main {{ background: {t.accent}; color: {t.on_accent}; border: 1px solid {t.accent};
  font-weight: 600; font-size: {px(13)}; padding: 6px 16px; }}
QPushButton#main:hover {{ border-color: {t.ink}; }}
QPushButton#main:focus {{ border: 2px solid {t.ink}; padding: 5px 15px; }}
QPushButton#main:disabled {{ background: {t.well}; color: {t.ink_2}; border-color: {t.line}; }}
QPushButton#link {{ background: transparent; border: 1px solid transparent; color: {t.accent};
  padding: 1px 3px; }}
QPushButton#link:hover {{ text-decoration: underline; }}
QPushButton#link:focus {{ border-color: {t.accent}; }}
QPushButton#pill {{ background: transparent; color: {t.on_bar_2}; border: 1px solid transparent;
  border-radius: {px(8)}; padding: 2px {px(9)}; }}
QPushButton#pill:hover {{ color: {t.on_bar}; border-color: {t.bar_line}; }}
QPushButton#pill:checked, QPushButton#pill[said="yes"] {{ background: #F7F5F0; color: #1F2430; }}
QPushButton#pill:focus {{ border-color: {t.accent}; }}
QPushButton#bar {{ background: transparent; color: {t.on_bar}; border: 1px solid transparent; padding: 2px 6px; }}
QPushButton#bar:hover, QPushButton#bar:focus {{ border-color: {t.bar_line}; }}
QPushButton#rail {{ background: transparent; border: none; border-radius: 6px; padding: 4px 0; }}
QPushButton#rail:hover {{ background: {t.paper}; }}
QPushButton#rail:focus {{ border: 1px solid {t.accent}; }}
QPushButton#profile {{ padding: 2px; font-size: {px(10)}; }}
QPushButton#profile:checked {{ background: {t.accent_soft}; border: 1px solid {t.accent}; font-weight: 600; }}
QPushButton#tab {{ background: transparent; border: 1px solid transparent; border-radius: 0;
  border-bottom: 2px solid transparent; color: {t.ink_2}; padding: 3px 4px; font-weight: 600; }}
QPushButton#tab:hover {{ color: {t.ink}; }}
QPushButton#tab:checked {{ color: {t.ink}; border-bottom: 2px solid {t.accent}; }}
QPushButton#tab:focus {{ color: {t.accent}; }}
QLineEdit {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 5px; padding: 2px 6px;
  selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
QLineEdit:focus {{ border-color: {t.accent}; }}
QLabel#look {{ color: {t.look}; }}
QLineEdit[wrong="yes"] {{ border: 1px solid {t.fault}; }}
QLineEdit:read-only, QLineEdit:disabled, QComboBox:disabled {{ background: transparent; color: {t.ink_2}; }}
QPlainTextEdit {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 5px; padding: 2px 4px;
  selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
QPlainTextEdit:focus {{ border-color: {t.accent}; }}
QLineEdit#finder {{ border-radius: 9px; padding: 4px 12px; }}
QComboBox {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 5px; padding: 3px 8px; }}
QComboBox:hover {{ border-color: {t.ink_2}; }}
QComboBox:focus {{ border-color: {t.accent}; }}
QComboBox::drop-down {{ border: none; width: {px(20)}; }}
QComboBox::down-arrow {{ image: none; }}
QComboBox QAbstractItemView {{ background: {t.card}; border: 1px solid {t.line}; outline: none; padding: 3px;
  selection-background-color: {t.accent_soft}; selection-color: {t.ink}; }}
QMenu {{ background: {t.card}; border: 1px solid {t.line}; padding: 4px; }}
QMenu::item {{ padding: 5px 22px 5px 14px; border-radius: 4px; }}
QMenu::item:selected {{ background: {t.accent_soft}; }}
QMenu::item:disabled {{ color: {t.ink_2}; }}
QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 8px; }}
QMenu::indicator {{ width: 14px; height: 14px; }}
QListWidget, QListView {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 6px; outline: none; }}
QListWidget::item {{ padding: 6px 8px; border-radius: 4px; }}
QListWidget::item:selected {{ background: {t.accent_soft}; color: {t.ink}; }}
QTreeView {{ background: {t.card}; border: 1px solid {t.line}; alternate-background-color: {t.card}; }}
QTreeView::item:selected {{ background: {t.accent_soft}; color: {t.ink}; }}
QHeaderView::section {{ background: {t.panel}; border: none; padding: 3px 6px; }}
QToolButton {{ background: {t.panel}; border: 1px solid {t.line}; border-radius: 4px; padding: 2px; }}
QScrollArea {{ background: transparent; border: none; }}
QScrollArea#framed {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 6px; }}
QScrollArea > QWidget > QWidget {{ background: transparent; }}
QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 4px; min-height: 28px; }}
QScrollBar:horizontal {{ background: transparent; height: 9px; margin: 0; }}
QScrollBar::handle:horizontal {{ background: {t.line}; border-radius: 4px; min-width: 28px; }}
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{
  background: transparent; border: none; width: 0; height: 0; }}
QSplitter::handle {{ background: {t.bar}; }}
QSplitter::handle:hover {{ background: {t.accent}; }}
QProgressBar {{ background: {t.well}; border: none; border-radius: 3px; }}
QProgressBar::chunk {{ background: {t.accent}; border-radius: 3px; }}
QCheckBox {{ spacing: 8px; }}
QCheckBox::indicator, QListView::indicator, QTreeView::indicator {{
  width: 15px; height: 15px; border: 1px solid {t.ink_2}; border-radius: 3px; background: {t.card}; }}
QCheckBox::indicator:checked, QListView::indicator:checked, QTreeView::indicator:checked {{
  background: {t.good}; border-color: {t.good};
  image: url("{(ICONS / f"tick-{t.id}.svg").as_posix()}"); }}
QCheckBox:focus {{ color: {t.accent}; }}
"""
