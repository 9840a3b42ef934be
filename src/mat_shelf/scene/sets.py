"""Five sets of our own: lights and backdrop, made from numbers."""

from mat_shelf.document.project import Backdrop, Set, Softbox


def _box(x, y, z, width, height, luminance, temperature=6500.0, target=(0.0, 25.0, 0.0)) -> Softbox:
    return Softbox(
        position=(x, y, z), target=target, width=width, height=height, luminance=luminance, temperature=temperature
    )


SETS = (
    Set(
        id="side-window",
        name="Side window",
        softboxes=(_box(230, 450, 60, 560, 400, 5600, 6300, (0, 20, 10)),),
        surround=380,
        ground=120,
    ),
    Set(
        id="two-strips",
        name="Two strip lights",
        softboxes=(_box(-330, 190, 40, 70, 620, 12000), _box(330, 210, -40, 70, 620, 15000)),
        surround=120,
        ground=50,
        backdrop=Backdrop(color=(0.2, 0.205, 0.21), gloss=0.25),
    ),
    Set(
        id="tent",
        name="Tent",
        softboxes=(
            _box(0, 620, 0, 900, 900, 1500),
            _box(-520, 220, 120, 560, 500, 1100),
            _box(520, 220, 120, 560, 500, 1100),
        ),
        surround=700,
        ground=420,
        backdrop=Backdrop(color=(0.8, 0.8, 0.79)),
    ),
    Set(
        id="rim-and-fill",
        name="Rim and fill",
        softboxes=(
            _box(-260, 260, -300, 120, 420, 16000),
            _box(280, 240, -300, 120, 420, 16000, 5600),
            _box(60, 420, 520, 480, 320, 1300),
        ),
        surround=40,
        ground=20,
        backdrop=Backdrop(color=(0.045, 0.046, 0.05), gloss=0.5, depth=520),
    ),
    Set(
        id="desk-lamp",
        name="Desk lamp",
        softboxes=(_box(-210, 330, 110, 46, 46, 190_000, 4300),),
        surround=70,
        ground=30,
        backdrop=Backdrop(color=(0.42, 0.4, 0.37)),
    ),
)

BUILT_FOR_MM = 290.0
"""Longest side of the product that these sets suit."""


def scaled_set(studio: Set, factor: float) -> Set:
    """The set made larger or smaller about the origin; luminances stay, so it lights a larger product alike."""

    def times(point):
        return tuple(x * factor for x in point)

    boxes = tuple(
        box.with_(
            position=times(box.position),
            target=times(box.target),
            width=min(box.width * factor, 1e4),
            height=min(box.height * factor, 1e4),
        )
        for box in studio.softboxes
    )
    backdrop = studio.backdrop
    if backdrop is not None:
        names = ("width", "depth", "height", "radius")
        backdrop = backdrop.with_(**{name: min(getattr(backdrop, name) * factor, 1e5) for name in names})
    return studio.with_(softboxes=boxes, backdrop=backdrop)


def sets_for(longest_mm: float) -> tuple[Set, ...]:
    """The five sets, sized for a product."""
    factor = min(max(longest_mm / BUILT_FOR_MM, 0.05), 10.0)
    return tuple(scaled_set(studio, factor) for studio in SETS)
