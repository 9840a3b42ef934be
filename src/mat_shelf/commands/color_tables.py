"""Colour tables: looks made elsewhere, the finish as one for elsewhere, and prints shown on the screen."""

from collections.abc import Callable
from pathlib import Path

from mat_shelf.commands.command import command
from mat_shelf.document.color_table import ColorTable
from mat_shelf.document.print_proof import PrintProof
from mat_shelf.exchange.cube_file import CUBE_ENDING, read_cube, write_cube
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.print_profile import read_print_profile
from mat_shelf.rendering.finishing import baked_colors
from mat_shelf.system.file_writer import words_of


class ColorTables:
    """Commands on colour tables; a part of `HandOverCommands`."""

    @command
    def set_color_table(self, path: Path | None) -> None:
        """Shows the picture by the colour table of a file, which is read aside; None takes it away.

        Parameters
        ----------
        path : Path or None
            File.
        """
        if path is None:
            self._put_table("Remove colour table", None)
            return

        def use(table: ColorTable) -> None:
            """Take it over.

            Parameters
            ----------
            table : ColorTable
                The table.
            """
            self._put_table("Colour table", table)
            self.session.said.emit(f"Colours are shown by {table.name}; its share is in Bloom and edges.")

        self._read_aside(path, read_cube, use)

    def _read_aside(self, path: Path, read: Callable[[Path], object], use: Callable) -> None:
        """Reads a file aside; its content is used if the project is still the one that it was chosen for."""
        assets = self.session.assets

        def failed(fault: Exception) -> None:
            """Say why.

            Parameters
            ----------
            fault : Exception
                The reason.
            """
            if not isinstance(fault, (ImageError, OSError)):
                raise fault
            self.session.said.emit(f"{path.name} was not used: {words_of(fault)}.")

        def done(found) -> None:
            """Use it.

            Parameters
            ----------
            found : object
                What was read.
            """
            if self.session.assets is assets:
                use(found)

        self.session.aside(lambda: read(path), done, failed)

    @property
    def proof(self) -> PrintProof | None:
        """The print that the picture is shown as, or could be."""
        return self.project.hand_over.proof

    @command
    def set_print_profile(self, path: Path | None) -> None:
        """Shows the picture as a printing process prints it, by its profile, which is read aside; None ends that.

        Parameters
        ----------
        path : Path or None
            File.
        """
        if path is None:
            self._put_proof("Remove print profile", None)
            return

        def use(proof: PrintProof) -> None:
            """Take it over.

            Parameters
            ----------
            proof : PrintProof
                The print.
            """
            self._put_proof("Print profile", proof)
            self.session.said.emit(f"The picture is shown as {proof.printed.name} prints it; files are not changed.")

        self._read_aside(path, read_print_profile, use)

    @command
    def show_print(self, is_on: bool, marks: bool) -> None:
        """Shows the picture as it is printed, or as it is.

        Parameters
        ----------
        is_on : bool
            Whether it is shown as printed.
        marks : bool
            Whether colours that the print cannot hold are marked.
        """
        proof = self.proof
        if proof is not None:
            self._put_proof("Show as printed" if is_on else "Show as it is", proof.with_(is_on=is_on, marks=marks))

    def _put_proof(self, label: str, proof: PrintProof | None) -> None:
        self.session.edit(label, self.project.with_(hand_over=self.project.hand_over.with_(proof=proof)))
        self.changed.emit()

    def _put_table(self, label: str, table: ColorTable | None) -> None:
        self.session.edit(label, self.project.with_finish(self.finish.with_(table=table)))
        self.changed.emit()

    @command
    def save_color_table(self, path: Path) -> None:
        """Writes what the finish does to the colours of the whole picture as a colour table, aside.

        Parameters
        ----------
        path : Path
            File.
        """
        finish, tone_curve, say = self.finish, self.project.set.tone_curve, self.session.said.emit
        if path.suffix.lower() != CUBE_ENDING:
            path = path.with_name(path.name + CUBE_ENDING)
            if path.exists():  # which nobody was asked about
                say(f"{path.name} is there already; choose it by its whole name to replace it.")
                return

        def failed(fault: Exception) -> None:
            """Say why.

            Parameters
            ----------
            fault : Exception
                The reason.
            """
            if not isinstance(fault, OSError):
                raise fault
            say(f"{path.name} was not saved: {words_of(fault)}.")

        self.session.aside(
            lambda: write_cube(path, path.stem, baked_colors(finish, tone_curve)),
            lambda _: say(
                f"{path.name} is the finish as a colour table, without masks, bloom, glare, vignette, sharpening."
            ),
            failed,
        )
