"""The menu of what is under the pointer."""

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QMenu

from mat_shelf.app.wall.tools.tool import Tool
from mat_shelf.commands.materials import Wearable


class PartMenu(Tool):
    """A right click selects the part under the pointer, if it is not yet, and offers what can be done with it."""

    def press(self, event) -> bool:
        if event.button() != Qt.MouseButton.RightButton:
            return False
        place = event.position()
        menu = self.menu(self.picker.part_at(place), self.picker.zone_at(place), place)
        menu.popup(event.globalPosition().toPoint())
        return True

    def menu(self, part_id: str | None, zone_id: str | None = None, place: QPointF | None = None) -> QMenu:
        """Commands for a part, and for the point of the widget where that is pointed at."""
        workshop, work, viewport = self.workshop, self.work, self.viewport
        menu = QMenu(viewport)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

        def add(text: str, run, is_enabled: bool = True) -> None:
            action = menu.addAction(text.replace("&", "&&"))
            action.triggered.connect(lambda: run())
            action.setEnabled(is_enabled)

        if part_id is not None:
            if part_id not in (workshop.selected, *workshop.also_selected):
                workshop.select(part_id, zone_id)
            part, material = workshop.project.part(part_id), workshop.selected_material
            add(f"Open {material.name}" if material else "Open material", viewport.material_wanted.emit, bool(material))
            alike = f"Select all with {material.name}" if material else "Select all with this material"
            add(alike, lambda: workshop.select_all_wearing(material.id), bool(material))
            add("Make a variant", workshop.make_variant, bool(material))
            menu.addMenu(self._others(menu))
            add("Copy material\tCtrl+C", workshop.copy_material, bool(material))
            add("Paste material\tCtrl+V", workshop.paste_material, workshop.copied is not None)
            add("Export…\tCtrl+E", viewport.export_wanted.emit)
            menu.addSeparator()
            add("Frame\tF", lambda: viewport.frame_part(part_id))
            if place is not None:
                add("Close-up here\tC", lambda: viewport.close_up_point.put(place))
                add("Ball here\tShift+C", lambda: viewport.close_up_point.put_ball(place))
            menu.addSeparator()
            add("Isolate", work.isolate)
            add(f"Hide {part.name}\tH", lambda: work.toggle_hidden(part_id))
            view, ids = workshop.project.view, [part_id, *workshop.also_selected]
            is_gone = part_id in view.hides
            add(f"{'Show' if is_gone else 'Hide'} in {view.name}", lambda: workshop.hide_in_view(ids, not is_gone))
            add(f"Show only in {view.name}", lambda: workshop.show_only_in_view(ids), len(workshop.project.views) > 1)
        add("Show all", lambda: work.hide(set(), "Show all"), any(p.is_hidden for p in workshop.project.product.parts))
        if part_id is not None:
            menu.addSeparator()
            add("Drop to floor", work.set_down)
            add("Duplicate", work.duplicate)
            add("Remove", work.remove)
        menu.addSeparator()
        add("Return to the view\tHome", lambda: workshop.explore(None), workshop.free_camera is not None)
        return menu

    def _others(self, menu: QMenu) -> QMenu:
        """The other materials of the project, to be worn by what is selected."""
        workshop, others = self.workshop, QMenu("Replace with", menu)
        worn = workshop.selected_material
        for material in workshop.project.materials:
            if worn is None or material.id != worn.id:
                what = Wearable("material", material.id)
                others.addAction(material.name.replace("&", "&&")).triggered.connect(
                    lambda _, what=what: workshop.put_on(workshop.selected_wearers, what)
                )
        others.setEnabled(not others.isEmpty())
        return others
