"""Does thousands of random things in the real window, then undoes them all.

    .venv/bin/python scripts/random_edits.py [100] [--journal FILE] [--case NUMBER]

A case is 200 of them on a project of its own, in one window that goes on. At its end everything is undone, which must
give the project it began with, and done again, which must give the one it ended with; that is saved, opened and
compared. No exception may have come from anywhere. The memory that is noted is what the program has after each case;
it must not grow. It goes on from its journal.
"""

import gc
import os
import random
import sys
import tempfile
import threading
import time
import traceback
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent)]
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
_HOME = tempfile.mkdtemp(prefix="mat-shelf-random-")
for _name in ("XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
    os.environ[_name] = os.path.join(_HOME, _name.lower())

from supervised import main  # noqa: E402

OPERATIONS = 200
MOST_PARTS, MOST_PATTERNS = 7, 5
NUMBERS = (0.0, 1.0, -1.0, 0.5, 1e-9, 1e9, -1e9, 1e308, float("nan"), float("inf"), 3.7, 120.0)
WORDS = ("", "a", "N" * 120, "N" * 300, "Grün 緑", "a\tb", "Block", "../x", "\x00")


class Trial:
    """The window, and random hands on it."""

    def __init__(self):
        from mat_shelf.app.fault_guard import FaultGuard
        from mat_shelf.app.library.thumbnail_worker import ThumbnailWorker
        from mat_shelf.app.start import application
        from mat_shelf.app.window import Window
        from mat_shelf.app.workshop import Workshop
        from mat_shelf.library.library import Library

        self.app = application()
        boxes, files = dialogs()
        boxes.question = lambda *a, **k: boxes.StandardButton.Discard
        for name in ("getOpenFileName", "getSaveFileName", "getOpenFileNames"):
            setattr(files, name, staticmethod(lambda *a, **k: ("", "")))
        ThumbnailWorker.want = lambda *arguments: None
        self.start, self.assets = beginning()
        self.library = Library(Path(_HOME) / "shelf")
        self.window = Window(Workshop(self.start, self.assets, self.library))
        self.faults: list[str] = []
        self.guard = guard = FaultGuard(self.window)
        guard.take = lambda fault, where: self.faults.append(f"{where}: {told(fault)}")
        guard.install()
        self.workshop = self.window.workshop
        self.workshop.said.connect(self._listen)
        self.window.resize(1040, 640)
        self.window.show()
        self.swatches = [entry.id for entry in self.library.entries()]
        self.settle(0.5)

    def _listen(self, text: str) -> None:
        if "could not be rendered" in text or "did not work" in text:
            self.faults.append(text)

    def settle(self, seconds: float) -> None:
        """Let events and threads go on for a while."""
        ends = time.monotonic() + seconds
        while time.monotonic() < ends:
            self.pump()
            time.sleep(0.002)

    def pump(self) -> None:
        """Handle what events there are, as the program's loop does."""
        from PyQt6.QtCore import QCoreApplication, QEvent

        self.app.processEvents()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)  # no loop runs, which would do that

    def settle_threads(self) -> None:
        """Let what was begun in the background land."""
        window = self.window
        for _ in range(400):
            self.settle(0.01)
            jobs = (window.shapes.job, window.files.save_job, window.files.open_job)
            if not self.workshop.aside.is_busy and not any(jobs) and not window.work.unwrapping:
                break
        self.settle(0.02)

    def run(self, number: int, folder: Path) -> str:
        from mat_shelf.exchange.assets import Assets
        from mat_shelf.exchange.project_file import read_project, save_project

        chance = random.Random(number)
        workshop = self.workshop
        self.faults.clear()
        assets = Assets()
        assets.take(self.assets)  # what a project brings goes with it
        workshop.replace(self.start, assets, None)
        self.hands = Hands(self, chance)
        done: list[str] = []
        for _ in range(OPERATIONS):
            done.append(self.hands.do())
            self.pump()
            if chance.random() < 0.02:
                self.settle(0.05)
            if self.faults:
                return f"traceback: after {done[-3:]}: {self.faults[0]}"
        self.settle_threads()
        workshop.history.end_gesture()
        end, count = workshop.project, 0
        while workshop.history.undo_label is not None:
            workshop.undo()
            count += 1
        if count < 499 and workshop.project != self.start:
            return "traceback: undoing all does not lead to the beginning"
        self.settle(0.02)
        for _ in range(count):  # what was undone before the end stays undone
            workshop.redo()
        if workshop.project != end:
            return "traceback: doing all again does not lead to the end"
        save_project(folder / "case.matshelf", end, workshop.assets)
        if read_project(folder / "case.matshelf")[0] != end:
            return "traceback: what was opened is not what was saved"
        self.settle_threads()
        if self.faults:
            return f"traceback: {self.faults[0]}"
        return "undone, redone and kept"


class Hands:
    """Random operations, each by its name."""

    def __init__(self, trial: Trial, chance: random.Random):
        self.window, self.chance = trial.window, chance
        self.workshop = self.window.workshop
        self.swatches = trial.swatches
        self.names = [name for name in dir(self) if name.startswith("op_")]

    def do(self) -> str:
        name = self.chance.choice(self.names)
        getattr(self, name)()
        return name

    # Choices

    def number(self) -> float:
        return self.chance.choice(NUMBERS) if self.chance.random() < 0.4 else self.chance.uniform(-2, 2)

    def part(self):
        parts = self.workshop.project.product.parts
        return self.chance.choice(parts) if parts else None

    def hit(self):
        from mat_shelf.patterns.placement_edit import PlacementHit

        part = self.part()
        if part is None:
            return None
        mesh = self.workshop.assets.meshes[part.mesh]
        face = mesh.triangles[self.chance.randrange(len(mesh.triangles))]
        place = mesh.vertices[face].mean(axis=0) * part.pose.scale + part.pose.shift
        return PlacementHit(part.id, tuple(float(x) for x in place), tuple(float(x) for x in mesh.normals[face[0]]))

    def pattern(self):
        patterns = self.window.board.patterns.recipe.patterns if self.workshop.layer else ()
        return self.chance.choice(patterns) if patterns else None

    def field(self, thing):
        """A random change of a random plain field of a value of the project; None where it is refused."""
        names = [
            name
            for name, field in type(thing).model_fields.items()
            if field.annotation in (float, bool, int) or name.endswith("color") or name in ("name", "way", "profile")
        ]
        name = self.chance.choice(names)
        value = getattr(thing, name)
        if isinstance(value, bool):
            new = not value
        elif isinstance(value, float | int):
            new = self.number()
        elif isinstance(value, tuple):
            new = tuple(self.chance.choice((0.0, 1.0, 0.3, self.number())) for _ in range(3))
        else:
            new = self.chance.choice(WORDS)
        return self.workshop.changed(thing, name, new)

    # Selecting and looking

    def op_select(self):
        part = self.part()
        zone = self.chance.choice([None, *(z.id for z in part.zones)]) if part else None
        self.workshop.select(part.id if part else None, zone)

    def op_select_also(self):
        if (part := self.part()) is not None:
            self.workshop.select_also(part.id)

    def op_station(self):
        self.chance.choice(self.window.stations.buttons()).click()

    def op_mouse(self):
        from PyQt6.QtCore import QPoint, Qt
        from PyQt6.QtTest import QTest

        viewport = self.window.viewport
        at = QPoint(self.chance.randrange(viewport.width()), self.chance.randrange(viewport.height()))
        button = self.chance.choice((Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton))
        keys = self.chance.choice((Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier))
        QTest.mousePress(viewport, button, keys, at)
        for _ in range(self.chance.randrange(4)):
            at += QPoint(self.chance.randrange(-40, 40), self.chance.randrange(-40, 40))
            QTest.mouseMove(viewport, at)
        QTest.mouseRelease(viewport, button, keys, at)

    def op_key(self):
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest

        keys = (Qt.Key.Key_F, Qt.Key.Key_Home, Qt.Key.Key_PageDown, Qt.Key.Key_PageUp, Qt.Key.Key_Escape, Qt.Key.Key_W,
                Qt.Key.Key_B, Qt.Key.Key_Left, Qt.Key.Key_Up, Qt.Key.Key_Q, Qt.Key.Key_Delete)  # fmt: skip
        QTest.keyClick(self.window.viewport, self.chance.choice(keys))

    def op_look(self):
        camera = self.workshop.camera
        moved = self.workshop.changed(camera, "position", tuple(600 * self.chance.uniform(-1, 1) for _ in range(3)))
        self.workshop.explore(self.chance.choice((None, moved)))

    def op_close_up(self):
        hit = self.hit()
        self.workshop.place_close_up(hit.position if hit and self.chance.random() < 0.5 else None)

    # Materials

    def op_wear(self):
        if (part := self.part()) is not None:
            zone = self.chance.choice([None, *(z.id for z in part.zones)])
            self.workshop.wear(part.id, self.chance.choice(self.swatches), zone)

    def op_value(self):
        from mat_shelf.app.widgets.binding import of_material

        if (layer := self.workshop.layer) is not None:
            names = [n for n, f in type(layer).model_fields.items() if f.annotation in (float, bool)]
            name = self.chance.choice(names)
            value = self.number() if isinstance(getattr(layer, name), float) else self.chance.random() < 0.5
            of_material(self.workshop, name).set(value, self.chance.choice((None, "drag")))

    def op_type(self):
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest

        rows = [row for row in self.window.board.rows.values() if hasattr(row, "number")]
        row = self.chance.choice(rows)
        if row.number.isVisible() and row.number.isEnabled():
            row.number.setText(self.chance.choice(("0.3", "1e99", "nan", "abc", "", "-1", "0,5", "1" * 400)))
            QTest.keyClick(row.number, Qt.Key.Key_Return)

    def op_variant(self):
        if len(self.workshop.project.materials) < 40:
            self.workshop.make_variant()

    def op_give_back(self):
        material = self.workshop.selected_material
        if material is not None and material.parent and material.own:
            own = self.chance.choice(material.own).split("/")[-1]
            if own in type(material.recipe).model_fields:
                self.workshop.reset_to_parent(own)

    def op_rename_material(self):
        self.workshop.rename_material(self.chance.choice(WORDS))

    def op_material(self):
        from mat_shelf.commands.materials import Wearable

        workshop, materials = self.workshop, self.workshop.project.materials
        if not materials:
            return
        material, way = self.chance.choice(materials), self.chance.randrange(8)
        swatch = Wearable("swatch", self.chance.choice(self.swatches))
        what = self.chance.choice((Wearable("material", material.id), swatch))
        if way == 0 and len(materials) < 40:
            workshop.duplicate_material(self.chance.choice((None, material.id)))
        elif way == 1:
            workshop.delete_materials([m.id for m in self.chance.sample(materials, min(2, len(materials)))])
        elif way == 2:
            workshop.copy_material()
        elif way == 3:
            workshop.paste_material()
        elif way == 4 and len(workshop.project.product.parts):
            workshop.put_on(workshop.selected_wearers, what, self.chance.random() < 0.2)
        elif way == 5:
            workshop.replace_everywhere(material.id, what)
        elif way == 6 and workshop.overlay is None:
            own = workshop.selected_material
            if own is not None and len(own.recipe.overlays) < 3:
                workshop.lay_over(what)
        elif way == 7:
            workshop.select_all_wearing(material.id)

    def op_color(self):
        workshop = self.workshop
        colors, way = workshop.project.colors, self.chance.randrange(6)
        if workshop.layer is None:
            return
        fields = type(workshop.layer).model_fields
        name = self.chance.choice([n for n in fields if n.endswith("_color")])
        if way == 0 and len(colors) < 5:
            workshop.name_color(name, self.chance.choice(WORDS))
        elif way == 1:
            workshop.unlink_color(name)
        elif colors:
            chosen = self.chance.choice(colors).id
            value = tuple(self.chance.random() for _ in range(3))
            if way == 2:
                workshop.link_color(name, chosen)
            elif way == 3:
                workshop.change_color(chosen, value, self.chance.choice((None, "drag")))
            elif way == 4:
                workshop.rename_color(chosen, self.chance.choice(WORDS))
            else:
                workshop.remove_color(chosen)

    def op_keep(self):
        from mat_shelf.commands.materials import Wearable

        workshop, material = self.workshop, self.workshop.selected_material
        if material is None or len(workshop.library_entries()) > 120:
            return
        overlays, patterns = material.recipe.overlays, workshop.layer.patterns
        if overlays and self.chance.random() < 0.5:
            workshop.save_overlay(self.chance.choice(overlays).id)
        elif patterns:
            workshop.save_pattern(self.chance.choice(patterns).id)
        kept = [entry for entry in workshop.library_entries() if entry.kind != "material"]
        if kept and len(overlays) < 3:
            workshop.put_on(workshop.selected_wearers, Wearable("swatch", self.chance.choice(kept).id))

    def op_step_of_history(self):
        self.workshop.go_to_step(self.chance.randrange(len(self.workshop.history.steps) + 2))

    def op_look_at_input(self):
        from mat_shelf.rendering.input_picture import INPUT_VIEWS

        self.workshop.look_at_input(self.chance.choice(("", *INPUT_VIEWS)))

    def op_reference(self):
        from mat_shelf.document.reference import Overlap

        workshop = self.workshop
        references = workshop.project.references
        way = self.chance.randrange(5)
        if way == 0 and len(references) < 4:
            self.window.keep_snapshot()
        elif references:
            chosen = self.chance.choice(references).id
            if way == 1:
                workshop.remove_reference(chosen)
            elif way == 2:
                workshop.choose_reference(chosen)
            elif way == 3:
                workshop.rename_reference(chosen, self.chance.choice(WORDS))
            else:
                turn = self.chance.uniform(-3, 3)
                workshop.lay_reference(self.chance.choice((None, Overlap(turn=turn, right=self.chance.uniform(-2, 2)))))

    def op_unused(self):
        self.workshop.remove_unused()

    def op_overlay(self):
        from mat_shelf.library.shipped import READY_OVERLAYS

        material = self.workshop.selected_material
        if material is None:
            return
        if self.chance.random() < 0.3 and len(material.recipe.overlays) < 3 and self.workshop.overlay is None:
            self.window.board.overlays_card.add(self.chance.choice(READY_OVERLAYS))
        else:
            self.workshop.open_overlay(self.chance.choice([None, *(o.id for o in material.recipe.overlays)]))

    # Patterns

    def op_begin(self):
        from mat_shelf.patterns.ready import READY

        work = self.window.board.patterns
        if self.workshop.layer is not None and len(work.recipe.patterns) < MOST_PATTERNS:
            work.open(work.begin_with_ready(self.chance.choice(READY).pattern.id))

    def op_open_pattern(self):
        pattern = self.pattern()
        self.window.board.patterns.open(pattern.id if pattern else None)

    def op_step(self):
        from mat_shelf.patterns.steps import STEPS

        work = self.window.board.patterns
        pattern = work.pattern
        if pattern is None:
            return
        place = self.chance.randrange(len(pattern.steps))
        way = self.chance.randrange(7)
        if way == 0 and len(pattern.steps) < 5:
            work.add_step(self.chance.choice(STEPS)())
        elif way == 1:
            work.remove_step(place)
        elif way == 2:
            work.move_step(place, self.chance.randrange(9))
        elif way == 3 and len(pattern.steps) < 5:
            work.duplicate_step(place)
        elif way == 4:
            work.switch_step(place)
        elif (changed := self.field(pattern.steps[place])) is not None:
            work.put_step(place, changed, self.chance.choice((None, "drag")))

    def op_placement(self):
        work = self.window.board.patterns
        if work.pattern is not None and (changed := self.field(work.pattern.placement)) is not None:
            work.put_placement(changed)

    def op_feed(self):
        from mat_shelf.document.recipe import FEEDABLE

        work, pattern = self.window.board.patterns, self.pattern()
        if pattern is not None:
            name = self.chance.choice(FEEDABLE)
            self.chance.choice((lambda: work.feed(name, pattern.id), lambda: work.remove_feed(name)))()

    def op_relief(self):
        work, pattern = self.window.board.patterns, self.pattern()
        rows = work.recipe.relief
        if pattern is not None and len(rows) < 3 and self.chance.random() < 0.5:
            work.add_relief(pattern.id)
        elif rows and (changed := self.field(rows[0].with_(is_displaced=False))) is not None:
            work.set_relief(changed.with_(is_displaced=False))
        elif rows:
            work.remove_relief(rows[-1].id)

    def op_throw_out_pattern(self):
        if (pattern := self.pattern()) is not None:
            self.window.board.patterns.remove(pattern.id)

    def op_rename_pattern(self):
        self.window.board.patterns.rename(self.chance.choice(WORDS))

    # The product

    def op_move(self):
        work = self.window.work
        by = [self.chance.choice((0.0, 5.0, -30.0, 1e9, self.number())) for _ in range(3)]
        way = self.chance.randrange(7)
        if not self.workshop.project.product.parts:
            return
        if way == 0:
            work.shift(work.picked(), by)
        elif way == 1:
            work.turn(self.chance.randrange(3), self.chance.choice((90.0, 7.0, -1e5)))
        elif way == 2:
            work.scale_to(self.chance.choice((0.5, 2.0, 1e-5, 1e5, 0.0, float("nan"))))
        elif way == 3:
            work.read_as(self.chance.choice(("mm", "cm", "m", "in", "ft")))
        else:
            self.chance.choice((work.centre, work.stand_on_floor, work.set_down, work.upright))()

    def op_parts(self):
        work = self.window.work
        if len(self.workshop.project.product.parts) > MOST_PARTS:
            work.remove()
            return
        part = self.part()
        if part is None:
            return
        self.chance.choice(
            (
                work.duplicate,
                work.remove,
                work.isolate,
                work.group,
                work.ungroup,
                lambda: work.rename(part.id, None, self.chance.choice(WORDS)),
                lambda: work.toggle_hidden(part.id),
                lambda: work.align(self.chance.randrange(3), self.chance.choice((0.0, 0.5, 1.0))),
                lambda: work.show_gap(self.chance.choice((-1, 1))),
            )
        )()

    def op_zones(self):
        work, part = self.window.work, self.part()
        if part is None:
            return
        work.way = self.chance.choice(("smooth", "alike", "piece", "loop", "drawn"))
        faces = len(self.workshop.assets.meshes[part.mesh].triangles)
        self.chance.choice(
            (
                lambda: work.pick(part.id, self.chance.randrange(faces), self.chance.random() < 0.5),
                lambda: work.change_chosen(self.chance.choice(("grow", "shrink", "invert"))),
                work.make_zone,
                work.dissolve_zone,
            )
        )()

    def op_surface(self):
        workshop, part = self.workshop, self.part()
        if part is None or len(workshop.assets.meshes[part.mesh].triangles) > 100_000:
            return
        workshop.select(part.id)
        values = self.chance.choice(
            (
                {"edge_radius": self.chance.choice((0.0, 0.3, 5.0, 100.0))},
                {"rounded_edges": self.chance.choice(("convex", "concave", "both"))},
                {"smoothing": self.chance.choice((0, 1, 2)), "hard_angle": self.chance.choice((0.0, 60.0, 180.0))},
            )
        )
        workshop.edit("Surface", workshop.project.with_part(part.with_(**values)))

    def op_fill(self):
        from mat_shelf.document.fill import MEASURES
        from mat_shelf.fills.liquids import LIQUIDS

        work, part = self.window.fills, self.part()
        self.workshop.select(part.id if part is not None else None)
        size = self.chance.choice((0.01, 0.5, 2.0, 6.0, 80.0))
        self.chance.choice(
            (
                work.add_fill,
                work.add_beads,
                work.add_bubbles,
                work.add_foam,
                work.add_stream,
                lambda: work.hollow(size, self.chance.choice((0.5, 3.0, 90.0)), self.chance.choice((0.0, 2.0))),
                lambda: work.hollow_anew(wall=size, base=self.chance.choice((0.5, 3.0, 90.0))),
                lambda: work.set_level(self.number()),
                lambda: work.set_measure(self.chance.choice(tuple(MEASURES))),
                lambda: work.set_liquid(self.chance.choice(LIQUIDS)),
                work.take_next_cavity,
                lambda: work.pour_on_top(self.chance.choice(LIQUIDS)),
                lambda: work.float_part(self.chance.choice((0.1, 0.917, 3.0))),
                lambda: self._strewn(work),
                lambda: self._strewn(work),
                work.tell,
            )
        )()

    def _strewn(self, work):
        """Changes a value of a fill, of bubbles or of drops, or removes them."""
        kinds = "fill", "bubbles", "foam", "stream", "beads"
        part = self.chance.choice([getattr(work, f"{kind}_part") for kind in kinds])
        if part is None:
            return
        if self.chance.random() < 0.15:
            work.remove(part)
            return
        kind = next(kind for kind in kinds if getattr(part, kind) is not None)
        changed = self.field(getattr(part, kind))
        if changed is not None and not (kind == "beads" and changed.density > 400):
            self.workshop.edit("Value", self.workshop.project.with_part(part.with_(**{kind: changed})))

    def op_hand_over(self):
        from mat_shelf.document.finish import Adjustment

        work, project = self.window.hand_over, self.workshop.project
        part = self.part()
        self.chance.choice(
            (
                lambda: work.add_shots([view.id for view in project.views][:3], size=(64, 48, 72.0), samples=1),
                work.duplicate_shot,
                work.remove_shot,
                lambda: work.move_shot(self.chance.choice((-1, 1))),
                lambda: work.change_shot("Shot", samples=self.chance.randrange(1, 9), name=self.chance.choice(WORDS)),
                lambda: work.set_pattern(self.chance.choice(WORDS)),
                lambda: work.add_masked("product"),
                lambda: work.add_masked("part", part.id if part is not None else "gone"),
                work.remove_masked,
                work.reset_adjustment,
                lambda: self.workshop.edit("Adjust", work.with_adjustment(self.field(work.adjustment) or Adjustment())),
                lambda: self.workshop.edit("Finish", project.with_finish(self.field(work.finish) or work.finish)),
            )
        )()

    def op_mend(self):
        work, part = self.window.work, self.part()
        if part is None or len(self.workshop.project.product.parts) > MOST_PARTS:
            return
        self.workshop.select(part.id)
        thickness = self.chance.choice((0.01, 0.5, 1e3))
        self.chance.choice(
            (
                work.close_holes,
                work.flip,
                work.split_pieces,
                work.split_faces,
                work.join,
                work.choose_alike,
                lambda: work.thicken(thickness),
                lambda: work.split_layers(thickness, self.chance.choice((1, 2))),
            )
        )()

    def op_light(self):
        from mat_shelf.commands.lights import PRESETS
        from mat_shelf.document.light import KINDS

        workshop = self.workshop
        places = [tuple(self.chance.choice((0.0, 100.0, -1e4, 3.0)) for _ in range(3)) for _ in range(2)]
        if workshop.light is not None and self.chance.random() < 0.3:
            changed = self.field(workshop.light)
            if changed is not None:
                workshop.edit("Light", workshop.project.with_set(workshop.with_light(changed)))
            return
        part = self.part()
        if part is not None and self.chance.random() < 0.3:
            workshop.select_part_light(part.id)
            changed = workshop.part_light and self.field(workshop.part_light)
            if changed is not None:
                workshop.edit("Part light", workshop.project.with_set(workshop.with_part_light(changed)))
            workshop.switch_part_light(part.id, self.chance.random() < 0.5)
            return
        workshop.select_light(self.chance.randrange(4))
        self.chance.choice(
            (
                lambda: workshop.add_light(self.chance.choice(list(PRESETS)), places[0], 100.0, (50.0, 80.0, 400.0)),
                workshop.duplicate_light,
                workshop.remove_light,
                workshop.solo_light,
                workshop.duplicate_set,
                workshop.remove_set,
                lambda: workshop.rename_set(self.chance.choice(WORDS)),
                lambda: workshop.put_highlight(places[0], (0.0, 1.0, 0.0), (50.0, 80.0, 400.0)),
                lambda: workshop.aim_light(places[1]),
                lambda: workshop.put_light_away(self.chance.choice((0.0, 1e9, 300.0))),
                lambda: workshop.put_shadow(places[0], places[1]),
                lambda: workshop.move_light(places[1]),
                lambda: workshop.set_light_kind(self.chance.choice(list(KINDS))),
                lambda: workshop.set_light_switch("keeps_power", self.chance.random() < 0.5),
                lambda: workshop.set_light_image(self.chance.choice(("Window", "Blind", None))),
                lambda: workshop.shape_light({"width": self.chance.choice((0.0, 1e9, 50.0))}),
            )
        )()

    def op_surround(self):
        from mat_shelf.document.set import Sky
        from mat_shelf.scene.sets import SETS

        workshop = self.workshop
        studio, sky = workshop.project.set, Sky(height=self.chance.choice((0.5, 20.0, 90.0)))
        worn = self.chance.choice([None, *(material.id for material in workshop.project.materials)])
        switches = {"keeps_apart": self.chance.random() < 0.5, "straight_light": self.chance.random() < 0.2}
        self.chance.choice(
            (
                lambda: workshop.set_sky(sky.with_(is_overcast=self.chance.random() < 0.5)),
                workshop.set_plain_room,
                lambda: workshop.set_backdrop(self.chance.choice(("sweep", "floor", "box", ""))),
                lambda: workshop.dress_backdrop(worn),
                lambda: workshop.add_shipped_set(self.chance.choice(SETS).id, self.chance.choice((0.1, 200.0, 1e6))),
                lambda: workshop.edit("Set", workshop.project.with_set(studio.with_(**switches))),
                lambda: workshop.balance_white(
                    self.chance.choice(((1.0, 0.8, 0.5), (0.0, 0.0, 0.0), (1e-9, 1.0, 50.0)))
                ),
            )
        )()
        if len(workshop.project.sets) > 6:
            workshop.remove_set()

    # Marks

    def op_mark(self):
        work, hit = self.window.marks, self.hit()
        marks = self.workshop.project.marks
        if hit is not None and len(marks) < 4 and self.chance.random() < 0.4:
            work.add(self.chance.choice(("label", "print", "foil", "stamp", "screen")), hit)
        elif marks:
            mark = self.chance.choice(marks)
            work.open(mark.id)
            way = self.chance.randrange(9)
            if way == 0:
                work.nudge(self.number(), self.number())
            elif way == 1 and hit is not None:
                work.carry(mark, hit)
            elif way == 2:
                work.centre()
            elif way == 3:
                sides = {
                    side: self.chance.choice((0.0, 1.0, -3.0, self.number()))
                    for side in ("left", "right", "top", "bottom")
                }
                work.crop(mark, sides)
            elif way == 4 and len(marks) < 4:
                work.copy(mark)
            elif way == 5:
                work.remove(mark)
            elif way == 6:
                work.move(mark, self.chance.choice((-1, 1)))
            elif (changed := self.field(mark.with_(is_displaced=False))) is not None:
                work.put("Change", changed.with_(is_displaced=False))

    # The set and the views

    def op_set(self):
        workshop = self.workshop
        if self.chance.random() < 0.3:
            workshop.use_set(self.chance.choice(workshop.project.sets).id)
        elif (changed := self.field(workshop.project.set)) is not None:
            workshop.edit("Set", workshop.project.with_set(changed))

    def op_view(self):
        workshop = self.workshop
        self.chance.choice(
            (
                lambda: workshop.save_view(self.chance.choice(WORDS)),
                workshop.move_view_here,
                workshop.remove_view,
                lambda: workshop.look_through(self.chance.choice(workshop.project.views).id),
            )
        )()

    # The history

    def op_undo(self):
        for _ in range(self.chance.randrange(1, 6)):
            self.chance.choice((self.workshop.undo, self.workshop.undo, self.workshop.redo))()


def dialogs():
    """What would wait for an answer."""
    from PyQt6.QtWidgets import QFileDialog, QMessageBox

    return QMessageBox, QFileDialog


def told(fault: BaseException) -> str:
    """A fault and where it came from, in one line."""
    frames = [f"{Path(frame.filename).name}:{frame.lineno}" for frame in traceback.extract_tb(fault.__traceback__)[-3:]]
    return f"{type(fault).__name__}: {' '.join(str(fault).split())[:160]} at {' > '.join(frames)}"


def beginning():
    """A small product that is quick to render."""
    from mat_shelf.document.material import Material
    from mat_shelf.document.product import Part, Pose, Product
    from mat_shelf.document.recipe import Recipe
    from mat_shelf.exchange.assets import Assets
    from mat_shelf.exchange.models.mesh_glb import NamedMesh
    from mat_shelf.exchange.product_import import new_project
    from mat_shelf.geometry.solids import box

    assets = Assets()
    block = assets.add(NamedMesh("block", box((60, 40, 30), 3)))
    cap = assets.add(NamedMesh("cap", box((20, 10, 20), 2)))
    parts = (
        Part(id="block", name="Block", mesh=block, material="red", pose=Pose(shift=(0, 20, 0))),
        Part(id="cap", name="Cap", mesh=cap, material="grey", pose=Pose(shift=(0, 46, 0))),
    )
    red = Material(id="red", name="Red", recipe=Recipe(base_color=(0.5, 0.05, 0.05)))
    grey = Material(id="grey", name="Grey", recipe=Recipe(base_color=(0.3, 0.3, 0.3), base_metalness=1.0))
    return new_project(Product(name="Block", parts=parts), (red, grey), (60.0, 55.0, 30.0)), assets


def resident_mb() -> float:
    gc.collect()
    with open("/proc/self/statm") as file:
        return int(file.read().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 2**20


_trial: Trial | None = None


def run_case(number: int, folder: Path) -> str:
    global _trial
    _trial = _trial or Trial()
    end = _trial.run(number, folder)
    if end.startswith("traceback"):
        _end()  # what went wrong may stay with the window
    return end


def _end() -> None:
    global _trial
    _trial.window.workshop.history.saved = _trial.window.workshop.project
    _trial.window.close()
    _trial.guard.remove()
    _trial.window.deleteLater()
    _trial.app.processEvents()
    _trial = None


if __name__ == "__main__":
    code = main(__file__, run_case, 100, resident_mb, batch=25, is_bounded=False)
    if _trial is not None:
        _end()
    for thread in threading.enumerate():
        if thread is not threading.main_thread() and not thread.daemon:
            thread.join(5)
    sys.stdout.flush()
    os._exit(code)
