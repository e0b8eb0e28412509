"""The command line: what it makes, says and returns."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
import trimesh
from click.testing import CliRunner, Result

from conftest import png_bytes
from engraver.cli.main import main
from engraver.core.files.picture import Reading
from engraver.core.files.read import load
from engraver.core.numeric import seam
from engraver.core.project.project_file import save
from engraver.core.project.recipe_file import save_recipe
from engraver.core.readiness import shipped
from engraver.core.readiness.measure import that_apply
from engraver.core.recipe import Recipe, Step
from engraver.core.steps import KINDS
from solids import sheet
from test_project import example


def engraver(*words: object) -> Result:
    return CliRunner().invoke(main, [str(w) for w in words])


def read(path: Path) -> np.ndarray:
    return cv2.imread(str(path), cv2.IMREAD_UNCHANGED)


def test_without_steps_only_reading_and_the_format_act(tmp_path: Path) -> None:
    values = np.arange(256, dtype=np.uint8).reshape(16, 16)
    (tmp_path / "a.png").write_bytes(png_bytes(values))
    assert engraver("make", tmp_path / "a.png", "-o", tmp_path / "b.png").exit_code == 0
    assert np.array_equal(read(tmp_path / "b.png"), values.astype(np.uint16) * 257)


def test_a_photo_becomes_a_stamp(photo: Path, tmp_path: Path) -> None:
    out = tmp_path / "stamp.png"
    done = engraver(
        "make", photo, "--step", "crop x=62.5% width=220px", "--step", "even-light light=blur radius=.3",
        "--step", "levels low=30 high=99.7", "--step", "soften radius=0.3%", "--step", "falloff fade=15% margin=4px",
        "--side", 512, "--for", "sculpt-stamp", "-o", out,
    )  # fmt: skip
    assert done.exit_code == 0, done.stderr
    stored = read(out)
    assert stored.shape == (512, 512) and stored.dtype == np.uint16
    assert max(stored[0].max(), stored[-1].max(), stored[:, 0].max(), stored[:, -1].max()) == 0
    assert stored.max() > 60000
    assert "Steepness" in done.stdout and "good" in done.stdout
    again = engraver("make", photo, "-o", out)
    assert again.exit_code == 1 and "--force" in again.stderr and np.array_equal(read(out), stored)
    assert engraver("make", photo, "--force", "-o", out).exit_code == 0


def test_recipe_first_then_steps_and_side_sets_the_last_size(photo: Path, tmp_path: Path) -> None:
    recipe = tmp_path / "r.recipe"
    save_recipe(Recipe(id="r", steps=(Step.make("crop"), Step.make("size", side=64), Step.make("invert"))), recipe)
    out = tmp_path / "o.tif"
    done = engraver("make", photo, "--recipe", recipe, "--step", "zero zero=mid", "--side", 32, "-o", out)
    assert done.exit_code == 0, done.stderr
    assert read(out).shape == (32, 32) and read(out).min() >= 32768


def test_several_destinations_give_several_files(photo: Path, tmp_path: Path) -> None:
    done = engraver(
        "make", photo, "--step", "crop", "--step", "falloff", "--side", 256,
        "--for", "sculpt-stamp", "--for", "sculpt-stamp-mid", "-o", tmp_path / "s.png",
    )  # fmt: skip
    assert done.exit_code == 0, done.stderr
    assert read(tmp_path / "s-sculpt-stamp.png")[0, 0] == 0
    assert read(tmp_path / "s-sculpt-stamp-mid.png")[0, 0] == 32768
    assert (
        load((tmp_path / "s-sculpt-stamp-mid.exr").read_bytes(), "s.exr", Reading(lo=0.0, hi=1.0)).pixels[0, 0] == 0.5
    )


@pytest.mark.parametrize(
    ("words", "code", "says"),
    [
        (["--step", "falloff fade=90%"], 2, "0 to 0.5"),
        (["--step", "falloff colour=3"], 2, "has no setting"),
        (["--step", "falloff fade"], 2, "no '='"),
        (["--step", "falloff fade=wide"], 2, "not a number"),
        (["--step", "polish"], 2, "no step called"),
        (["--step", "size side=12.5"], 2, "whole number"),
        (["--step", "curve points=@gone.json"], 2, "cannot be read"),
        (["--for", "sculpt-stamp"], 1, "crop"),
        (["--for", "nowhere"], 2, "nowhere"),
        (["--recipe", "gone.recipe"], 1, "cannot be opened"),
        (["--side", "0"], 2, "0"),
    ],
)
def test_misuse_and_failure_have_their_codes_and_one_sentence(
    words: list[str], code: int, says: str, photo: Path, tmp_path: Path
) -> None:
    done = engraver("make", photo, *words, "-o", tmp_path / "x.png")
    assert done.exit_code == code and says in done.stderr and "Traceback" not in done.output
    assert not (tmp_path / "x.png").exists()


def test_a_name_that_cannot_be_written_is_misuse(photo: Path, tmp_path: Path) -> None:
    assert engraver("make", photo, "-o", tmp_path / "x.docx").exit_code == 2
    assert engraver("make", photo, "--for", "sculpt-stamp", "-o", tmp_path / "x.tif").exit_code == 2
    assert engraver("make", tmp_path / "gone.png", "-o", tmp_path / "x.png").exit_code == 1
    (tmp_path / "w.png").write_text("no picture")
    assert engraver("make", tmp_path / "w.png", "-o", tmp_path / "x.png").exit_code == 1


def test_check_tells_faults_by_its_exit_code(tmp_path: Path) -> None:
    y, x = np.mgrid[0:256, 0:256] / 255 * 2 - 1
    good = np.maximum(0, 1 - np.hypot(x, y) * 1.1) ** 2 * 65535 * 0.97
    cv2.imwrite(str(tmp_path / "good.png"), good.astype(np.uint16))
    cv2.imwrite(str(tmp_path / "bad.png"), np.full((300, 200), 40000, np.uint16))
    assert engraver("check", tmp_path / "good.png", "--for", "sculpt-stamp").exit_code == 0
    done = engraver("check", tmp_path / "good.png", tmp_path / "bad.png", "--for", "sculpt-stamp", "--json")
    assert done.exit_code == 3
    rows = json.loads(done.stdout)
    told = {"id", "value", "values", "good_zone", "verdict", "says"}
    assert all(set(g) == told for g in rows[0]["gauges"])
    assert [g["id"] for g in rows[0]["gauges"]] == list(that_apply(shipped()["sculpt-stamp"]))
    assert {g["id"]: g["verdict"] for g in rows[1]["gauges"]}["border"] == "fault"


def test_check_reads_polarity_and_zero_from_the_destination(photo: Path, tmp_path: Path) -> None:
    """Our own files are ready for what they were made for: turned round, half-grey, or with transparency."""
    steps = ("--step", "crop", "--step", "even-light", "--step", "levels", "--step", "falloff", "--side", 256)
    ids = ("sculpt-stamp-mid", "paint-tip", "clear-tip")
    done = engraver("make", photo, *steps, *(w for id in ids for w in ("--for", id)), "-o", tmp_path / "t.png")
    assert done.exit_code == 0, done.stderr
    for id, name in zip(ids, ("t-sculpt-stamp-mid.exr", "t-paint-tip.png", "t-clear-tip.png"), strict=True):
        done = engraver("check", tmp_path / name, "--for", id, "--for", "layer-mask", "--json")
        first, second = json.loads(done.stdout)
        verdicts = {g["id"]: g["verdict"] for g in first["gauges"]}
        assert (first["for"], second["for"]) == (id, "layer-mask")
        assert verdicts["border"] == "good" and verdicts["polarity"] == "good"
    assert engraver("check", tmp_path / name, "--for", "nowhere").exit_code == 2


def test_own_destinations_are_offered_and_nonsense_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    folder = tmp_path / "engraver" / "destinations"
    folder.mkdir(parents=True)
    (folder / "mine.json").write_text('{"id": "mine", "name": "Mine"}')
    (folder / "bad.json").write_text("{")
    done = engraver("destinations", "--json")
    assert [d["id"] for d in json.loads(done.stdout)][-1] == "mine"
    assert "bad.json is not a destination" in done.stderr
    assert engraver("check", tmp_path / "gone.png", "--for", "sculpt-stamp").exit_code == 1


def test_export_writes_every_plate_once(tmp_path: Path) -> None:
    project, store = example()
    steps = tuple(s for s in project.recipes[0].steps if s.kind in ("crop", "falloff"))
    project = project.model_copy(
        update={"recipes": (project.recipes[0].model_copy(update={"steps": steps}), project.recipes[1])}
    )
    path = tmp_path / "quay.engraver"
    save(project, path, store)
    done = engraver("export", path, "--for", "sculpt-stamp", "-o", tmp_path / "out")
    assert done.exit_code == 0, done.stderr
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == ["blank.png", "net-weave.png"]
    assert engraver("export", path, "--for", "sculpt-stamp", "-o", tmp_path / "out").exit_code == 1
    assert engraver("export", path, "--plate", "Hull", "--for", "sculpt-stamp", "-o", tmp_path / "out").exit_code == 2


def test_steps_and_destinations_are_listed_from_their_declarations() -> None:
    listed = json.loads(engraver("steps", "--json").stdout)
    assert [k["id"] for k in listed] == list(KINDS)
    assert engraver("steps", "falloff").exit_code == 0 and engraver("steps", "polish").exit_code == 2
    ids = [d["id"] for d in json.loads(engraver("destinations", "--json").stdout)]
    assert ids == list(shipped())


@pytest.fixture
def panel(tmp_path: Path) -> Path:
    """A panel 64 units wide that rises from 3 at its left to 7 at its right, as PLY."""
    rise = np.tile(np.linspace(3, 7, 65), (65, 1))
    mesh = sheet(rise)
    path = tmp_path / "panel.ply"
    path.write_bytes(trimesh.Trimesh(mesh.points + mesh.origin, mesh.faces, process=False).export(file_type="ply"))
    return path


def test_a_mesh_becomes_heights_with_their_scale(panel: Path, tmp_path: Path) -> None:
    out = tmp_path / "panel.exr"
    words = ("--view", "top", "--frame", "whole", "--margin", "0", "--samples", 1, "--zero-at", "lowest")
    done = engraver("make", panel, *words, "--range", "exact", "--side", 64, "-o", out)
    assert done.exit_code == 0, done.stderr
    assert "white is 3.94 mm above zero" in done.stdout
    values = load(out.read_bytes(), out.name, Reading(lo=0.0, hi=1.0)).pixels
    assert values.shape == (64, 64)
    assert np.abs(values - np.linspace(0, 1, 64)).max() < 1e-4
    turned = tmp_path / "turned.exr"
    more = ("--roll", 90, "--range", "2,12", "--capture", "zero_at=picked picked=7 unit=cm")
    done = engraver("make", panel, *words[:8], *more, "--side", 64, "-o", turned)
    assert done.exit_code == 0 and "white is 5 cm above zero" in done.stdout, done.stderr
    values = load(turned.read_bytes(), turned.name, Reading(lo=0.0, hi=1.0)).pixels
    assert np.abs(values - (0.5 + (3 + 4 * (np.arange(64)[:, None] + 0.5) / 64 - 7) / 10)).max() < 1e-3
    steps = ("--step", "falloff outline=square fade=8%", "--for", "sculpt-stamp")
    assert engraver("make", panel, *steps, "--side", 256, "-o", tmp_path / "p.png").exit_code == 0


def test_wrong_use_of_a_mesh_is_told(panel: Path, photo: Path, tmp_path: Path) -> None:
    out = tmp_path / "x.exr"
    for words, says in (
        (("--range", "5,1"), "lower"), (("--range", "wide"), "LO,HI"), (("--margin", "90%"), "Margin"),
        (("--capture", "colour=red"), "no setting"), (("--side", "9000"), "Side"),
    ):  # fmt: skip
        done = engraver("make", panel, *words, "-o", out)
        assert done.exit_code == 2 and says in done.stderr, (words, done.stderr)
    done = engraver("make", photo, "--view", "top", "-o", tmp_path / "x.png")
    assert done.exit_code == 2 and "is for meshes" in done.stderr
    panel.write_bytes(panel.read_bytes()[:3000])
    done = engraver("make", panel, "-o", out)
    assert done.exit_code == 1 and "cut short" in done.stderr and not out.exists()


def test_a_batch_takes_meshes_too(panel: Path, tmp_path: Path) -> None:
    recipe = tmp_path / "r.recipe"
    save_recipe(Recipe(id="r", steps=(Step.make("size", side=64),)), recipe)
    done = engraver("batch", recipe, panel, "-o", tmp_path / "all")
    assert done.exit_code == 0, done.stderr
    assert read(tmp_path / "all" / "panel.png").shape == (64, 64)


def test_a_normal_map_goes_beside_the_heights(photo: Path, tmp_path: Path) -> None:
    out = tmp_path / "a.png"
    done = engraver("make", photo, "--side", 64, "--normals", 5, "--green", "down", "-o", out)
    assert done.exit_code == 0, done.stderr
    stored = read(tmp_path / "a-normals.png")
    assert stored.dtype == np.uint16 and stored.shape[2] == 3
    assert engraver("make", photo, "--normals", 5, "-o", tmp_path / "b.png").exit_code == 0
    (tmp_path / "b.png").unlink()
    again = engraver("make", photo, "--normals", 5, "-o", tmp_path / "b.png")
    assert again.exit_code == 1 and "--force" in again.stderr and not (tmp_path / "b.png").exists()


def test_a_tile_is_made_from_nothing(tmp_path: Path) -> None:
    out = tmp_path / "joints.png"
    noise = "noise kind=borders size=48px octaves=2 tiles=yes seed=3"
    made = engraver("make", "--blank", "256,0", "--step", noise, "--for", "tiling-height", "-o", out)
    assert made.exit_code == 0, made.output
    values = load(out.read_bytes(), "joints.png", Reading()).pixels
    assert values.shape == (256, 256) and 0.4 < float(np.ptp(values)) <= 1
    assert seam.seam(values).over <= seam.GOOD and seam.seam_down(values).over <= seam.GOOD
    again = tmp_path / "again.png"
    engraver("make", "--blank", "256,0%", "--step", noise, "--for", "tiling-height", "-o", again)
    assert again.read_bytes() == out.read_bytes()  # seeded
    for words in (("--blank", "10x"), (), (out, "--blank", "256")):
        wrong = engraver("make", *words, "-o", tmp_path / "no.png")
        assert wrong.exit_code == 2 and wrong.output.startswith("engraver: ") and not (tmp_path / "no.png").exists()
