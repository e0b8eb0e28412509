"""Float files and elevations: read again to the bit, with the range, holes and units that they tell."""

from __future__ import annotations

import io
from collections.abc import Iterator

import numpy as np
import tifffile

from engraver.core.engine import Engine, Request, SourceStore
from engraver.core.engine.line import assemble
from engraver.core.files.picture import Reading
from engraver.core.files.read import first_reading, load
from engraver.core.files.write import encode
from engraver.core.raster import Raster
from engraver.core.readiness.deliver import deliver
from engraver.core.readiness.destinations import destination
from engraver.core.recipe import Step
from lines import line_of
from solids import elevations
from truth.fact import Fact
from truth.pictures import grey

# Where the values lie: within the tones, beyond both ends, far off, nearly nothing.
SPREADS = ((0.0, 1.0), (-0.3, 1.7), (-4e8, 3e9), (0.24, 0.24000001), (-1e-30, 1e-30))


def facts(quick: bool) -> Iterator[Fact]:
    yield from _round_trips(("gravel",) if quick else ("gravel", "moon", "page", "retina"))
    yield from _elevations()


def _round_trips(names: tuple[str, ...]) -> Iterator[Fact]:
    for name in names:
        for lo, hi in SPREADS:
            values = (grey(name)[:99, :120].astype(np.float64) * (hi - lo) + lo).astype(np.float32)
            for kind in ("exr", "tiff"):
                data = encode(values, kind, "float")
                again = load(data, name, first_reading(data, name))
                off = float((again.pixels != values).sum()) + (again.coverage is not None)
                yield Fact(
                    "a float file of ours read again: pixels that differ",
                    f"{name}, {lo:g} to {hi:g}, {kind}",
                    "equal to the bit",
                    off,
                    0,
                )
    line, engine = line_of(
        grey("gravel")[:64, :64], Step.make("levels", find="held", black=0.3, white=0.6), Step.make("falloff")
    )
    plate = engine.evaluate(line, Request(exact=True)).raster
    for to in ("sculpt-stamp-mid", "sculpt-stamp"):
        sent = deliver(plate, destination(to))
        data = encode(sent.pixels, "exr", "float")
        again = load(data, to, first_reading(data, to)).pixels
        yield Fact(
            "a delivered EXR read again: pixels that differ",
            to,
            "equal to the bit",
            float((again != sent.pixels).sum()),
            0,
        )


def _elevation(depth: type, unit_key: int, keys: bool) -> tuple[bytes, np.ndarray, np.ndarray]:
    """An open elevation in whole metres with a hole, as GDAL writes it."""
    stored = np.round(elevations()).astype(depth)
    hole = np.zeros(stored.shape, bool)
    hole[20:30, 40:60] = True
    nodata = 0 if depth is np.uint16 else 65536
    stored = np.where(hole, nodata, stored).astype(depth)
    tags = [(42113, "s", 0, str(nodata), True), (33550, "d", 3, (30.0, 30.0, 0.0), True)]
    if keys:
        directory = (1, 1, 1, 3, 1024, 0, 1, 1, 3076, 0, 1, 9001, 4099, 0, 1, unit_key)
        tags.append((34735, "H", len(directory), directory, True))
    else:
        tags.append(
            (
                42112,
                "s",
                0,
                '<GDALMetadata><Item name="UNITTYPE" sample="0" role="unittype">m</Item></GDALMetadata>',
                True,
            )
        )
    out = io.BytesIO()
    tifffile.imwrite(out, stored, extratags=tags, metadata=None)
    return out.getvalue(), stored, hole


def _elevations() -> Iterator[Fact]:
    for depth in (np.uint16, np.uint32):
        for keys, unit_key, unit in ((True, 9001, "m"), (True, 9002, "ft"), (False, 0, "m")):
            data, stored, hole = _elevation(depth, unit_key, keys)
            case = f"{depth.__name__}, {'GeoKeys' if keys else 'GDAL metadata'}, {unit}"
            reading = first_reading(data, "hill.tif")
            there = stored[~hole]
            off = abs(reading.lo - there.min()) + abs(reading.hi - there.max())
            yield Fact("an elevation in whole numbers: its range", case, "lowest and highest stored", float(off), 0)
            raster = load(data, "hill.tif", reading)
            cover = raster.coverage if raster.coverage is not None else np.ones(stored.shape, np.float32)
            yield Fact(
                "an elevation in whole numbers: its holes",
                case,
                "GDAL_NODATA",
                float(((cover == 0) != hole).sum()),
                0,
            )
            back = raster.pixels * (reading.hi - reading.lo) + reading.lo
            yield Fact(
                "an elevation in whole numbers: heights, in units",
                case,
                "those stored",
                float(np.abs(back - stored)[~hole].max()),
                0.01,
            )
            yield from _told(data, raster, reading, unit, case)


def _told(data: bytes, raster: Raster, reading: Reading, unit: str, case: str) -> Iterator[Fact]:
    """Unit and width of a pixel come along the line, into the note beside a grid."""
    store = SourceStore()
    source = store.add(data, "hill.tif")
    line = assemble(source, reading, (Step.make("size", side=129, rule="power-of-two-plus-one"),), 1, store)
    known = line.facts[-1]
    height = reading.hi - reading.lo
    yield Fact(
        "an elevation: what white stands for at the end of the line",
        case,
        "the stored range",
        abs(known.units - height) + (known.unit != unit),
        0,
    )
    wide = known.spacing[0] * known.source_per_pixel
    yield Fact(
        "an elevation of 256 px of 30 to 129 posts: their distance",
        case,
        "30 x 255 / 128, or 256 / 129",
        min(abs(wide - 30 * 255 / 128), abs(wide - 30 * 256 / 129)),
        0.01,
    )
    plate = Engine(store).evaluate(line, Request(exact=True)).raster
    sent = deliver(plate, destination("terrain-grid"))
    note = dict(sent.files("hill")).get("hill.txt", b"").decode()
    said = (f"{height:.3g} {unit} above", f"{wide:.4g} m" if "GDAL" not in case else f"{wide:.4g} ")
    yield Fact(
        "the note beside a grid: words that are missing",
        case,
        "height and distance with units",
        float(sum(word not in note for word in said)),
        0,
    )
