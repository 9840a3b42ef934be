"""Looks kept in the library, for pictures of other products."""

from pathlib import Path

from pydantic import ValidationError

from mat_shelf.commands.command import command
from mat_shelf.document.ids import new_id
from mat_shelf.document.parameter import explain
from mat_shelf.exchange.look_file import LOOK_ENDING, KeptLook, open_look, save_look
from mat_shelf.exchange.package import PackageError
from mat_shelf.exchange.project_file import plain_file_name


class KeptLooks:
    """Commands on looks of the library; a part of `HandOverCommands`."""

    @property
    def _look_folder(self) -> Path:
        return self.session.library.folder / "looks"

    def kept_looks(self) -> list[Path]:
        """Files of the looks in the library, by name.

        Returns
        -------
        list of Path
        """
        return sorted(self._look_folder.glob(f"[!.]*{LOOK_ENDING}"))

    @command
    def keep_look(self, name: str) -> None:
        """Saves the finish to the library; a look of the same name is replaced.

        Parameters
        ----------
        name : str
            Its name.
        """
        name = name.strip()[:120]
        if not name:
            return
        path = self._look_folder / f"{plain_file_name(name)}{LOOK_ENDING}"
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            save_look(path, KeptLook.of(name, self.finish))
        except OSError as fault:
            self.session.said.emit(f"The look was not saved to the library: {fault.strerror or fault}.")
            return
        self.session.said.emit(f"The look is in the library now, as {path.stem}.")

    @command
    def apply_look(self, path: Path) -> None:
        """Finishes the pictures of the project by a look of the library.

        Parameters
        ----------
        path : Path
            Its file.
        """
        try:
            finish = open_look(path).over(self.finish)
            finish = finish.with_(masked=tuple(each.with_(id=new_id("mask")) for each in finish.masked))
        except ValidationError as fault:
            self.session.said.emit(f"{path.stem} was not applied: {explain(fault)}.")
            return
        except (OSError, PackageError) as fault:
            self.session.said.emit(f"{path.stem} was not applied: {fault}.")
            return
        self.session.edit(f"Look {path.stem}", self.project.with_finish(finish))
        self.changed.emit()

    @command
    def forget_look(self, path: Path) -> None:
        """Deletes a look from the library; finishes made of it stay.

        Parameters
        ----------
        path : Path
            Its file.
        """
        self.session.forget_file(path)
