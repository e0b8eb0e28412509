"""Icons: nothing is cut off, they are told apart when small, and other libraries read them."""

from __future__ import annotations

from itertools import combinations
from pathlib import Path

import cv2
import numpy as np
import png
import pytest
from click.testing import CliRunner
from PIL import Image

from engraver.cli.main import main
from engraver.core.errors import BadValue
from engraver.core.proof.icon import KINDS, LETTERS, icon, spread_of
from test_receiver import plates

SIDE = 96


def over_white(made: np.ndarray, side: int) -> np.ndarray:
    """An icon on a white button, reduced."""
    cover = made[..., 3:].astype(np.float32) / 255
    return cv2.resize(made[..., :3] * cover + 255 * (1 - cover), (side, side), interpolation=cv2.INTER_AREA)


def some(*names: str) -> list[np.ndarray]:
    found = {name: made.astype(np.float32) for name, made in plates()}
    return [found[name] / found[name].max() for name in names]


@pytest.mark.parametrize("kind", KINDS)
def test_nothing_is_cut_off_and_the_ground_is_clear(kind: str) -> None:
    star, ring, box = some("star", "ring", "box")
    for high in (star, ring, box, np.roll(star, 30, axis=1)):
        made = icon(high, kind=kind, side=SIDE)  # type: ignore[arg-type]
        assert made.shape == (SIDE, SIDE, 4) and made.dtype == np.uint8
        rim = np.concatenate([made[0], made[-1], made[:, 0], made[:, -1]])
        assert not rim[:, 3].any() and made[..., 3].max() > 250
        there = np.flatnonzero((made[..., 3] > 128).any(axis=0)), np.flatnonzero((made[..., 3] > 128).any(axis=1))
        assert max(np.ptp(t) for t in there) > 0.8 * SIDE  # it fills what room there is
        assert all(abs(t[0] + t[-1] - SIDE + 1) <= 4 for t in there)  # in the middle
    plain = icon(star, kind=kind, side=SIDE, clear=False)  # type: ignore[arg-type]
    assert (plain[..., 3] == 255).all() and (plain[0, 0, :3] == (58, 60, 62)).all()


def test_mixed_plates_are_told_apart_at_32_pixels_and_a_faint_one_is_lifted() -> None:
    """No two icons lie nearer than 1.5 of 255, averaged over the button; a faint plate shows more than it would."""
    small = {}
    for name, high in plates():
        if not name.startswith("noise"):
            small[name] = over_white(icon((high / high.max()).astype(np.float32), side=128), 32)
    for one, two in combinations(small, 2):
        assert np.abs(small[one] - small[two]).mean() > 1.5, (one, two)
    bell, star = some("bell", "star")
    for high in (bell, star):
        faint, full = (icon(high * by, kind="flat", side=64) for by in (0.15, 1.0))
        shown = [spread_of(m[..., 0].astype(np.float32) / 255, m[..., 3].astype(np.float32) / 255)
                 for m in (faint, full)]  # fmt: skip
        bare = spread_of(high * 0.15, (high > 0.02).astype(np.float32))
        assert shown[0] > 1.8 * bare and shown[0] > 0.05


def test_colour_lettering_and_what_is_empty() -> None:
    (star,) = some("star")
    grey, red = icon(star, side=SIDE), icon(star, side=SIDE, colour=(176, 78, 38))
    there = grey[..., 3] > 200
    means = red[..., :3][there].mean(axis=0)
    assert means[0] > 1.8 * means[1] > 1.8 * means[2] and np.array_equal(red[..., 3], grey[..., 3])
    for place, rows in (("top", slice(0, 30)), ("bottom", slice(66, 96))):
        lettered = icon(star, side=SIDE, words="Quay", place=place)  # type: ignore[arg-type]
        changed = (lettered != grey).any(axis=-1)
        assert changed[rows].sum() > 150 and changed[rows].sum() > 0.95 * changed.sum()
        assert (lettered[rows][..., :3] > 250).all(axis=-1).sum() > 40
    with pytest.raises(BadValue, match="no letter"):
        icon(star, side=SIDE, words="\u4e2d")
    for kind in KINDS:
        assert icon(np.zeros((32, 32), np.float32), kind=kind, side=32)[..., 3].max() > 200
    assert icon(np.ones((20, 60), np.float32), kind="flat", side=32).shape == (32, 32, 4)


def test_in_the_terminal(tmp_path: Path) -> None:
    (star,) = some("star")
    file, out = tmp_path / "star.png", tmp_path / "icon.png"
    cv2.imwrite(str(file), np.round(star * 65535).astype(np.uint16))
    run = CliRunner().invoke
    done = run(main, ["icon", str(file), "--as", "mark", "--side", "64", "--colour", "#b04e26", "-o", str(out)])
    assert done.exit_code == 0, done.output
    with Image.open(out) as picture:
        by_pillow = np.asarray(picture)
    width, height, rows, info = png.Reader(bytes=out.read_bytes()).asDirect()
    by_pypng = np.vstack([np.asarray(row, np.uint8) for row in rows]).reshape(height, width, 4)
    assert (width, height) == (64, 64) and info["alpha"] and np.array_equal(by_pillow, by_pypng)
    by_opencv = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)[..., [2, 1, 0, 3]]
    assert np.array_equal(by_opencv, by_pillow) and by_pillow[32, 32, 0] > by_pillow[32, 32, 2]
    for more in (["--colour", "red", "-o", str(out)], ["-o", "icon.jpg"], ["--words", "\u4e2d", "-o", str(out)]):
        assert run(main, ["icon", str(file), *more]).exit_code == 2, more


def test_lettering_comes_in_sizes_and_stays_inside() -> None:
    """Ink of white letters at the foot of a plain icon: large takes more of it than small, none is cut off."""
    wide = []
    for tall in LETTERS.values():
        flat = np.zeros((32, 32), np.float32)
        with_words = icon(flat, kind="flat", side=128, words="A1", letters=tall, clear=False)
        bare = icon(flat, kind="flat", side=128, clear=False)
        other = np.abs(with_words[..., :3].astype(int) - bare[..., :3]).max(axis=2) > 60
        rows = np.flatnonzero(other.any(axis=1))
        assert rows[-1] < 127 and rows[0] > 64
        wide.append(int(rows[-1] - rows[0]))
    assert wide == sorted(wide) and wide[2] > 1.6 * wide[0]
