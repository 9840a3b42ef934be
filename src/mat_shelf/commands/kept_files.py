"""Files of sets and cameras in the library, deleted so that they can be put back."""

from pathlib import Path

from mat_shelf.system.file_writer import write_file


class KeptFiles:
    """Deletion of kept things; a part of `Session`."""

    def forget_file(self, path: Path) -> None:
        """Deletes a file of the library, and offers to put it back.

        Parameters
        ----------
        path : Path
            The file.
        """
        try:
            data = path.read_bytes()
            path.unlink()
        except OSError as fault:
            self.said.emit(f"{path.stem} was not deleted: {fault.strerror or fault}.")
            return
        self.asked.emit(f"{path.stem} was deleted from the library.", "Put back", lambda: self._write_back(path, data))

    def _write_back(self, path: Path, data: bytes) -> None:
        try:
            write_file(path, data)
        except OSError as fault:
            self.said.emit(f"{path.stem} was not put back: {fault.strerror or fault}.")
