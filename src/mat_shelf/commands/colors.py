"""Colours of the project: added, given to inputs, changed once for all that have them."""

from mat_shelf.commands.command import command
from mat_shelf.document.color import ColorLink, ProjectColor
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.material import Material

Color = tuple[float, float, float]


class ColorCommands:
    """Commands on the colours that materials of the project share."""

    def linked_color(self, name: str) -> ProjectColor | None:
        """The colour of the project that an input on the board has.

        Parameters
        ----------
        name : str
            Name of the input.

        Returns
        -------
        ProjectColor or None
        """
        link = self._link_of(self.selected_material, name)
        return self.project.color(link.color) if link is not None else None

    def _link_of(self, material: Material | None, name: str) -> ColorLink | None:
        overlay = self.overlay.id if self.overlay is not None else None
        links = material.color_links if material is not None else ()
        return next((link for link in links if (link.input, link.overlay) == (name, overlay)), None)

    @command
    def name_color(self, name: str, color_name: str = "Colour 1") -> None:
        """Makes the colour of an input on the board one of the project, which the input has from then on.

        Parameters
        ----------
        name : str
            Name of the input.
        color_name : str
            Name of the colour; the first free one after it.
        """
        layer, project = self.layer, self.project
        if layer is None:
            return
        free = free_name(color_name.strip() or "Colour", {color.name for color in project.colors})
        made = ProjectColor(id=new_id("color"), name=free, value=getattr(layer, name))
        self._link(f"Colour {free}", project.with_color(made), name, made)

    @command
    def link_color(self, name: str, color_id: str) -> None:
        """Gives an input on the board a colour of the project.

        Parameters
        ----------
        name : str
            Name of the input.
        color_id : str
            Id of the colour.
        """
        if self.layer is not None:
            color = self.project.color(color_id)
            self._link(color.name, self.project, name, color)

    def _link(self, label: str, project, name: str, color: ProjectColor) -> None:
        overlay = self.overlay.id if self.overlay is not None else None
        link, material = ColorLink(input=name, color=color.id, overlay=overlay), self.selected_material
        material = material.tuned(link.put_into(material.recipe, color.value))
        kept = tuple(other for other in material.color_links if (other.input, other.overlay) != (name, overlay))
        self.edit(label, project.with_material(material.with_(color_links=(*kept, link))))

    @command
    def unlink_color(self, name: str) -> None:
        """Lets an input on the board keep its colour, and no longer follow the project's.

        Parameters
        ----------
        name : str
            Name of the input.
        """
        material = self.selected_material
        link = self._link_of(material, name)
        if link is not None:
            rest = tuple(other for other in material.color_links if other != link)
            self.edit("Unlink colour", self.project.with_material(material.with_(color_links=rest)))

    @command
    def change_color(self, color_id: str, value: Color, gesture: str | None = None) -> None:
        """Changes a colour of the project, and every input that has it.

        Parameters
        ----------
        color_id : str
            Id of the colour.
        value : (3,) float
            Linear Rec.709.
        gesture : str or None
            Edits of one gesture are one step of the history.
        """
        color = self.project.color(color_id)
        project = self.project.with_color(color.with_(value=value))
        for material in project.materials:
            links = [link for link in material.color_links if link.color == color_id]
            if links:
                recipe = material.recipe
                for link in links:
                    recipe = link.put_into(recipe, value)
                links_kept = material.color_links
                project = project.with_material(material.tuned(recipe).with_(color_links=links_kept))
        self.edit(color.name, project, gesture and f"{gesture} color {color_id}")

    @command
    def rename_color(self, color_id: str, name: str) -> None:
        """Rename a colour of the project.

        Parameters
        ----------
        color_id : str
            Id of the colour.
        name : str
            New name; an empty one changes nothing.
        """
        if name.strip():
            color = self.project.color(color_id)
            self.edit("Rename colour", self.project.with_color(color.with_(name=name.strip()[:120])))

    @command
    def remove_color(self, color_id: str) -> None:
        """Removes a colour of the project; inputs that had it keep their value.

        Parameters
        ----------
        color_id : str
            Id of the colour.
        """
        project = self.project
        materials = tuple(
            m.with_(color_links=tuple(link for link in m.color_links if link.color != color_id))
            if any(link.color == color_id for link in m.color_links)
            else m
            for m in project.materials
        )
        colors = tuple(color for color in project.colors if color.id != color_id)
        self.edit("Remove colour", project.with_(materials=materials, colors=colors))
