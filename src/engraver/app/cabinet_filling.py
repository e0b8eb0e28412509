"""Filling the cabinet with the demo's pieces, to try it with."""

from __future__ import annotations

from engraver.core.cabinet import Cabinet
from engraver.core.errors import EngraverError, Watch
from engraver.core.sources import SourceStore
from engraver.demo.cabinet import fill

from .active_cabinet import ActiveCabinet


def fill_with_demo(active: ActiveCabinet) -> None:
    """In the background; what is there is shown while the rest comes."""

    def work(check: Watch) -> int:
        def told(share: float | None = None, /) -> None:
            check(share)

        with Cabinet(active.folder, active.session) as cabinet:
            return fill(cabinet, SourceStore(), check=told)

    def done(count: int) -> None:
        active.studio.told.emit(f"{count} pieces of Saltmarrow Quay are kept.", "good")
        active.after()

    def failed(error: EngraverError) -> None:
        active.studio.told.emit(error.sentence(), "fault")
        active.after()

    task = active.taking.add("Saltmarrow Quay's pieces…", work, done, failed, active.after)
    active.taking.progressed.connect(lambda one, _: active.search() if one is task else None)
