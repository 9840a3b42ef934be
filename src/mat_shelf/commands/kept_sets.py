"""Sets kept in the library, and those that come with the program, added to the project."""

from pathlib import Path

from mat_shelf.commands.command import command
from mat_shelf.document.ids import free_name, new_id
from mat_shelf.document.project import MOST_SETS
from mat_shelf.document.set import Set
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.project_file import plain_file_name
from mat_shelf.exchange.set_file import SET_ENDING, KeptSet, open_set, save_set
from mat_shelf.scene.sets import BUILT_FOR_MM, SETS, scaled_set


class KeptSets:
    """Commands on sets of the library; a part of `Session`."""

    @property
    def _set_folder(self) -> Path:
        return self.library.folder / "sets"

    def kept_sets(self) -> list[Path]:
        """Files of the sets in the library, by name.

        Returns
        -------
        list of Path
        """
        return sorted(self._set_folder.glob(f"[!.]*{SET_ENDING}"))

    @command
    def keep_set(self, longest: float) -> None:
        """Saves the set in use to the library, in place of one of its name.

        Parameters
        ----------
        longest : float
            Longest side of the product, mm.
        """
        studio = self.project.set
        worn = studio.backdrop.material if studio.backdrop is not None else None
        material = self.project.material(worn).with_(parent=None, color_links=()) if worn is not None else None
        kept = KeptSet(set=studio, built_for=min(max(longest, 0.01), 1e7), material=material)
        path, assets = self._set_folder / f"{plain_file_name(studio.name)}{SET_ENDING}", self.assets

        def work() -> None:
            """Write it."""
            path.parent.mkdir(parents=True, exist_ok=True)
            save_set(path, kept, assets)

        def failed(fault: Exception) -> None:
            """Say why it was not written.

            Parameters
            ----------
            fault : Exception
                The reason.
            """
            if not isinstance(fault, OSError):
                raise fault
            self.said.emit(f"{studio.name} was not saved to the library: {fault.strerror or fault}.")

        self.aside(work, lambda _: self.said.emit(f"{studio.name} is in the library now."), failed)

    @command
    def add_kept_set(self, path: Path, longest: float) -> None:
        """Adds a set of the library to the project, at the size of its product, and uses it.

        Parameters
        ----------
        path : Path
            Its file.
        longest : float
            Longest side of the product, mm.
        """
        assets = self.assets

        def done(found: tuple[KeptSet, Assets]) -> None:
            """Add it, unless another project is open by then.

            Parameters
            ----------
            found : (KeptSet, Assets)
                The set and its files.
            """
            if self.assets is assets:
                self._take_set(*found, longest)

        def failed(fault: Exception) -> None:
            """Say why it cannot be used.

            Parameters
            ----------
            fault : Exception
                The reason.
            """
            if not isinstance(fault, OSError | PackageError):
                raise fault
            self.said.emit(f"{path.stem} was not added: {fault}.")

        self.aside(lambda: open_set(path), done, failed)

    @command
    def add_shipped_set(self, set_id: str, longest: float) -> None:
        """Adds a set that comes with the program to the project, and uses it.

        Parameters
        ----------
        set_id : str
            Its id among `SETS`.
        longest : float
            Longest side of the product, mm.
        """
        studio = next(studio for studio in SETS if studio.id == set_id)
        self._add_set(self.project, scaled_set(studio, _factor(longest, BUILT_FOR_MM)))

    @command
    def forget_kept_set(self, path: Path) -> None:
        """Deletes a set from the library; the project keeps its own.

        Parameters
        ----------
        path : Path
            Its file.
        """
        self.forget_file(path)

    def _take_set(self, kept: KeptSet, files: Assets, longest: float) -> None:
        project, studio = self.project, scaled_set(kept.set, _factor(longest, kept.built_for))
        self.assets.take(files)
        if studio.backdrop is not None and studio.backdrop.material is not None:
            worn = None
            if kept.material is not None:
                worn = new_id("material")
                name = free_name(kept.material.name, {material.name for material in project.materials})
                project = project.with_material(kept.material.with_(id=worn, name=name))
            studio = studio.with_(backdrop=studio.backdrop.with_(material=worn))
        self._add_set(project, studio)

    def _add_set(self, project, studio: Set) -> None:
        if len(project.sets) >= MOST_SETS:
            self.said.emit(f"A project holds {MOST_SETS} sets at most; remove one first.")
            return
        name = free_name(studio.name, {each.name for each in project.sets})
        made = studio.with_(id=new_id("set"), name=name)
        self.edit(f"Add {name}", project.with_(sets=(*project.sets, made), current_set=made.id))


def _factor(longest: float, built_for: float) -> float:
    """Factor of a set's lengths; a set is not made for things of any size."""
    return min(max(longest / built_for, 0.02), 50.0)
