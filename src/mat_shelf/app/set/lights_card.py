"""Lights of the set: a list with switches."""

from functools import partial

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QStyle,
    QStyledItemDelegate,
    QVBoxLayout,
    QWidget,
)

from mat_shelf.app.theme import THEME, font
from mat_shelf.app.widgets.plain_label import plain_text
from mat_shelf.app.widgets.small_widgets import small_button
from mat_shelf.app.workshop import ProductWork, Workshop
from mat_shelf.commands.lights import PRESETS
from mat_shelf.scene.part_lights import glowing_parts, part_light_of
from mat_shelf.scene.rigs import RIGS

_STRENGTH, _PART = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
_STRENGTH_WIDTH = 36


class LightsCard(QWidget):
    """Lights and glowing parts by name, each with its strength in stops; a tick switches one on."""

    def __init__(self, workshop: Workshop, work: ProductWork):
        super().__init__()
        self.workshop, self.work = workshop, work
        self.list = QListWidget()
        self.list.setAccessibleName("Lights of the set")
        self.list.setMinimumWidth(140)
        self.list.setItemDelegate(_StrengthBeside(self.list))
        self.list.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.list.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._select)
        self.list.itemChanged.connect(self._changed)
        self.add_button = small_button("Add", "Adds a light beside the camera")
        menu = QMenu(self.add_button)
        for preset in PRESETS:
            menu.addAction(preset, partial(self.add_light, preset))
        rigs = menu.addMenu("Rig")
        for rig in RIGS:
            rigs.addAction(rig, partial(self.add_rig, rig))
        self.add_button.setMenu(menu)
        self.copy_button = small_button("Duplicate", "Adds a copy beside it", workshop.duplicate_light)
        self.solo_button = small_button("Solo", "Switches all other lights off, or all on again", workshop.solo_light)
        self.remove_button = small_button("Remove", "Removes the light from the set", workshop.remove_light)
        grid = QGridLayout()
        grid.setSpacing(6)
        buttons = (self.add_button, self.copy_button, self.solo_button, self.remove_button)
        for place, button in enumerate(buttons):
            grid.addWidget(button, place // 2, place % 2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.list, 1)
        layout.addLayout(grid)

    def add_light(self, preset: str = "Softbox") -> None:
        """Adds a light beside the camera, as large as the product."""
        bounds = self.work.bounds().astype(np.float64)
        size = float(np.ptp(bounds, axis=0).max()) or 200.0
        self.workshop.add_light(preset, bounds.mean(axis=0), size, self.workshop.camera.position)

    def add_rig(self, name: str) -> None:
        """Adds lights by their roles, around the product."""
        bounds = self.work.bounds().astype(np.float64)
        size = float(np.ptp(bounds, axis=0).max()) or 200.0
        self.workshop.add_rig(name, bounds.mean(axis=0), size, self.workshop.camera.position)

    def _select(self, row: int) -> None:
        if 0 <= row < len(self.workshop.project.set.lights):
            if row != self.workshop.light_place:
                self.workshop.select_light(row)
        elif row >= 0:
            self.workshop.select_part_light(self.list.item(row).data(_PART))

    def _changed(self, item: QListWidgetItem) -> None:
        row, light = self.list.row(item), self.workshop.project.set.lights
        is_on = item.checkState() == Qt.CheckState.Checked
        if (part := item.data(_PART)) is not None:
            self.workshop.switch_part_light(part, is_on)
        elif not 0 <= row < len(light):
            return
        elif is_on != light[row].is_on:
            self.workshop.switch_light(row, is_on)
        elif item.text() != light[row].name:
            self.workshop.rename_light(row, item.text())
            self.follow()

    def follow(self) -> None:
        """Shows the lights of the set in use."""
        project, lights = self.workshop.project, self.workshop.project.set.lights
        glowing = [part_light_of(project.set, part) for part in glowing_parts(project)]
        names = [light.name for light in lights] + [project.part(light.part).name for light in glowing]
        self.list.blockSignals(True)
        while self.list.count() > len(names):
            self.list.takeItem(self.list.count() - 1)
        while self.list.count() < len(names):
            self.list.addItem(QListWidgetItem())
        for row, (light, name) in enumerate(zip((*lights, *glowing), names, strict=True)):
            item, is_part = self.list.item(row), row >= len(lights)
            flags = item.flags() | Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEditable
            item.setFlags(flags & ~Qt.ItemFlag.ItemIsEditable if is_part else flags)
            item.setData(_PART, light.part if is_part else None)
            item.setToolTip(plain_text(f"{name} glows: switched and dimmed here for this set alone" if is_part else ""))
            item.setText(name)
            item.setCheckState(Qt.CheckState.Checked if light.is_on else Qt.CheckState.Unchecked)
            words = f"{light.strength:+.1f}" if light.is_on else "off"
            item.setData(_STRENGTH, "" if is_part and words == "+0.0" else words)
        chosen = self.workshop.part_light
        self.list.setCurrentRow(
            self.workshop.light_place if chosen is None else len(lights) + [g.part for g in glowing].index(chosen.part)
        )
        self.list.blockSignals(False)
        for button in (self.copy_button, self.remove_button):
            button.setEnabled(self.workshop.light is not None)
        self.solo_button.setEnabled(self.workshop.light is not None or chosen is not None)


class _StrengthBeside(QStyledItemDelegate):
    """Writes the strength of a light at the end of its line."""

    def paint(self, painter: QPainter, option, index) -> None:
        style = option.widget.style()
        style.drawPrimitive(QStyle.PrimitiveElement.PE_PanelItemViewItem, option, painter, option.widget)
        words = index.data(_STRENGTH)
        beside = option.rect.adjusted(option.rect.width() - _STRENGTH_WIDTH, 0, -6, 0)
        option.rect.adjust(0, 0, -_STRENGTH_WIDTH + 6 if words else 6, 0)
        super().paint(painter, option, index)
        painter.save()
        painter.setFont(font(12, tabular=True))
        painter.setPen(QColor(THEME.quiet))
        painter.drawText(beside, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words)
        painter.restore()
