"""The cabinet's own actions, with their keys. Keys are our own."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import cast

from ...cabinet_state import LARGEST, SMALLEST
from ...commands import Command
from ...host import Host
from .desk import CabinetDesk

_DESK = "Cabinet"


def cabinet_commands(host: Host) -> tuple[Command, ...]:
    """Every action of the cabinet."""
    active, using = host.cabinet, host.using

    def desk() -> CabinetDesk:
        return cast(CabinetDesk, host.desk("cabinet"))

    def one() -> bool:
        return active.shown is not None

    def last() -> str:
        return active.chosen[-1]

    def on_plate(use: Callable[[str], None]) -> None:
        use(last())
        host.go_to("bench")

    def favourite() -> None:
        shown = active.shown
        if shown is not None:
            active.set_entries(active.chosen, "Favourite", favourite=not shown.favourite)

    def size(by: float) -> None:
        active.look(side=min(LARGEST, max(SMALLEST, round(active.state.side * by))))

    return (
        Command("cabinet-open", "Open at the bench", "", lambda: using.open(last(), partial(host.go_to, "bench")),
                _DESK, one, ("steps", "edit")),
        Command("cabinet-try", "Try at the proof desk", "P",
                lambda: using.try_on(last(), partial(host.go_to, "proof")), _DESK, one, ("brush", "stroke")),
        Command("cabinet-place", "Place it on the chosen plate", "",
                lambda: on_plate(using.place), _DESK, one, ("stamp",)),
        Command("cabinet-strew", "Strew it on the chosen plate", "",
                lambda: on_plate(using.strew), _DESK, one, ("scatter",)),
        Command("cabinet-tip", "The tip of the hand", "", lambda: using.as_tip(last()), _DESK, one),
        Command("cabinet-tooth", "The tooth of the brush", "", lambda: using.as_tooth(last()), _DESK, one),
        Command("cabinet-copy", "Copy the finished picture", "C", lambda: using.copy(last()), _DESK, one),
        Command("cabinet-icon", "Make the piece's icon…", "", lambda: desk().icon(), _DESK, one, ("thumbnail",)),
        Command("cabinet-write", "Save the finished files…", "", lambda: desk().write_files(), _DESK, one,
                ("export", "png")),
        Command("cabinet-near", "Near this one", "N", lambda: active.look(near=last()), _DESK, one,
                ("similar", "like", "alike")),
        Command("cabinet-favourite", "A favourite, or no more", "F", favourite, _DESK, one, ("star",)),
        Command("cabinet-large", "Large, in plaster", "", lambda: desk().show_large(), _DESK, one, ("preview",)),
        Command("cabinet-rename", "Rename, one or many…", "F2", lambda: desk().rename(), _DESK, one, ("names",)),
        Command("cabinet-mend", "Mend what is wrong", "M", lambda: using.mend(active.chosen), _DESK, one,
                ("fix", "repair")),
        Command("cabinet-forget", "Take out of the cabinet…", "Del", lambda: desk().forget(), _DESK, one,
                ("delete",)),
        Command("cabinet-find", "Find in the cabinet", "/", lambda: desk().bar.field.setFocus(), _DESK),
        Command("cabinet-take-in", "Take in a folder of finished files…", "", lambda: desk().take_in(), _DESK,
                synonyms=("import", "old")),
        Command("cabinet-drawer", "New drawer…", "", lambda: desk().drawer_acts.new(), _DESK),
        Command("cabinet-join", "Join another cabinet…", "", lambda: desk().join(), _DESK, synonyms=("import",)),
        Command("cabinet-export", "Move house: the open drawer to one file…", "", lambda: desk().export(), _DESK,
                synonyms=("export", "backup")),
        Command("cabinet-check", "Look the cabinet over", "", lambda: desk().check(), _DESK, synonyms=("repair",)),
        Command("cabinet-demo", "Fill with Saltmarrow Quay's pieces", "", lambda: desk().fill_demo(), _DESK,
                synonyms=("example",)),
        Command("cabinet-larger", "Larger pictures", "+", lambda: size(1.2), _DESK),
        Command("cabinet-smaller", "Smaller pictures", "-", lambda: size(1 / 1.2), _DESK),
        Command("cabinet-panel", "Fold the panel", "S", lambda: active.look(panel=not active.state.panel), _DESK),
    )  # fmt: skip
