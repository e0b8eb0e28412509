"""Every day's habits: undo shows where it acted, plates are named, moved and put away, numbers read as typed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QFileDialog, QLabel, QMessageBox

from conftest import answer, drop, in_dialog, settle
from engraver.app import prefs as preferences
from engraver.app.studio import Studio
from engraver.app.views.add_step import AddStep
from engraver.app.views.keys_sheet import KeysSheet
from engraver.app.views.together_sheet import TogetherSheet
from engraver.app.window import Window
from engraver.core.params.arithmetic import number_in
from engraver.core.project import journal
from engraver.core.recipe import Project, Step, edits
from engraver.core.recipe.changed import beside, changed_at
from engraver.core.recipe.models import Source
from engraver.core.sources.blank import Blank

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
LEFT = Qt.MouseButton.LeftButton
NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture
def three(window: Window) -> Window:
    """The bench with three blank plates, the middle one chosen."""
    studio = window.studio
    for _ in range(3):
        studio.add_blank(64)
    for name, plate in zip(("Rope", "Chain", "Cork"), studio.project.plates, strict=True):
        studio.edit(edits.rename_plate(studio.project, plate.id, name), "name")
    studio.choose_plate(studio.project.plates[1].id)
    settle(window)
    return window


def names(window: Window) -> list[str]:
    return [p.name for p in window.studio.project.plates]


def test_undo_goes_to_the_plate_and_the_step_and_says_so(three: Window) -> None:
    studio = three.studio
    rope, chain, _ = studio.project.plates
    studio.choose_plate(rope.id)
    studio.add_step("invert")
    studio.add_step("levels")
    uid = studio.steps[0].uid
    studio.set_params(studio.steps[-1].uid, low=5.0)
    studio.choose_step(uid)
    studio.choose_plate(chain.id)
    settle(three)
    QTest.keyClick(three, Qt.Key.Key_Z, CTRL)
    settle(three)
    assert studio.plate_id == rope.id and studio.step is not None and studio.step.kind == "levels"
    assert "Taken back on Rope" in three.notice.text()
    studio.choose_plate(chain.id)
    QTest.keyClick(three, Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier)
    settle(three)
    assert studio.plate_id == rope.id and "Done again on Rope" in three.notice.text()


def test_a_plate_that_goes_leaves_its_neighbour_chosen_and_comes_back_chosen(three: Window) -> None:
    studio = three.studio
    rope, chain, cork = studio.project.plates
    three.commands["remove-plate"].do()
    settle(three)
    assert names(three) == ["Rope", "Cork"] and studio.plate_id == cork.id
    three.commands["remove-plate"].do()
    settle(three)
    assert studio.plate_id == rope.id
    for back in (cork, chain):
        QTest.keyClick(three, Qt.Key.Key_Z, CTRL)
        settle(three)
        assert studio.plate_id == back.id
    alone = edits.remove_plate(edits.remove_plate(studio.project, chain.id), cork.id)
    assert beside(alone, (rope.id,)) is None


def test_f2_names_and_ctrl_arrows_move_a_plate(three: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("engraver.app.views.plate_item.QInputDialog.getText", lambda *a, **k: ("Hawser", True))
    QTest.keyClick(three, Qt.Key.Key_F2)
    assert names(three) == ["Rope", "Hawser", "Cork"]
    QTest.keyClick(three, Qt.Key.Key_Up, CTRL)
    QTest.keyClick(three, Qt.Key.Key_Up, CTRL)
    assert names(three) == ["Hawser", "Rope", "Cork"]
    QTest.keyClick(three, Qt.Key.Key_Down, CTRL)
    assert names(three) == ["Rope", "Hawser", "Cork"]
    assert three.studio.plate is not None and three.studio.plate.name == "Hawser"


def test_a_closed_project_is_put_away_with_all_that_was_not_saved(three: Window) -> None:
    studio = three.studio
    left = three.filing.journal
    QTest.keyClick(three, Qt.Key.Key_W, CTRL)
    settle(three)
    assert not studio.project.plates and not studio.dirty and "back at the next start" in three.notice.text()
    assert not three.commands["project-close"].when()
    kept = journal.recover(journal.Kept(left.folder, "x", None, 0.0), studio.sources)
    assert [p.name for p in kept.plates] == ["Rope", "Chain", "Cork"]
    three.commands["project-new"].do()
    settle(three)
    assert not studio.project.plates


def test_where_projects_differ_is_found_without_a_window() -> None:
    project = Project()
    for n in range(2):
        source = Source(id=f"s{n}", kind="blank", name=f"b{n}")
        project, _ = edits.add_plate(project, source, f"p{n}", (Step.make("invert"),), reading=Blank())
    one, two = project.plates
    step = project.line(two.id)[0]
    after = edits.set_on(project, two.id, step.uid, False)
    assert changed_at(project, after, one.id) == (two.id, step.uid)
    assert changed_at(project, edits.rename_plate(project, one.id, "x"), two.id) == (one.id, None)
    assert changed_at(project, project, one.id) == (None, None)
    assert changed_at(edits.remove_plate(project, two.id), project, one.id) == (two.id, None)
    assert [p.id for p in edits.move_plates(project, (two.id,), -4).plates] == [two.id, one.id]


@pytest.mark.parametrize(
    ("text", "value", "unit"),
    [("12,5 %", 12.5, "%"), ("12.5%", 12.5, "%"), ("1,024 px", 1024, "px"), ("2,5px", 2.5, "px"), ("-0,2", -0.2, ""),
     ("1024/2 px", 512, "px"), ("1,5*2", 3, "")],
)  # fmt: skip
def test_numbers_are_read_as_they_are_typed(text: str, value: float, unit: str) -> None:
    assert number_in(text) == (value, unit)


def test_a_new_step_goes_here_or_to_its_usual_place(window: Window) -> None:
    window.studio.add_blank(64)
    for kind in ("levels", "soften", "falloff"):
        window.studio.add_step(kind)
    settle(window)

    def line() -> list[str]:
        return [s.kind for s in window.studio.steps]

    def add(word: str, key: Qt.KeyboardModifier = NONE) -> list[str]:
        told: list[str] = []

        def type_it(sheet: QDialog) -> None:
            assert isinstance(sheet, AddStep)
            QTest.keyClicks(sheet.field, word)
            told.extend(b.text() for b in (sheet.first, sheet.other) if not b.isHidden())
            QTest.keyClick(sheet.field, Qt.Key.Key_Return, key)

        in_dialog(AddStep, type_it)
        window.run(window.commands["add-step"])
        return told

    assert line() == ["levels", "soften", "falloff"]  # the falloff is chosen
    assert add("blemish", SHIFT) == ["Usual place: first of the line", "Here: after Falloff"]  # heal, by another word
    assert line() == ["levels", "soften", "falloff", "heal"]
    window.studio.undo()
    window.studio.choose_step(window.studio.steps[-1].uid)
    assert add("invert") == ["Usual place: after Levels", "Here: after Falloff"]
    assert line() == ["levels", "invert", "soften", "falloff"]
    window.studio.choose_step(window.studio.steps[0].uid)
    assert add("gamma") == ["Here: after Levels", "Usual place: after Invert"]  # where it keeps to the order of work
    assert line() == ["levels", "exposure", "invert", "soften", "falloff"]
    window.studio.choose_step(window.studio.steps[-1].uid)
    assert add("8 bit") == ["Usual place: first of the line"]  # what must stand first is offered nowhere else


def test_the_list_of_keys_is_in_groups_and_narrowed_by_typing(window: Window) -> None:
    sheet = KeysSheet(window.ui, window, "bench", {"bench": "Bench"})
    heads = [w.text() for w in sheet.findChildren(QLabel) if w.objectName() == "caps"]
    assert heads[0].startswith("BENCH · ") and len(heads) > 8 and sheet.height() < window.height()
    sheet.field.setText("tray up")
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    assert [w.text() for w in sheet.findChildren(QLabel) if w.objectName() != "second"] == [
        "EVERYWHERE · PLATE", "Ctrl+Up", "Move the plate up the tray",
    ]  # fmt: skip
    sheet.field.setText("tray up zzz")
    assert sheet.nothing.isVisibleTo(sheet)
    sheet.deleteLater()


def _carry(window: Window, name: str, to: QPoint) -> None:
    """Press on a plate of the tray, move to a place of the tray's list, and let go."""
    tray = window.bench.tray
    item = next(i for i in tray.items.values() if i.plate.name == name)
    QTest.mousePress(item, LEFT, pos=QPoint(30, 30))
    for at in (QPoint(34, 60), item.mapFrom(tray._inside, to)):
        QTest.mouseMove(item, at)
    assert tray._mark.isVisible()
    QTest.mouseRelease(item, LEFT, pos=item.mapFrom(tray._inside, to))
    assert not tray._mark.isVisible()


def test_plates_are_carried_to_another_place_of_the_tray(three: Window) -> None:
    tray, studio = three.bench.tray, three.studio
    QApplication.processEvents()
    frames = {i.plate.name: i.geometry() for i in tray.items.values()}
    _carry(three, "Cork", QPoint(40, frames["Rope"].top() + 8))
    assert names(three) == ["Cork", "Rope", "Chain"] and studio.plate.name == "Cork"  # type: ignore[union-attr]
    settle(three)
    QApplication.processEvents()
    ys = {i.plate.name: i.y() for i in tray.items.values()}
    assert ys["Cork"] < ys["Rope"] < ys["Chain"]
    QTest.mouseClick(tray.items[studio.project.plates[1].id], LEFT, CTRL)  # Rope, besides Cork
    _carry(three, "Cork", QPoint(40, ys["Chain"] + 80))
    assert names(three) == ["Chain", "Cork", "Rope"] and studio.history.undo_label == "Move 2 plates"
    studio.undo()
    assert names(three) == ["Cork", "Rope", "Chain"]


def test_several_plates_are_doubled_moved_and_removed_together(three: Window) -> None:
    tray, studio = three.bench.tray, three.studio
    QTest.keyClick(tray.items[studio.project.plates[0].id], Qt.Key.Key_A, CTRL)
    assert len(three.besides.all) == 3
    menu = three.bench.plate_menu(studio.project.plates[0].id)
    assert [a.text() for a in menu.actions()][-1] == "Remove 3 plates" and len(three.besides.all) == 3
    QTest.keyClick(three, Qt.Key.Key_D, CTRL)
    settle(three)
    assert len(names(three)) == 6 and studio.history.undo_label == "Duplicate 3 plates"
    assert len(three.besides.all) == 3 and not set(three.besides.all) & {p.id for p in studio.project.plates[::2]}
    item = tray.items[three.besides.all[-1]]
    item.setFocus()
    QTest.keyClick(item, Qt.Key.Key_Delete)  # what has the focus, not the chosen step
    settle(three)
    assert names(three) == ["Rope", "Chain", "Cork"] and studio.plate is not None
    assert three.notice.text().startswith("✓  3 plates are gone: ") and "Ctrl+Z" in three.notice.text()
    studio.undo()
    assert len(names(three)) == 6


def test_the_tray_is_searched_and_stands_in_three_columns(three: Window) -> None:
    tray, studio = three.bench.tray, three.studio
    assert tray.field.isHidden()
    for _ in range(6):
        studio.add_blank(64)
    settle(three)
    assert tray.field.isVisible()
    QTest.keyClicks(tray.field, "ro")
    shown = [i.plate.name for i in tray.items.values() if i.isVisible()]
    assert shown == ["Rope"]
    QTest.keyClick(tray.field, Qt.Key.Key_Backspace)
    QTest.keyClick(tray.field, Qt.Key.Key_Backspace)
    narrow = tray.width()
    QTest.mouseClick(tray.width_button, LEFT)
    QApplication.processEvents()
    places = [(tray.items[p.id].y(), tray.items[p.id].x()) for p in studio.project.plates]
    assert tray.width() > 2 * narrow and len({x for _, x in places}) == 3 and places == sorted(places)
    _carry(three, names(three)[0], tray.items[studio.project.plates[4].id].geometry().center() + QPoint(20, 0))
    assert names(three).index("Rope") == 4
    QTest.mouseClick(tray.width_button, LEFT)
    assert tray.width() == narrow


def test_a_folder_is_asked_for_once_and_all_bad_files_are_told(window: Window, photo: Path, tmp_path: Path) -> None:
    folder, asked = tmp_path / "Slabs <b>", []
    folder.mkdir()
    for name in ("a.jpg", "b.jpg"):
        (folder / name).write_bytes(photo.read_bytes())
    for name in ("bad.png", "cut.tif"):
        (folder / name).write_bytes(b"no picture")
    (folder / "words.txt").write_text("left alone")

    for word, count in (("Leave it", 0), ("Open them", 2)):
        in_dialog(QMessageBox, lambda _, word=word: answer(word, asked))
        drop(window, folder)
        QApplication.processEvents()
        settle(window)
        assert len(names(window)) == count
    assert asked == [("Open the 4 files in Slabs <b>? Each becomes a plate.", "")] * 2
    said = window.notice.text()
    assert said.startswith("✕  2 of 4 files could not be opened. ") and "bad.png" in said and "cut.tif" in said
    plate_top = window.bench.plate_view.canvas.mapTo(window, QPoint(0, 0)).y()
    assert window.notice.geometry().top() < plate_top / 2
    drop(window, folder / "words.txt")
    QApplication.processEvents()
    settle(window)
    assert "words.txt" in window.notice.text() and "1 of" not in window.notice.text()
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert not window.notice.isVisible()


def test_the_bar_says_when_the_project_file_is_older_than_the_work(window: Window, tmp_path: Path) -> None:
    window.studio.add_blank(64)
    settle(window)
    assert window.top.kept.text() == "all changes kept"
    window.filing.save_to(tmp_path / "quay.engraver")
    settle(window)
    assert window.top.kept.text() == "all changes kept" and not window.top.kept.toolTip()
    window.studio.add_step("levels")
    settle(window)
    assert window.top.kept.text() == "all changes kept · file not saved yet"
    assert window.top.kept.toolTip().startswith("quay.engraver is older")
    window.studio.undo()
    settle(window)
    assert window.top.kept.text() == "all changes kept"


def test_all_plates_are_exported_to_a_folder_that_is_remembered(
    three: Window, make_window: Callable[[], Window], tmp_path: Path
) -> None:
    out, sheets = tmp_path / "stamps", []
    out.mkdir()

    def export(sheet: QDialog) -> None:
        assert isinstance(sheet, TogetherSheet)
        sheets.append(len(three.besides.all))
        sheet.folder.setText(str(out))
        sheet.accept()

    in_dialog(TogetherSheet, export)
    QTest.keyClick(three, Qt.Key.Key_E, CTRL | Qt.KeyboardModifier.AltModifier)
    settle(three)
    assert sheets == [3] and {p.stem for p in out.glob("*.png")} == {"rope", "chain", "cork"}
    three.close()
    kept = preferences.load(three.places.prefs)
    assert dict(kept.folders)["finished"] == str(out)
    again = Window(Studio(), three.places, kept)
    assert again.files.begin("finished") == out
    again.close()
    out.rename(tmp_path / "gone")
    assert again.files.begin("finished") == Path.home()
    again.deleteLater()


def test_a_dialog_begins_where_things_of_its_kind_were_last(
    window: Window, photo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    begun, scans, kept = [], tmp_path / "scans", tmp_path / "kept"
    for folder in (scans, kept):
        folder.mkdir()
    photo = photo.rename(scans / photo.name)
    answers = {"getOpenFileNames": ([str(photo)], ""), "getSaveFileName": (str(kept / "fine.recipe"), "")}
    for name, chosen in answers.items():
        monkeypatch.setattr(QFileDialog, name, lambda *a, chosen=chosen, **k: begun.append(Path(a[2])) or chosen)

    def asked(which: Window, command: str) -> Path:
        which.commands[command].run()
        settle(which)
        return begun.pop()

    assert asked(window, "open") == Path.home()
    assert asked(window, "recipe") == scans / "cork-float.recipe"  # none was kept yet: where the photo was opened
    assert asked(window, "recipe") == kept / "cork-float.recipe" and asked(window, "open") == scans
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([], ""))
    window.commands["open"].run()  # called off
    window.close()
    again = Window(Studio(), window.places, preferences.load(window.places.prefs))
    assert again.files.begin("recipe") == kept and again.files.begin("source") == scans
    kept.rename(tmp_path / "gone")
    assert again.files.begin("recipe") == scans and again.files.begin("font") == scans
    again.close()
    again.deleteLater()


def test_what_is_shown_turned_round_says_that_no_file_changes(window: Window, photo: Path) -> None:
    window.filing.open_paths([photo])
    settle(window)
    studio, said = window.studio, []
    studio.told.connect(lambda words, _: said.append(words))
    QTest.keyClick(window, Qt.Key.Key_P)
    to = studio.destination
    assert said == [f"Now black raises in the window. No delivered file changes: for {to.name} white raises."]
    studio.undo()
    window.bench.plates.read_as("tip")
    settle(window)
    assert studio.destination.id == "paint-tip" and studio.plate.raises == "black"  # type: ignore[union-attr]
    assert studio.proof.surface == "paper"  # where tips are judged
    said.clear()
    QTest.keyClick(window, Qt.Key.Key_P)
    assert said[0].startswith("Now white paints in the window. ") and said[0].endswith(" black paints.")
    window.bench.plates.read_as("surface")
    settle(window)
    assert studio.destination.id == "sculpt-stamp" and studio.plate.raises == "white"  # type: ignore[union-attr]


def test_a_new_picture_is_tried_as_suits_it_not_on_the_paper_of_the_one_before(bench: Window, photo: Path) -> None:
    studio = bench.studio
    studio.set_destination("paint-tip")
    settle(bench)
    assert studio.proof.surface == "paper"
    studio.set_proof(paper=replace(studio.proof.paper, flow=0.31))
    drop(bench, photo)
    assert studio.proof.surface != "paper" and studio.proof.paper.flow != 0.31
    studio.choose_plate(studio.project.plates[0].id)
    assert studio.proof.surface == "paper"
