"""Geometry maps and true relief, without which a project cannot be rendered."""

from collections.abc import Callable

from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.geometry_map_cache import geometry_map
from mat_shelf.scene.displacement import fill_displacements
from mat_shelf.scene.geometry_maps import fill_geometry_maps


def prepare_supplies(
    project: Project, assets: Assets, progress: Callable[[str, int, int], bool] = lambda what, done, total: True
) -> list[str]:
    """Makes all that a project needs and its assets do not have yet.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Files of the project.
    progress : callable (what, done, total) -> bool
        Told now and then; False cancels.

    Returns
    -------
    list of str
        Sentences about relief that stays bump.

    Raises
    ------
    InterruptedError
        If it was cancelled.
    """

    def mapped(done: int, total: int) -> bool:
        """Pass progress on.

        Parameters
        ----------
        done : int
            Number that is done.
        total : int
            Number of all.

        Returns
        -------
        bool
        """
        return progress("Edges and crevices", done, total)

    fill_geometry_maps(project, assets, mapped, make=geometry_map)
    return fill_displacements(project, assets, lambda done, total: progress("True relief", done, total))
