"""Renders the shipped thumbnails of swatches that have none yet, or all (`--all`). Run it after recipes changed."""

import sys

from mat_shelf.library.shipped import SHIPPED
from mat_shelf.library.thumbnails import SHIPPED_THUMBNAILS, recipe_key, ship_thumbnail


def main() -> None:
    kept = [] if "--all" in sys.argv else list(SHIPPED_THUMBNAILS.glob("*.webp"))
    known = {path.stem: path for path in kept}
    shown = {known.get(recipe_key(swatch.recipe)) or ship_thumbnail(swatch.recipe) for swatch in SHIPPED}
    for path in SHIPPED_THUMBNAILS.glob("*.webp"):
        if path not in shown:
            path.unlink()


if __name__ == "__main__":
    main()
