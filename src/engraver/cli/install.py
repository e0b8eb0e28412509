"""``engraver install-desktop``: Engraver in the menus and file managers of the desktop, and out of them again."""

from __future__ import annotations

import shutil
import subprocess
import sys
from importlib.resources import files
from pathlib import Path
from xml.sax.saxutils import escape

import click
import platformdirs

from engraver.core.errors import file_trouble
from engraver.core.files.atomic import write_bytes
from engraver.core.project.project_file import EXTENSION
from engraver.core.project.recipe_file import EXTENSION as RECIPE

from .manual import completion, manual

# MIME types of our own files: what a file manager calls them.
TYPES = {
    "application/x-engraver-project": ("Engraver project", EXTENSION),
    "application/x-engraver-recipe": ("Engraver recipe", RECIPE),
}  # fmt: skip
# Programs of the desktop that read again what was written, where they are there.
_READ_AGAIN = (
    ("update-mime-database", "mime"), ("update-desktop-database", "applications"),
    ("gtk-update-icon-cache", "icons/hicolor"),
)  # fmt: skip


def entry(program: str) -> str:
    """The entry of the menus, by the Desktop Entry Specification of freedesktop.org (version 1.5)."""
    quoted = program.replace("\\", "\\\\").replace('"', '\\"').replace("$", "\\$").replace("`", "\\`")
    return "\n".join((
        "[Desktop Entry]", "Type=Application", "Version=1.5", "Name=Engraver",
        "GenericName=Height alphas and stamp masks",
        "Comment=Make height alphas from photos, scans, drawings and meshes", f'Exec="{quoted}" open %F',
        "Icon=engraver", "Terminal=false", "Categories=Graphics;2DGraphics;3DGraphics;",
        f"MimeType={';'.join(TYPES)};", "Keywords=alpha;stamp;height;mask;brush;texture;",
        "StartupWMClass=engraver", "",
    ))  # fmt: skip


def mime() -> str:
    """Our file types, by the Shared MIME-info Database specification of freedesktop.org (version 0.21)."""
    lines = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        '<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">',
    ]
    for name, (words, ending) in TYPES.items():
        lines += [f'  <mime-type type="{name}">', f"    <comment>{escape(words)}</comment>",
                  f'    <glob pattern="*{ending}"/>', "  </mime-type>"]  # fmt: skip
    return "\n".join([*lines, "</mime-info>", ""])


def everything(program: str) -> dict[str, bytes]:
    """All that is written, by its place in the user's share of the desktop."""
    icon = files("engraver.app.theme").joinpath("icons/engraver-app.svg").read_bytes()
    return {
        "applications/engraver.desktop": entry(program).encode(), "mime/packages/engraver.xml": mime().encode(),
        "icons/hicolor/scalable/apps/engraver.svg": icon, "man/man1/engraver.1": manual().encode(),
        "bash-completion/completions/engraver": completion("bash").encode(),
        "zsh/site-functions/_engraver": completion("zsh").encode(),
        "fish/vendor_completions.d/engraver.fish": completion("fish").encode(),
    }  # fmt: skip


def share() -> Path:
    """The user's share of the desktop: ``$XDG_DATA_HOME``."""
    return Path(platformdirs.user_data_dir())


def _read_again(folder: Path) -> None:
    for program, part in _READ_AGAIN:
        found, where = shutil.which(program), folder / part
        if found and where.is_dir():
            subprocess.run([found, str(where)], capture_output=True, check=False, timeout=60)


@click.command("install-desktop")
@click.option("--remove", is_flag=True, help="Take everything out again.")
def install_desktop(remove: bool) -> None:
    """Put Engraver into the menus: entry, icon, file types, man page and shell completion, for this user."""
    folder = share()
    program = shutil.which(sys.argv[0]) or shutil.which("engraver") or sys.argv[0]
    made = everything(str(Path(program).resolve()))
    for name, data in made.items():
        path = folder / name
        try:
            if remove:
                path.unlink(missing_ok=True)
            else:
                path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise file_trouble("removed" if remove else "written", path, error) from error
        if not remove:
            write_bytes(path, data)
    _read_again(folder)
    word = "taken out of" if remove else "written to"
    click.echo(f"{len(made)} files {word} {folder}")
