"""Colours, fonts and icons, in one place."""

from .icons import icon
from .style import style_sheet
from .tokens import DAY, LAMP, THEMES, Theme

__all__ = ["DAY", "LAMP", "THEMES", "Theme", "icon", "style_sheet"]
