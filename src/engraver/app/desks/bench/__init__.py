"""The bench: where plates are made."""

from ..kind import DeskKind
from .commands import bench_commands
from .desk import Bench

BENCH = DeskKind(
    id="bench", name="Bench", help="The bench: source, steps, plate and proof", icon="bench", key="Ctrl+1",
    build=Bench, commands=bench_commands,
    parts=lambda d: (d.tray, d.line, d.settings, d.capture_view, d.plate_view, d.proof_view, d.readiness),
)  # fmt: skip

__all__ = ["BENCH", "Bench"]
