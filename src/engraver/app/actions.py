"""The actions of the whole window, with their keys; each desk has its own beside these. Keys are our own."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from . import dialogs
from .another_window import ask_another, open_another
from .cabinet_keeping import SCOPES, keep_in_cabinet
from .commands import Command, Commands
from .desks import DESKS
from .host import Host


def _at(command: Command, desk: str) -> Command:
    """A desk's action; its key acts at this desk alone, unless it is one for the whole window, with Ctrl."""
    return command if "Ctrl" in command.shortcut else replace(command, desk=desk)


def make_commands(host: Host) -> Commands:
    """Every action of a window. Menus, the finder and the list of keys are built from this."""
    filing = host.filing
    return Commands((
        Command("find", "Find a command", "Ctrl+K", host.find_command, "Help"),
        Command("open", "Open pictures, meshes or a project…", "Ctrl+O", host.open_dialog,
                synonyms=("import", "load")),
        Command("recent", "Open recent…", "Ctrl+Shift+O", partial(dialogs.open_recent, host)),
        Command("window-new", "Another window", "Ctrl+Alt+W", partial(open_another, host),
                synonyms=("second", "new")),
        Command("window-open", "Open a project in another window…", "", partial(ask_another, host),
                synonyms=("second", "beside")),
        Command("stop", "Stop what is under way", "Ctrl+.", filing.stop, when=lambda: filing.working,
                synonyms=("cancel",)),
        Command("project-new", "New project", "Ctrl+Alt+N", host.filing.close_project, synonyms=("empty", "begin")),
        Command("project-close", "Close the project", "Ctrl+W", host.filing.close_project,
                when=lambda: bool(host.studio.project.plates), synonyms=("put away", "end")),
        Command("save", "Save", "Ctrl+S", host.save),
        Command("save-as", "Save under another name…", "Ctrl+Shift+S", host.save_as),
        *(Command("cabinet-keep" if scope == "always" else f"cabinet-keep-{scope}", words,
                  "Ctrl+B" if scope == "always" else "", partial(keep_in_cabinet, host, scope),
                  when=lambda: host.studio.plate is not None, synonyms=("library", "store", "save"))
          for scope, words in SCOPES.items()),
        Command("icon", "Make the plate's icon…", "", lambda: host.make_icon(host.studio.plate_id or ""),
                when=lambda: host.studio.plate is not None, synonyms=("thumbnail", "button")),
        Command("receiver", "Practice receiver…", "", partial(dialogs.receiver, host),
                synonyms=("arrives", "import", "test", "files")),
        Command("drawer-next", "Next piece of the open drawer", "Ctrl+Right", lambda: host.using.next(1),
                synonyms=("cycle", "cabinet")),
        Command("drawer-before", "Piece before, of the open drawer", "Ctrl+Left", lambda: host.using.next(-1),
                synonyms=("cycle", "cabinet")),
        Command("demo", "Open the demo, Saltmarrow Quay", "", host.open_demo, synonyms=("example",)),
        Command("undo", "Undo", "Ctrl+Z", lambda: host.undo_stack.undo(),
                when=lambda: host.undo_stack.undo_label is not None),
        Command("redo", "Redo", "Ctrl+Shift+Z", lambda: host.undo_stack.redo(),
                when=lambda: host.undo_stack.redo_label is not None),
        *(Command(f"desk-{d.id}", f"Go to the {d.name.lower()}", d.key, partial(host.go_to, d.id), "View")
          for d in DESKS.values()),
        *(_at(command, d.id) for d in DESKS.values() for command in d.commands(host)),
        Command("theme", "Day or lamp", "Ctrl+L", host.change_theme, "View", synonyms=("dark", "light", "look")),
        Command("larger", "Larger text", "Ctrl++", lambda: host.change_text(1), "View", synonyms=("size",)),
        Command("smaller", "Smaller text", "Ctrl+-", lambda: host.change_text(-1), "View", synonyms=("size",)),
        Command("keys", "Keys", "F1", host.show_keys, "Help", synonyms=("shortcuts",)),
    ))  # fmt: skip
