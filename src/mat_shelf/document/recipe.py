"""A recipe: the whole definition of a material.

Parameter names and defaults are those of OpenPBR Surface 1.1 (Academy Software Foundation). Lengths are in
millimetres and colours are linear Rec.709. Each field carries what a value row needs to show it; these
fields, one class as the standard has it, are two thirds of this long file.
"""

from collections.abc import Iterable
from typing import Annotated, Literal, Self

from pydantic import Field, field_validator, model_validator

from mat_shelf.document.ids import Id, Name, by_id, new_id, with_one
from mat_shelf.document.image import ImageRef
from mat_shelf.document.parameter import Color, Frozen, color, number
from mat_shelf.document.pattern import MOST_STEPS, Axis, Feed, Pattern, Relief, needed, path_of_loop, stands_on

FEEDABLE = (
    "base_weight",
    "base_color",
    "base_diffuse_roughness",
    "base_metalness",
    "specular_weight",
    "specular_color",
    "specular_roughness",
    "specular_roughness_anisotropy",
    "brush_turn",
    "transmission_weight",
    "subsurface_weight",
    "subsurface_color",
    "coat_weight",
    "coat_color",
    "coat_roughness",
    "fuzz_weight",
    "fuzz_color",
    "fuzz_roughness",
    "thin_film_weight",
    "thin_film_thickness",
    "emission_luminance",
    "emission_color",
    "geometry_opacity",
)
"""The inputs that take a pattern. What fills a body, such as its depth, is the same all through it."""


class Recipe(Frozen):
    """Body and finish of a material, as OpenPBR Surface 1.1 parameters, its relief and its patterns.

    Attributes
    ----------
    patterns : tuple of Pattern
        Its maps. None of them refers, in the end, to itself.
    feeds : tuple of Feed
        At most one an input.
    relief : tuple of Relief
        Rows of height or normal detail, coarse to fine.
    overlays : tuple of Overlay
        What lies over it here and there, the lowest first.
    """

    base_weight: float = number(1.0, 0, 1, label="Base weight", tip="Scales the base colour. Usually 1.")
    base_color: Color = color(
        (0.8, 0.8, 0.8),
        label="Base colour",
        tip="Colour of diffuse light, or of a metal seen straight on. Real surfaces stay under 0.9.",
    )
    base_diffuse_roughness: float = number(
        0.0,
        0,
        1,
        label="Diffuse roughness",
        tip="Flattens the shading, as on clay or paper. Plastics 0, plaster 0.5 to 1.",
    )
    base_metalness: float = number(
        0.0, 0, 1, label="Metalness", tip="0 for plastic, glass and lacquer; 1 for bare metal. Rarely between."
    )
    specular_weight: float = number(
        1.0,
        0,
        1,
        label="Specular weight",
        tip="Scales the surface reflection. Usually 1; less for porous surfaces.",
    )
    specular_color: Color = color(
        (1.0, 1.0, 1.0),
        label="Specular colour",
        tip="Of a metal: its colour at grazing angles. Of anything else: tint of the reflection, usually white.",
    )
    specular_roughness: float = number(
        0.3,
        0,
        1,
        label="Roughness",
        qualified="Specular roughness",
        tip="Low is mirror-like, high is dull. Polished metal 0.05 to 0.15, satin 0.3, rubber 0.6.",
    )
    specular_roughness_anisotropy: float = number(
        0.0,
        0,
        1,
        label="Anisotropy",
        qualified="Specular anisotropy",
        tip="Stretches the highlight across the brushing. Turned metal 0.6, brushed metal 0.9.",
    )
    brush_way: Literal["round", "along"] = Field(
        "round",
        title="Direction",
        description="Brushing around an axis of the part, as on a lathe, or along it.",
        json_schema_extra={"qualified": "Brushing direction"},
    )
    brush_axis: Axis = Field(
        "y",
        title="Axis",
        description="Axis of the part that the brushing follows.",
        json_schema_extra={"qualified": "Brushing axis"},
    )
    brush_turn: float = number(
        0.0,
        -180,
        180,
        label="Rotation",
        qualified="Brushing rotation",
        unit="°",
        tip="Rotates the brushing on the surface; 90 is across.",
    )
    specular_ior: float = number(
        1.5,
        1.0,
        3.0,
        label="IOR",
        qualified="Specular IOR",
        tip="Refractive index: water 1.33, plastics 1.46 to 1.6, glass 1.52, diamond 2.42.",
        usual=(1.0, 2.5),
    )
    transmission_weight: float = number(
        0.0, 0, 1, label="Transmission", tip="Share of the body that is clear. 1 for glass and liquids."
    )
    transmission_color: Color = color(
        (1.0, 1.0, 1.0),
        label="Transmission colour",
        tip="Colour of white light after passing through the depth below.",
    )
    transmission_depth: float = number(
        0.0,
        0,
        10_000,
        label="At depth",
        qualified="Transmission depth",
        unit="mm",
        tip="Thickness at which light has the transmission colour. Deep makes it pale; ink 1 mm, bottle glass 30 mm.",
        usual=(0.1, 200),
        log=True,
    )
    transmission_scatter: Color = color(
        (0.0, 0.0, 0.0),
        label="Scatter colour",
        qualified="Transmission scatter colour",
        tip="Light scattered inside over the depth above: milk glass, cream, juice. Black is clear.",
    )
    transmission_scatter_anisotropy: float = number(
        0.0,
        -0.95,
        0.95,
        label="Scatter anisotropy",
        qualified="Transmission scatter anisotropy",
        tip="Above 0 light scatters mostly forward; milk 0.7, haze 0.9.",
    )
    transmission_dispersion_scale: float = number(
        0.0, 0, 1, label="Dispersion", tip="Splits white light into colours, as cut crystal does. 1 is as in nature."
    )
    transmission_dispersion_abbe_number: float = number(
        20.0,
        9,
        91,
        label="Abbe number",
        tip="Window glass 59, crystal 31, diamond 55; the lower, the more a glass splits light.",
    )
    subsurface_weight: float = number(
        0.0,
        0,
        1,
        label="Subsurface",
        tip="Share of the body that scatters light beneath its surface: wax 1, skin 1, stone 0.8.",
    )
    subsurface_color: Color = color(
        (0.8, 0.8, 0.8), label="Subsurface colour", tip="Colour of a thick body, lit evenly."
    )
    subsurface_radius: float = number(
        1.0,
        0.001,
        10_000,
        label="Subsurface radius",
        unit="mm",
        tip="Mean distance between two scattering events. Plastic 0.1, marble 0.5, wax 1 to 2, jelly 10.",
        usual=(0.02, 30),
        log=True,
    )
    subsurface_radius_scale: Color = color(
        (1.0, 0.5, 0.25),
        label="Radius scale",
        qualified="Subsurface radius scale",
        tip="Radius in red, green and blue. Red travels furthest in most soft bodies, so their thin edges glow red.",
    )
    subsurface_scatter_anisotropy: float = number(
        0.0,
        -0.95,
        0.95,
        label="Scatter anisotropy",
        qualified="Subsurface scatter anisotropy",
        tip="Above 0 light scatters mostly forward, and deeper.",
    )
    coat_weight: float = number(
        0.0, 0, 1, label="Coat weight", tip="A clear layer over all: lacquer, varnish, wet film."
    )
    coat_color: Color = color(
        (1.0, 1.0, 1.0), label="Coat colour", tip="Colour of white light that passed through the coat, in and out."
    )
    coat_roughness: float = number(
        0.0, 0, 1, label="Coat roughness", tip="Polished lacquer 0 to 0.05, satin varnish 0.25."
    )
    coat_roughness_anisotropy: float = number(
        0.0, 0, 1, label="Coat anisotropy", tip="Stretches the coat's highlight: varnish applied with a brush 0.4."
    )
    coat_ior: float = number(
        1.6, 1.0, 3.0, label="Coat IOR", tip="Lacquers and varnishes 1.45 to 1.6.", usual=(1.2, 2.0)
    )
    coat_darkening: float = number(
        1.0, 0, 1, label="Coat darkening", tip="A coated surface looks deeper and darker, as wet ones do."
    )
    fuzz_weight: float = number(
        0.0,
        0,
        1,
        label="Fuzz weight",
        tip="Fine fibres or dust over all, bright at grazing angles: velvet, felt, peach.",
    )
    fuzz_color: Color = color((1.0, 1.0, 1.0), label="Fuzz colour", tip="Colour of the fibres.")
    fuzz_roughness: float = number(0.5, 0, 1, label="Fuzz roughness", tip="Low shows at the rim only, high all over.")
    thin_film_weight: float = number(
        0.0,
        0,
        1,
        label="Thin film weight",
        tip="A film as thin as a wavelength of light, which makes colours: soap, oil, heat-tinted steel, pearl.",
    )
    thin_film_thickness: float = number(
        0.5,
        0,
        3,
        label="Film thickness",
        qualified="Thin film thickness",
        unit="nm",
        scale=1000,
        tip="Sets the colours. Heat tint 40 to 80, soap 200 to 800, pearl 300 to 500.",
        usual=(0, 1),
    )
    thin_film_ior: float = number(
        1.4,
        1.0,
        3.0,
        label="Film IOR",
        qualified="Thin film IOR",
        tip="Soap 1.33, oil 1.45, oxides of steel 2.3 and of titanium 2.5.",
        usual=(1.2, 2.6),
    )
    emission_luminance: float = number(
        0.0,
        0,
        1_000_000,
        label="Luminance",
        qualified="Emission luminance",
        unit="cd/m²",
        tip="Luminance of the emitted light, in its colour. A phone's screen 500, a lit ring 1500; far less than one "
        "first sets. Where a pattern feeds the colour, luminance of the pattern's white.",
        usual=(0, 3000),
    )
    emission_color: Color = color((1.0, 1.0, 1.0), label="Emission colour", tip="Colour of the emitted light.")
    geometry_opacity: float = number(
        1.0, 0, 1, label="Opacity", tip="Share of the surface that is present: gauze, mesh, bubbles. Usually 1."
    )
    geometry_thin_walled: bool = Field(
        False,
        title="Thin-walled",
        description="A sheet without thickness passes light straight on: bubbles, film, panes. A solid refracts it.",
    )
    nesting_priority: int = Field(
        5,
        ge=0,
        le=9,
        title="Priority",
        description="Where bodies that transmit light overlap, the higher priority fills the space: glass 5, liquid 3.",
    )
    contact: Literal["dry", "wet"] = Field(
        "dry",
        title="Contact",
        description="Solids are dry: a film of air stays between them and what they touch. Liquids wet it.",
    )
    patterns: Annotated[tuple[Pattern, ...], Field(max_length=256)] = ()
    feeds: Annotated[tuple[Feed, ...], Field(max_length=len(FEEDABLE))] = ()
    relief: Annotated[tuple[Relief, ...], Field(max_length=64)] = ()
    age: float = number(
        1.0, 0, 1, label="Age", tip="Scales all overlays together: 0 is as new, 1 is as set.", usual=(0, 1)
    )
    overlays: Annotated[tuple["Overlay", ...], Field(max_length=32)] = ()

    @field_validator("feeds")
    @classmethod
    def _in_one_order(cls, feeds: tuple[Feed, ...]) -> tuple[Feed, ...]:
        return tuple(sorted(feeds, key=lambda feed: feed.input))

    @model_validator(mode="after")
    def _patterns_resolve(self) -> Self:
        known = {p.id: p for p in self.patterns}
        if len(known) < len(self.patterns):
            raise ValueError("two patterns share an id")
        for pattern in self.patterns:
            for other in pattern.used():
                if other not in known:
                    raise ValueError(f"pattern '{pattern.name}' uses pattern '{other}', which is not there")
        inputs = [feed.input for feed in self.feeds]
        for feed in self.feeds:
            if feed.input not in FEEDABLE:
                raise ValueError(f"'{feed.input}' is not an input that takes a pattern")
            if inputs.count(feed.input) > 1:
                raise ValueError(f"'{feed.input}' is fed twice")
            if isinstance(feed.low, tuple) != isinstance(feed.high, tuple):
                raise ValueError(f"the range that feeds '{feed.input}' goes from a number to a colour")
            if feed.pattern not in known:
                raise ValueError(f"'{feed.input}' is fed by pattern '{feed.pattern}', which is not there")
            if isinstance(feed.low, tuple) != isinstance(getattr(self, feed.input), tuple):
                raise ValueError(f"the range that feeds '{feed.input}' must be of {_kind(getattr(self, feed.input))}")
        if len({overlay.id for overlay in self.overlays}) < len(self.overlays):
            raise ValueError("two overlays share an id")
        for overlay in self.overlays:
            if overlay.mask_of == "material":
                overlay.check_mask(self)
        if len({row.id for row in self.relief}) < len(self.relief):
            raise ValueError("two rows of relief share an id")
        for row in self.relief:
            if row.pattern not in known:
                raise ValueError(f"a row of relief uses pattern '{row.pattern}', which is not there")
        loop = path_of_loop(known)
        if loop:
            raise ValueError(f"these patterns use each other: {' > '.join(loop)}")
        depths: dict[str, int] = {}
        for pattern in self.patterns:
            if stands_on(pattern, known, depths) > MOST_STEPS:
                raise ValueError(
                    f"pattern '{pattern.name}' stands on more than {MOST_STEPS} steps of others; use fewer"
                )
        return self

    def pattern(self, pattern_id: str) -> Pattern:
        """The pattern with this id. Raises KeyError."""
        return by_id(self.patterns, pattern_id)

    def layers(self) -> list["Recipe"]:
        """Itself and the recipes of its overlays."""
        return [self, *(overlay.recipe for overlay in self.overlays)]

    def pictures(self) -> list[ImageRef]:
        """Every picture that its patterns, and those of its overlays, show."""
        patterns = [pattern for layer in self.layers() for pattern in layer.patterns]
        return [picture for pattern in patterns for step in pattern.steps for picture in step.pictures()]

    def shown_overlays(self) -> list["Overlay"]:
        """The overlays that can be seen, the lowest first."""
        return [o for o in self.overlays if o.is_on and o.amount * self.age > 0]

    def overlay(self, overlay_id: str) -> "Overlay":
        """The overlay with this id. Raises KeyError."""
        return by_id(self.overlays, overlay_id)

    def with_overlay(self, overlay: "Overlay") -> "Recipe":
        """A copy in which `overlay` replaces the one with its id, or lies on top."""
        return self.with_(overlays=with_one(self.overlays, overlay))

    def without_overlay(self, overlay_id: str) -> "Recipe":
        """A copy without an overlay."""
        return self.with_(overlays=tuple(o for o in self.overlays if o.id != overlay_id))

    def feed(self, name: str) -> Feed | None:
        """Feed of an input; None where it is constant."""
        return next((feed for feed in self.feeds if feed.input == name), None)

    def with_pattern(self, pattern: Pattern) -> "Recipe":
        """A copy in which `pattern` replaces the one with its id, or is added."""
        return self.with_(patterns=with_one(self.patterns, pattern))

    def with_patterns_of(self, other: "Recipe", wanted: Iterable[str]) -> tuple["Recipe", dict[str, str]]:
        """A copy that has some patterns of another recipe too, and all that those use.

        Its own patterns stay as they are: one that comes in and differs from that of the same id gets another id.

        Returns
        -------
        recipe : Recipe
        ids : dict
            Of the patterns that came in, their ids here by those there.
        """
        recipe, ids = self, {}
        for pattern in needed(wanted, {p.id: p for p in other.patterns}):
            came = pattern.renamed(ids)
            own = {p.id: p for p in recipe.patterns}
            if came.id in own and own[came.id] != came:
                came = came.with_(id=new_id("pattern"))
            ids[pattern.id] = came.id
            recipe = recipe.with_pattern(came)
        return recipe, ids

    def with_feed(self, feed: Feed) -> "Recipe":
        """A copy in which an input is fed so."""
        return self.with_(feeds=(*(f for f in self.feeds if f.input != feed.input), feed))

    def without_feed(self, name: str) -> "Recipe":
        """A copy in which an input has its constant value again."""
        return self.with_(feeds=tuple(f for f in self.feeds if f.input != name))

    def with_relief(self, row: Relief) -> "Recipe":
        """A copy in which `row` replaces the row with its id, or is added as the finest."""
        return self.with_(relief=with_one(self.relief, row))

    def uses_of(self, pattern_id: str) -> list[str]:
        """Uses of a pattern, in words: labels of inputs, relief, names of other patterns."""
        inputs = [Recipe.field_label(feed.input) for feed in self.feeds if feed.pattern == pattern_id]
        rows = ["Relief" for row in self.relief if row.pattern == pattern_id]
        return inputs + rows + self._names_of_users(pattern_id)

    def _names_of_users(self, pattern_id: str) -> list[str]:
        """Names of the patterns and overlays that need a pattern."""
        masked = [o for o in self.overlays if o.mask_of == "material" and o.mask == pattern_id]
        return [p.name for p in self.patterns if pattern_id in p.used()] + [f"Mask of {o.name}" for o in masked]

    def without_pattern(self, pattern_id: str) -> "Recipe":
        """A copy without a pattern, what it fed being constant again. Raises ValueError where others use it."""
        users = self._names_of_users(pattern_id)
        if users:
            raise ValueError(f"pattern '{self.pattern(pattern_id).name}' is used by {', '.join(users)}")
        return self.with_(
            patterns=tuple(p for p in self.patterns if p.id != pattern_id),
            feeds=tuple(f for f in self.feeds if f.pattern != pattern_id),
            relief=tuple(r for r in self.relief if r.pattern != pattern_id),
        )


class Overlay(Frozen):
    """Another recipe that lies over one where a mask says so.

    At each point it is seen with a probability of mask times amount, which is an exact mixture of the two.

    Attributes
    ----------
    recipe : Recipe
        It has patterns of its own, and no overlays.
    mask : str or None
        Id of the pattern that limits it; all over where there is none.
    mask_of : str
        Whose pattern that is: the overlay's, or the material's below, so that one map can drive both.
    relief : str
        Whether its relief comes on top of that below, or stands in its place.
    is_over_marks : bool
        Whether it lies over marks as well, as frost does, or below them.
    """

    id: Id
    name: Name
    recipe: Recipe = Field(default_factory=lambda: Recipe())
    mask: Id | None = None
    amount: float = number(1.0, 0, 1, label="Amount", tip="Amount of the overlay where the mask is white.")
    mask_of: Literal["overlay", "material"] = "overlay"
    relief: Literal["adds", "replaces"] = "adds"
    is_over_marks: bool = False
    is_on: bool = True

    @model_validator(mode="after")
    def _mask_is_there(self) -> Self:
        if self.recipe.overlays:
            raise ValueError(f"overlay '{self.name}' has overlays of its own")
        if self.mask_of == "overlay":
            self.check_mask(self.recipe)
        return self

    def check_mask(self, recipe: Recipe) -> None:
        """Raises ValueError where a recipe, whose pattern the mask is, has no such pattern."""
        if self.mask is not None and self.mask not in {p.id for p in recipe.patterns}:
            raise ValueError(f"the mask of overlay '{self.name}' is pattern '{self.mask}', which is not there")


Recipe.model_rebuild()


def _kind(value) -> str:
    return "colours" if isinstance(value, tuple) else "numbers"
