"""Mat Shelf: a workshop for the surface materials of products.

The program without its window: `open_project`, `new_demo` and `import_product` give a `Session`, whose commands are
those of the window, and `render` makes its picture. docs/scripting.md shows how. What is not used is not loaded.
"""

from importlib import import_module

__version__ = "0.1.0"
__all__ = ["Session", "import_product", "new_demo", "open_project", "render"]


def __getattr__(name: str):
    if name in __all__:
        return getattr(import_module("mat_shelf.commands.scripting"), name)
    raise AttributeError(f"module 'mat_shelf' has no attribute '{name}'")
