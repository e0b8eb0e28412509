"""The cabinet: every alpha and brush kept, across projects."""

from ..kind import DeskKind
from .commands import cabinet_commands
from .desk import CabinetDesk

CABINET = DeskKind(
    id="cabinet", name="Cabinet", help="The cabinet: every alpha and brush you keep", icon="cabinet", key="Ctrl+3",
    build=CabinetDesk, commands=cabinet_commands, undo_stack=lambda host: host.cabinet_undo,
    parts=lambda d: (d.drawers, d.bar, d.wall, d.panel, d),
)  # fmt: skip

__all__ = ["CABINET", "CabinetDesk"]
