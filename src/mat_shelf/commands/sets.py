"""Sets and their environment."""

from collections.abc import Callable
from pathlib import Path

from mat_shelf.commands.command import command
from mat_shelf.document.ids import name_from, name_of_copy, new_id
from mat_shelf.document.image import ImageRef
from mat_shelf.document.project import MOST_SETS
from mat_shelf.document.set import Backdrop, Plate, Set, Sky
from mat_shelf.exchange.image_reading import ImageError
from mat_shelf.exchange.light_distribution import DistributionError
from mat_shelf.system.file_reader import read_file


class SetCommands:
    """The set in use."""

    @command
    def use_set(self, set_id: str) -> None:
        """Puts a set in use.

        Parameters
        ----------
        set_id : str
            Id of the set.
        """
        self.edit("Change set", self.project.with_(current_set=set_id))

    @command
    def duplicate_set(self) -> None:
        """Add a copy of the set in use, and use it: to be changed while the other stays."""
        project = self.project
        if len(project.sets) >= MOST_SETS:
            self.said.emit(f"A project holds {MOST_SETS} sets at most; remove one first.")
            return
        name = name_of_copy(project.set.name, {studio.name for studio in project.sets})
        made = project.set.with_(id=new_id("set"), name=name)
        self.edit(f"Duplicate {project.set.name}", project.with_set(made).with_(current_set=made.id))

    @command
    def rename_set(self, name: str) -> None:
        """Rename the set in use.

        Parameters
        ----------
        name : str
            New name; an empty one changes nothing.
        """
        if name.strip():
            self.edit("Rename set", self.project.with_set(self.project.set.with_(name=name.strip()[:120])))

    @command
    def remove_set(self) -> None:
        """Removes the set in use, and its shots, unless it is the last one; the one before it comes in use."""
        project = self.project
        if len(project.sets) < 2:
            self.said.emit("A project needs a set; add another one first.")
            return
        place = [studio.id for studio in project.sets].index(project.current_set)
        rest = tuple(studio for studio in project.sets if studio.id != project.current_set)
        label = f"Remove {project.set.name}"
        project = project.with_shots(shot for shot in project.hand_over.shots if shot.set != project.current_set)
        self.edit(label, project.with_(sets=rest, current_set=rest[max(place - 1, 0)].id))

    @command
    def set_backdrop(self, form: str) -> None:
        """Gives the backdrop of the set in use another form.

        Parameters
        ----------
        form : str
            A form of `Backdrop`; empty takes it away.
        """
        studio = self.project.set
        backdrop = (studio.backdrop or Backdrop()).with_(form=form) if form else None
        self.edit("Backdrop", self.project.with_set(studio.with_(backdrop=backdrop)))

    @command
    def dress_backdrop(self, material_id: str | None) -> None:
        """Dresses the backdrop of the set in use.

        Parameters
        ----------
        material_id : str or None
            Id of the material; None gives it its own colour again.
        """
        studio = self.project.set
        if studio.backdrop is not None:
            worn = studio.backdrop.with_(material=material_id)
            self.edit("Dress backdrop", self.project.with_set(studio.with_(backdrop=worn)))

    @command
    def set_plate_colors(self) -> None:
        """Lets colours stand in the place of the backdrop of the set in use, which casts shadows on them."""
        self.edit("Backplate", self.project.with_set(self.project.set.with_(plate=Plate())))

    @command
    def lay_surround(self) -> None:
        """Lets what surrounds the set in use be seen in the place of its backdrop, its lower half on the floor."""
        studio = self.project.set
        floor = (studio.backdrop or Backdrop()).with_(form="floor")
        laid = studio.with_(plate=Plate(is_surround=True), backdrop=floor)
        self.edit("Surround on the floor", self.project.with_set(laid))

    @command
    def set_plate(self, path: Path | None) -> None:
        """Puts a photograph in the place of the backdrop of the set in use; None takes it away.

        Parameters
        ----------
        path : Path or None
            Image file.
        """
        studio = self.project.set
        if path is None:
            self.edit("Remove backplate", self.project.with_set(studio.with_(plate=None)))
            return

        def laid(present: Set, image: ImageRef) -> Set:
            """The set with the photograph.

            Parameters
            ----------
            present : Set
                The set.
            image : ImageRef
                The photograph.

            Returns
            -------
            Set
            """
            return present.with_(plate=Plate(image=image), backdrop=present.backdrop or Backdrop(form="floor"))

        self._take_in(path, self.assets.add_map, "a backplate", self._put_in_set("Backplate", laid))

    @command
    def set_sky(self, sky: Sky) -> None:
        """Lights the set in use with a sky.

        Parameters
        ----------
        sky : Sky
            The sky.
        """
        self.edit("Sky", self.project.with_set(self.project.set.with_(sky=sky)))

    @command
    def set_plain_room(self) -> None:
        """Lights the set in use with an even room, without image or sky."""
        self.edit("Even room", self.project.with_set(self.project.set.with_(sky=None, room=None)))

    @command
    def set_room(self, path: Path | None) -> None:
        """Lights the set in use with a room picture from an EXR or HDR file; None takes it away.

        Parameters
        ----------
        path : Path or None
            EXR or HDR file; None removes the environment.
        """
        studio = self.project.set
        if path is None:
            self.edit("Remove environment", self.project.with_set(studio.with_(room=None)))
            return

        def lit(present: Set, image: ImageRef) -> Set:
            """The set with the environment.

            Parameters
            ----------
            present : Set
                The set.
            image : ImageRef
                The environment image.

            Returns
            -------
            Set
            """
            return present.with_(room=image, sky=None)

        self._take_in(path, self.assets.add_room, "an environment", self._put_in_set("Environment", lit))

    def _put_in_set(self, label: str, change: Callable[[Set, ImageRef], Set]) -> Callable[[str, tuple], None]:
        """A function that changes the set in use now by an image, once that was read."""
        studio = self.project.set

        def put(name: str, kept: tuple[str, str]) -> None:
            """Change it.

            Parameters
            ----------
            name : str
                Name of the image.
            kept : (str, str)
                Its digest and kind.
            """
            present = next((each for each in self.project.sets if each.id == studio.id), None)
            if present is None:
                self.said.emit(f"{name} was not used: the set '{studio.name}' was removed.")
                return
            image = ImageRef(name=name, digest=kept[0], kind=kept[1])
            self.edit(label, self.project.with_set(change(present, image)))

        return put

    def _take_in(self, path: Path, add: Callable, use: str, then: Callable[[str, tuple], None]) -> None:
        """Takes a file into the assets aside, then uses it by name in the project that is open by then."""
        assets, name = self.assets, name_from(path.name, "Image")

        def failed(fault: Exception) -> None:
            if not isinstance(fault, OSError | ImageError | DistributionError):
                raise fault
            words = fault.strerror if isinstance(fault, OSError) and fault.strerror else str(fault)
            self.said.emit(f"{path.name} cannot be {use}: {words}.")

        self.aside(
            lambda: add(read_file(path)), lambda kept: then(name, kept) if self.assets is assets else None, failed
        )
