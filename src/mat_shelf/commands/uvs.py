"""Texture coordinates made by unwrapping."""

from mat_shelf.exchange.models.mesh_glb import NamedMesh
from mat_shelf.geometry.mesh import Mesh, MeshError
from mat_shelf.geometry.unwrap import unwrap


class UvCommands:
    """Unwrapping of parts, aside from everything else."""

    def unwrap(self, texel_mm: float) -> None:
        """Gives what is picked coordinates with a texel of this size, on a thread; `unwrapping` says how far it is.

        Parameters
        ----------
        texel_mm : float
            Side of a texel on the surface, mm.
        """
        if self.unwrapping:
            self.session.said.emit("Another part is being unwrapped; wait for it or cancel it.")
            return
        parts = [part for part in self.picked() if not part.is_hidden]
        if not parts:
            return
        self.unwrapping, self._is_cancelled = f"{len(parts)} left", False
        meshes = self.session.assets.meshes

        def work() -> dict[str, Mesh]:
            """Unwrap each mesh once.

            Returns
            -------
            dict of Mesh
            """
            made: dict[str, Mesh] = {}
            faults = []
            for number, part in enumerate(parts):
                if part.mesh not in made:
                    self.unwrapping = f"{part.name}, {len(parts) - number} left"
                    self.unwrapping_changed.emit()
                    try:
                        size = texel_mm / part.pose.scale
                        made[part.mesh] = unwrap(meshes[part.mesh], size, lambda: not self._is_cancelled)[0]
                    except (MeshError, OSError, ValueError) as fault:
                        faults.append(f"{part.name}: {fault}")
                    except InterruptedError:
                        return {}
            if faults:
                self.session.said.emit("Not unwrapped: " + "; ".join(faults[:2]))
            return made

        self.unwrapping_changed.emit()
        self._aside(work, lambda made: self._lay(made, [part.id for part in parts]))

    def cancel_unwrap(self) -> None:
        """Cancel the unwrapping under way."""
        self._is_cancelled = True

    def _lay(self, made: dict[str, Mesh], part_ids: list[str]) -> None:
        """Exchanges meshes for the same ones with coordinates."""
        self.unwrapping = ""
        self.unwrapping_changed.emit()
        if not made:
            return
        keys = {old: self.session.assets.add(NamedMesh("part", mesh)) for old, mesh in made.items()}
        parts = (
            part.with_(mesh=keys[part.mesh]) if part.id in part_ids and part.mesh in keys else part
            for part in self.project.product.parts
        )
        self.session.edit("Unwrap", self.project.with_parts(parts))
