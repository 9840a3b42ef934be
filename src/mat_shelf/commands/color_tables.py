"""Colour tables: looks made elsewhere, and the finish as one for elsewhere."""

from pathlib import Path

from mat_shelf.commands.command import command
from mat_shelf.document.color_table import ColorTable
from mat_shelf.exchange.cube_file import CUBE_ENDING, read_cube, write_cube
from mat_shelf.exchange.image_decoding import ImageError
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

        assets = self.session.assets

        def use(table: ColorTable) -> None:
            """Take it over, if the project is still the one that it was chosen for.

            Parameters
            ----------
            table : ColorTable
                The table.
            """
            if self.session.assets is not assets:
                return
            self._put_table("Colour table", table)
            self.session.said.emit(f"Colours are shown by {table.name}; its share is in Bloom and edges.")

        self.session.aside(lambda: read_cube(path), use, failed)

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
            lambda _: say(f"{path.name} is the finish as a colour table, without masks, bloom, vignette, sharpening."),
            failed,
        )
