"""The pack: what is delivered together."""

from ..kind import DeskKind
from .commands import pack_commands
from .desk import PackDesk

PACK = DeskKind(
    id="pack", name="Pack", help="The pack: plates and brushes delivered together", icon="pack", key="Ctrl+4",
    build=PackDesk, commands=pack_commands,
    parts=lambda d: (d.bar, d.shelf, d.sheet, d.panel),
)  # fmt: skip

__all__ = ["PACK", "PackDesk"]
