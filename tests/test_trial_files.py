"""Trials written as meshes and pictures, gestures read from files, and pressing in the terminal."""

from __future__ import annotations

import io
import json
import math
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PIL import Image

from engraver.core.cache import Cache
from engraver.core.cords.write import MESHES
from engraver.core.errors import BadValue
from engraver.core.pressing.expand import expand
from engraver.core.proof.gesture_file import read_gestures
from engraver.core.proof.look import Look
from engraver.core.proof.trial_files import clear_picture, mesh_bytes, relief_of
from engraver.core.proof.trial_picture import TrialPicture
from engraver.core.proof.trial_view import TrialWish
from engraver.core.recipe import Trial
from engraver.core.surfaces import surface
from engraver.core.surfaces.view import Eye
from trials import TIP, dome, gesture, relief

# -- written -----------------------------------------------------------------------------------


@pytest.mark.parametrize("ending", MESHES)
def test_a_mesh_that_is_written_is_read_elsewhere_with_the_same_volume(ending: str) -> None:
    """Read by trimesh; the volume by the divergence theorem over the displaced points."""
    pressed = gesture("single", "ball", points=[(0.5, 0.5)], size=0.8, strength=0.1)
    trial = Trial(id="t", surface="ball", points=60_000, gestures=(pressed,))
    displaced = relief_of(TrialWish(trial, {"p": TIP}, Look((8, 8))), Cache(0))
    p = displaced.points().astype(float)[displaced.ground.faces]
    volume = float(np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum() / 6)
    bare = 4 / 3 * math.pi * 0.95**3
    assert volume > bare + 0.02
    scene = trimesh.load(io.BytesIO(mesh_bytes(displaced, ending)), file_type=ending[1:], process=True)
    body = scene.to_mesh() if isinstance(scene, trimesh.Scene) else scene
    assert body.volume == pytest.approx(volume, rel=1e-4) and body.is_watertight


def test_a_picture_with_clear_ground_has_a_soft_outline_and_no_halo() -> None:
    trial = Trial(id="t", surface="ball", points=60_000)
    look = Look((120, 100), surface("ball").eye, surround=(255, 0, 255))
    clear = clear_picture(TrialWish(trial, {}, look), Cache(0))
    alpha = clear[..., 3]
    assert clear.shape == (100, 120, 4) and alpha[0, 0] == 0 and alpha[50, 60] == 255
    rim = (alpha > 0) & (alpha < 255)
    assert rim.sum() > 50 and np.ptp(clear[rim][:, :3].astype(int), axis=1).max() < 60  # plaster, not the surround
    Image.fromarray(clear, "RGBA")


def test_pages_are_inked_and_terrain_has_a_sky() -> None:
    page = relief("paper", 60_000)
    made_of = gesture("single", "paper", size=0.5)
    page.press(expand(made_of, surface("paper").geometry), TIP, made_of.settings)
    drawn = TrialPicture(page, surface("paper").geometry).draw(Look((100, 100), Eye(0, 0))).picture
    assert drawn[50, 50].sum() < 200 < 600 < drawn[50, 20].sum()
    ground = relief("terrain", 60_000)
    kind = surface("terrain")
    sky = TrialPicture(ground, kind.geometry).draw(Look((120, 90), kind.eye, kind.lamp)).picture
    assert sky[0, 60, 2] > sky[-1, 60, 2] and np.ptp(sky[0].astype(int), axis=0).max() == 0


# -- gestures from a file --------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{", "is no JSON"), ("[]", "holds no gestures"), ('{"gestures": [3]}', "gesture 1 cannot be read"),
        ('{"gestures": [{"kind": "dance"}]}', "cannot be 'dance'"),
        ('{"gestures": [{"plate": 4, "points": [[0, 0]]}]}', "there are 1, counted from 0"),
        ('{"gestures": [{"points": []}]}', "gesture 1 has no points"),
        ('{"gestures": [{"points": [[1]]}]}', "points that"),
        ('{"gestures": [{"points": [[0, 1e9]]}]}', "lies nowhere"),
        ('{"gestures": [{"points": [[0, 0]], "settings": {"spacing": 9}}]}', "gesture 1: Spacing"),
        ('{"gestures": [{"points": [[0, 0]], "colour": 1}]}', "has no 'colour'"),
        ('{"gestures": [{"points": [[0, 0]], "arms": 99}]}', "among arms"),
    ],
)  # fmt: skip
def test_a_file_of_gestures_says_what_is_wrong_with_it(text: str, words: str) -> None:
    with pytest.raises(BadValue, match=words):
        read_gestures(text.encode(), "g.json", surface("flat").geometry, 1)


def test_pressing_in_the_terminal(tmp_path: Path) -> None:
    from click.testing import CliRunner

    from engraver.cli.main import main
    from engraver.core.files.picture import Reading
    from engraver.core.files.read import load

    tones = (dome(256) * 65535).round().astype(np.uint16)
    Image.fromarray(tones).save(tmp_path / "disc.png")
    one = {"kind": "single", "points": [[0.4, 0.6]], "settings": {"size": 0.5}}
    (tmp_path / "g.json").write_text(json.dumps({"gestures": [one]}))

    def run(*words: str) -> str:
        given = ["press", str(tmp_path / "disc.png"), "--gestures", str(tmp_path / "g.json"), *words]
        return CliRunner().invoke(main, given).output

    assert run("--on", "flat", "--settings", "strength=10%", "--side", "200", "-o", str(tmp_path / "o.exr")) == ""
    tall = load((tmp_path / "o.exr").read_bytes(), "o.exr", Reading()).pixels
    y, x = (np.mgrid[0:200, 0:200] + 0.5) / 200
    r2 = ((x - 0.4) ** 2 + (y - 0.6) ** 2) / 0.25**2
    assert np.abs(tall - np.clip(1 - r2, 0, 1) ** 2 * 0.1 * 0.5).max() < 2e-4 * 0.05 * 10
    assert run("--on", "ball", "--points", "60000", "-o", str(tmp_path / "o.ply")) == ""
    assert trimesh.load(tmp_path / "o.ply").is_watertight
    assert "are no picture" in run("--on", "ball", "-o", str(tmp_path / "o.exr"))
    assert "no kind" in run("--on", "flat", "-o", str(tmp_path / "o.gif"))
    assert "have no 'wobble'" in run("--on", "flat", "--settings", "wobble=1", "-o", str(tmp_path / "o.exr"))
    assert "belong together" in run("--on", "own", "-o", str(tmp_path / "o.ply"))
