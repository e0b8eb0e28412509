"""Installed: entry, icon, types, man page and completion by their specifications, and nothing left out of a wheel."""

from __future__ import annotations

import configparser
import fnmatch
import os
import shutil
import subprocess
import tomllib
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest

from engraver.cli.install import TYPES, entry, everything
from engraver.cli.main import _COMMANDS
from engraver.cli.manual import SHELLS, completion, manual
from test_cli import engraver

ROOT = Path(__file__).parents[1]


def test_it_is_put_into_the_desktop_and_taken_out_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "share"))
    other = tmp_path / "share" / "applications" / "other.desktop"
    other.parent.mkdir(parents=True)
    other.write_text("[Desktop Entry]")
    done = engraver("install-desktop")
    assert done.exit_code == 0, done.output
    there = {str(p.relative_to(tmp_path / "share")) for p in (tmp_path / "share").rglob("*") if p.is_file()}
    assert set(everything("x")) <= there
    made = configparser.ConfigParser(interpolation=None)
    made.optionxform = str  # type: ignore[assignment, method-assign]
    made.read(tmp_path / "share" / "applications" / "engraver.desktop")
    found = made["Desktop Entry"]  # the keys that the Desktop Entry Specification wants of an application
    assert {found["Type"], found["Name"], found["Icon"]} == {"Application", "Engraver", "engraver"}
    assert found["Exec"].startswith('"/') and found["Exec"].endswith('" open %F')
    assert found["MimeType"].split(";")[:-1] == list(TYPES) and found["Categories"].endswith(";")
    space = "{http://www.freedesktop.org/standards/shared-mime-info}"
    listed = ET.parse(tmp_path / "share" / "mime" / "packages" / "engraver.xml").getroot()
    assert {t.get("type"): t.find(f"{space}glob").get("pattern") for t in listed} == {  # type: ignore[union-attr]
        "application/x-engraver-project": "*.engraver", "application/x-engraver-recipe": "*.recipe",
    }  # fmt: skip
    assert (
        ET.parse(tmp_path / "share" / "icons" / "hicolor" / "scalable" / "apps" / "engraver.svg").getroot()
        is not None
    )
    assert engraver("install-desktop", "--remove").exit_code == 0
    left = [p for p in (tmp_path / "share").rglob("engraver*") if p.is_file()]
    assert not left and other.is_file()
    assert 'Exec="/opt/my \\"tools\\"/engraver" open %F' in entry('/opt/my "tools"/engraver')


def test_a_share_that_takes_nothing_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "file"))
    done = engraver("install-desktop")
    assert done.exit_code == 1 and done.output.startswith("engraver: ") and "Traceback" not in done.output


def test_the_man_page_and_completion_know_every_command(tmp_path: Path) -> None:
    page = manual()
    assert all(f".SS {name}".replace("-", "\\-") in page for name in _COMMANDS) and ".SS pack check" in page
    assert not [line for line in page.splitlines() if line.startswith("'")]
    (tmp_path / "engraver.1").write_text(page)
    if shutil.which("groff"):
        done = subprocess.run(
            ["groff", "-man", "-Tutf8", "-ww", tmp_path / "engraver.1"], capture_output=True, check=True
        )
        assert not done.stderr
    for shell in SHELLS:
        text = completion(shell)
        assert "_ENGRAVER_COMPLETE" in text and engraver("completion", shell).output.strip() == text.strip()
        if shutil.which(shell):
            subprocess.run([shell, "-n", "-c", text], check=True, env={**os.environ})
    assert engraver("completion", "csh").exit_code == 2


def test_the_version_tells_what_it_stands_on() -> None:
    done = engraver("--version")
    assert done.exit_code == 0
    first, *rest = done.output.splitlines()
    assert first.startswith("engraver ") and rest[0].startswith("Python 3.")
    assert any(line.startswith("numpy 2.") for line in rest) and not any("missing" in line for line in rest)


def test_a_wheel_holds_every_file_that_is_no_code() -> None:
    told = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["setuptools"]["package-data"]
    source = ROOT / "src"
    for path in (source / "engraver").rglob("*"):
        if path.is_file() and path.suffix not in (".py", ".pyc", ".nbi", ".nbc"):
            package = max((p for p in told if path.is_relative_to(source / p.replace(".", "/"))), key=len)
            name = str(path.relative_to(source / package.replace(".", "/")))
            assert any(fnmatch.fnmatch(name, pattern) for pattern in told[package]), path
    version = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["version"]
    assert f"## {version}" in (ROOT / "CHANGELOG.md").read_text()
