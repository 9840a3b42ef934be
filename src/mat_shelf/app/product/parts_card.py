"""List of parts, zones and groups."""

from PyQt6.QtCore import QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QBrush, QColor
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QHBoxLayout,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.library.swatch_drag import dragged_wearable
from mat_shelf.app.theme import THEME
from mat_shelf.app.widgets.plain_label import plain_text
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import ProductWork
from mat_shelf.commands.materials import Wearable

PART, ZONE, GROUP = (Qt.ItemDataRole.UserRole + k for k in range(3))
_ROOMY = 200
"""Pixels from which materials are shown beside the names."""


class _Tree(QTreeWidget):
    """Two columns that share the width; Qt lays out no sections of a hidden header. Swatches are dropped on them.

    Signals
    -------
    dressed : QTreeWidgetItem, Wearable
        A swatch or material was dropped on a line.
    """

    dressed = pyqtSignal(QTreeWidgetItem, object)

    def __init__(self):
        super().__init__(columnCount=2, headerHidden=True, uniformRowHeights=True)
        self.setAcceptDrops(True)
        self.setIndentation(14)
        self._lit: QTreeWidgetItem | None = None

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        width = self.viewport().width()
        is_roomy = width >= _ROOMY
        names = round(width * 0.55) if is_roomy else width
        self.setColumnHidden(1, not is_roomy)
        self.setColumnWidth(0, names)
        self.setColumnWidth(1, width - names)

    def clear(self) -> None:
        self._lit = None
        super().clear()

    def dragEnterEvent(self, event) -> None:
        if dragged_wearable(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event) -> None:
        item = self.itemAt(event.position().toPoint())
        self._light_up(item)
        if item is not None and dragged_wearable(event.mimeData()):
            event.acceptProposedAction()
        else:
            event.ignore()

    def dragLeaveEvent(self, event) -> None:
        self._light_up(None)

    def dropEvent(self, event) -> None:
        item, what = self.itemAt(event.position().toPoint()), dragged_wearable(event.mimeData())
        self._light_up(None)
        if item is not None and what:
            event.acceptProposedAction()
            self.dressed.emit(item, what)

    def _light_up(self, item: QTreeWidgetItem | None) -> None:
        """Marks the line that would take a drop."""
        self.blockSignals(True)
        for line, brush in ((self._lit, QBrush()), (item, QBrush(QColor(THEME.accent)))):
            if line is not None:
                line.setForeground(0, brush)
        self.blockSignals(False)
        self._lit = item


class PartsCard(QWidget):
    """The list, and what hides and groups parts.

    Signals
    -------
    menu_wanted : str, object, QPoint
        Part, zone or None, and where on the screen.
    """

    menu_wanted = pyqtSignal(str, object, QPoint)

    def __init__(self, work: ProductWork):
        super().__init__()
        self.work = work
        self.tree = _Tree()
        self.tree.dressed.connect(self._dress)
        self.tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.tree.customContextMenuRequested.connect(self._ask_for_menu)
        self.tree.setAccessibleName("Parts and zones")
        self.tree.setIndentation(14)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.tree.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.tree.setToolTip(
            "Untick a part to hide it. Double-click a name to rename it. Ctrl+click selects more.\n"
            "Drop a swatch on a line; right-click for more."
        )
        self.tree.header().setStretchLastSection(False)
        self.tree.itemClicked.connect(self._select)
        self.tree.itemChanged.connect(self._changed)
        self._shown: tuple = ()
        self.alone_button = small_button("Isolate", "Hides all other parts, or shows all again", work.isolate)
        self.all_button = small_button("All", "Shows every part", lambda: work.hide(set(), "Show all"))
        self.all_button.setAccessibleName("Show all")
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        buttons.addWidget(self.alone_button)
        self.group_button = small_button("Group", "Groups the selected parts, or ungroups them", self._group)
        buttons.addWidget(self.all_button)
        buttons.addWidget(self.group_button)
        buttons.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.tree)
        layout.addLayout(buttons)

    def follow(self) -> None:
        project = self.work.project
        names = {m.id: m.name for m in project.materials} | {None: "no material"}
        lines = tuple((p.id, p.name, p.material, p.zones, p.is_hidden, p.group) for p in project.product.parts)
        gone = set(project.view.hides)
        shown = (lines, tuple(names.items()), gone, project.view.name)
        self.tree.blockSignals(True)
        if shown != self._shown:
            self._shown = shown
            self.tree.clear()
            groups: dict[str, QTreeWidgetItem] = {}
            for part in project.product.parts:
                item = self._item(part.name, names[part.material], part.id, None)
                item.setCheckState(0, Qt.CheckState.Unchecked if part.is_hidden else Qt.CheckState.Checked)
                if part.id in gone:
                    for column in (0, 1):
                        item.setForeground(column, QBrush(QColor(THEME.faint)))
                        item.setToolTip(column, plain_text(f"{part.name} is not seen in {project.view.name}"))
                item.addChildren([self._item(z.name, names[z.material], part.id, z.id) for z in part.zones])
                if part.group is None:
                    self.tree.addTopLevelItem(item)
                else:
                    if part.group not in groups:
                        groups[part.group] = heading = self._item(part.group, "", None, None)
                        self.tree.addTopLevelItem(heading)
                        heading.setExpanded(True)
                    groups[part.group].addChild(item)
                item.setExpanded(True)
        workshop = self.work.workshop
        self.tree.clearSelection()
        wanted = {(workshop.selected, workshop.selected_zone_id), *((i, None) for i in workshop.also_selected)}
        for item in self._items():
            if item.data(0, PART) is not None and (item.data(0, PART), item.data(0, ZONE)) in wanted:
                item.setSelected(True)
                self.tree.scrollToItem(item)
        self.tree.blockSignals(False)
        self.alone_button.setEnabled(workshop.selected is not None)
        part = workshop.selected_part
        self.group_button.setText("Ungroup" if part is not None and part.group is not None else "Group")
        self.group_button.setEnabled(bool(workshop.also_selected) or (part is not None and part.group is not None))
        self.all_button.setEnabled(any(part.is_hidden for part in project.product.parts))

    def _group(self) -> None:
        part = self.work.workshop.selected_part
        (self.work.ungroup if part is not None and part.group is not None else self.work.group)()

    def _items(self):
        """Every line of the list: groups, parts and zones."""
        waiting = [self.tree.topLevelItem(row) for row in range(self.tree.topLevelItemCount())]
        while waiting:
            item = waiting.pop()
            yield item
            waiting += [item.child(k) for k in range(item.childCount())]

    @staticmethod
    def _item(name: str, material: str, part_id: str | None, zone_id: str | None) -> QTreeWidgetItem:
        item = QTreeWidgetItem([name, material])
        item.setData(0, GROUP, name if part_id is None else None)
        item.setData(0, PART, part_id)
        item.setData(0, ZONE, zone_id)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
        item.setToolTip(0, plain_text(f"{name}: {material}" if material else name))
        item.setToolTip(1, material)
        return item

    def _select(self, item: QTreeWidgetItem) -> None:
        workshop = self.work.workshop
        if item.data(0, GROUP) is not None:
            workshop.select_group(item.data(0, GROUP))
        elif QApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier and item.data(0, ZONE) is None:
            workshop.select_also(item.data(0, PART))
        else:
            workshop.select(item.data(0, PART), item.data(0, ZONE))

    def _dress(self, item: QTreeWidgetItem, what: Wearable) -> None:
        """Puts a swatch or material on the part, zone or group of a line."""
        workshop, group = self.work.workshop, item.data(0, GROUP)
        if group is not None:
            parts = [part.id for part in self.work.project.product.parts if part.group == group]
            workshop.put_on([(part, None) for part in parts], what)
        else:
            workshop.put_on([(item.data(0, PART), item.data(0, ZONE))], what)

    def _ask_for_menu(self, place: QPoint) -> None:
        item = self.tree.itemAt(place)
        if item is not None and item.data(0, PART) is not None:
            self.menu_wanted.emit(item.data(0, PART), item.data(0, ZONE), self.tree.viewport().mapToGlobal(place))

    def _changed(self, item: QTreeWidgetItem, column: int) -> None:
        """Takes over a new name or tick once Qt is done with the item, which the new list replaces."""
        if item.data(0, GROUP) is not None:
            old, new = item.data(0, GROUP), item.text(0)
            QTimer.singleShot(0, lambda: self.work.rename_group(old, new))
            return
        said = item.data(0, PART), item.data(0, ZONE), item.text(0), item.checkState(0) == Qt.CheckState.Unchecked
        QTimer.singleShot(0, lambda: self._take_over(*said))

    def _take_over(self, part_id: str, zone_id: str | None, name: str, is_hidden: bool) -> None:
        part = next((p for p in self.work.project.product.parts if p.id == part_id), None)
        if part is None or (zone_id is not None and zone_id not in {z.id for z in part.zones}):
            return
        old = part.zone(zone_id).name if zone_id else part.name
        if name != old:
            self._shown = ()
            self.work.rename(part_id, zone_id, name)
        elif zone_id is None and is_hidden != part.is_hidden:
            self.work.toggle_hidden(part_id)
        self.follow()
