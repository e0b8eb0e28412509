"""``engraver open`` and ``engraver demo``: the window."""

from __future__ import annotations

import gc
from functools import cached_property
from pathlib import Path

import click

from engraver.app.start_wish import StartWish


class _Surfaces(click.Choice[str]):
    """What the proof can show. The table is read when it is asked for: the window must not wait for it."""

    def __init__(self) -> None:
        self.case_sensitive = True

    @cached_property
    def choices(self) -> tuple[str, ...]:  # type: ignore[override]
        from engraver.core.surfaces import ON_BENCH

        return tuple(ON_BENCH)


@click.command("open")
@click.argument("files", metavar="[PROJECT]", nargs=-1, type=click.Path(path_type=Path))
def open_(files: tuple[Path, ...]) -> None:
    """Open the window, with a project or pictures."""
    gc.disable()  # starting makes little but what stays: the window lets it begin after its first paint
    from engraver.app.launch import run

    raise SystemExit(run(StartWish(files=files)))


@click.command()
@click.option("--offscreen-shot", "shot", type=click.Path(path_type=Path), help="Draw the window into a PNG and end.")
@click.option("--theme", type=click.Choice(["day", "lamp"]), help="The look, for this time.")
@click.option("--surface", type=_Surfaces(), help="What the proof starts with.")
@click.option("--plate", default="", help="The plate to begin with, by its name.")
@click.option("--step", default="", help="The step to begin with, by its id, or source.")
@click.option("--reveal", is_flag=True, help="Show what that step found.")
@click.option(
    "--sheet",
    type=click.Choice(["split", "export", "arrives", "destinations", "starts", "icon"]),
    help="Begin with a sheet open.",
)
@click.option("--repeat", is_flag=True, help="Show the plate repeated.")
@click.option("--large", is_flag=True, help="Begin with the capture view of a mesh.")
@click.option("--trial", default="", help="The trial to begin with on the proof desk, by its name.")
@click.option("--gesture", type=click.IntRange(0), default=0, help="The gesture that is chosen, counted from 1.")
@click.option("--beside", type=click.IntRange(0, 4_000_000), default=0, help="Points of a second density beside it.")
@click.option("--group", default="", help="The group of stroke settings that is open, by its id.")
@click.option(
    "--desk", default="", help="The desk to begin with, by its id; an empty cabinet is filled with the demo's."
)
@click.option("--piece", default="", help="The piece that is chosen there, by its name.")
def demo(
    shot: Path | None, theme: str | None, surface: str | None, plate: str, step: str, reveal: bool,
    sheet: str | None, repeat: bool, large: bool, trial: str, gesture: int, beside: int, group: str, desk: str,
    piece: str,
) -> None:  # fmt: skip
    """Open the demo project, Saltmarrow Quay."""
    if shot is not None:
        from engraver.core.files.atomic import check_place

        check_place(shot)
    gc.disable()  # as above
    from engraver.app.launch import run

    begin = StartWish(
        True, (), surface, plate, step, reveal, sheet or "", repeat, large, trial, gesture, beside, group, desk, piece
    )
    raise SystemExit(run(begin, shot=shot, theme=theme))
