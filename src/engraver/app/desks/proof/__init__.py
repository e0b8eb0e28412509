"""The proof desk: plates tried as a brush will use them."""

from ..kind import DeskKind
from .commands import proof_commands
from .desk import ProofDesk

PROOF = DeskKind(
    id="proof", name="Proof", help="The proof: plates tried as a brush will use them", icon="proof", key="Ctrl+2",
    build=ProofDesk, commands=proof_commands,
    parts=lambda d: (d.tray, d.surfaces, d.views, d.tools, d.panel, d.string),
)  # fmt: skip

__all__ = ["PROOF", "ProofDesk"]
