"""The pack's own actions, with their keys. Keys are our own."""

from __future__ import annotations

from typing import cast

from ...commands import Command
from ...host import Host
from .desk import PackDesk

_DESK = "Pack"


def pack_commands(host: Host) -> tuple[Command, ...]:
    """Every action of the pack."""
    active = host.pack

    def desk() -> PackDesk:
        return cast(PackDesk, host.desk("pack"))

    def some() -> bool:
        return bool(active.chosen)

    def whole() -> bool:
        return bool(active.pack.items)

    def add_plate() -> None:
        plate, some = host.studio.plate, host.besides.all
        if plate is not None:
            active.add(some)
            words = f"{plate.name} is" if len(some) == 1 else f"{len(some)} plates are"
            host.studio.told.emit(f"{words} in the pack.", "good")

    return (
        Command("pack-write", "Write the pack…", "Ctrl+Shift+P", lambda: desk().write(), _DESK, whole,
                ("export", "zip", "deliver")),
        Command("pack-fix", "Fix all in the pack", "M", active.fix_all, _DESK, whole, ("repair",)),
        Command("pack-leave-faults", "Leave out what has a fault", "", lambda: desk().leave_faults(), _DESK, whole),
        Command("pack-add-plate", "Put the plate into the pack", "Ctrl+P", add_plate, _DESK,
                lambda: host.studio.plate is not None),
        Command("pack-add-all", "Put all of the project into the pack", "", lambda: desk().shelf.add_all.click(),
                _DESK),
        Command("pack-remove", "Take out of the pack", "Del", lambda: active.remove(active.chosen), _DESK, some,
                ("delete",)),
        Command("pack-name", "Name the chosen piece", "F2", lambda: desk().sheet.name_chosen(), _DESK, some,
                ("rename",)),
        Command("pack-rename", "Rename many in the pack…", "R", lambda: desk().rename(), _DESK, whole),
        Command("pack-arrives", "What arrives: the pack as other programs read it…", "", lambda: desk().arrives(),
                _DESK, whole, ("receive", "test")),
        Command("pack-open", "Open a pack of anybody's…", "", lambda: desk().open_pack(), _DESK,
                synonyms=("check", "stranger", "import")),
        Command("pack-compare", "Compare with a pack that was written…", "", lambda: desk().compare(), _DESK, whole,
                ("difference", "version")),
    )  # fmt: skip
