"""A recipe: the whole definition of a material.

Parameter names and defaults are those of OpenPBR Surface 1.1 (Academy Software Foundation). Lengths are in
millimetres and colours are linear Rec.709. Each field carries what a value row needs to show it.
"""

from pydantic import Field

from mat_shelf.document.parameter import Color, Frozen, color, number


class Recipe(Frozen):
    """Body and finish of a material, as OpenPBR Surface 1.1 parameters."""

    base_weight: float = number(1.0, 0, 1, label="Strength", tip="Scales the colour. Usually 1.")
    base_color: Color = color(
        (0.8, 0.8, 0.8),
        label="Colour",
        tip="What diffuse light, or a metal seen straight on, takes. Real surfaces stay under 0.9.",
    )
    base_diffuse_roughness: float = number(
        0.0,
        0,
        1,
        label="Chalkiness",
        tip="Flattens the shading, as clay or paper do. Plastics 0, plaster 0.5 to 1.",
    )
    base_metalness: float = number(
        0.0, 0, 1, label="Metal", tip="0 is plastic, glass, lacquer; 1 is bare metal. Rarely between."
    )
    specular_weight: float = number(
        1.0,
        0,
        1,
        label="Reflection",
        tip="Scales the surface reflection. Usually 1; less for porous surfaces.",
    )
    specular_color: Color = color(
        (1.0, 1.0, 1.0),
        label="Edge tint",
        tip="Of a metal: its colour at grazing angles. Of anything else: a tint of the reflection, usually white.",
    )
    specular_roughness: float = number(
        0.3,
        0,
        1,
        label="Roughness",
        tip="Low is mirror-like, high is dull. Polished metal 0.05 to 0.15, satin 0.3, rubber 0.6.",
    )
    specular_ior: float = number(
        1.5,
        1.0,
        3.0,
        label="IOR",
        tip="Refractive index: water 1.33, plastics 1.46 to 1.6, glass 1.52, diamond 2.42.",
        usual=(1.0, 2.5),
    )
    transmission_weight: float = number(
        0.0, 0, 1, label="Transmission", tip="How much of the body is clear. 1 for glass and liquids."
    )
    transmission_color: Color = color(
        (1.0, 1.0, 1.0),
        label="Tint at depth",
        tip="The colour white light has left after passing through the depth below.",
    )
    transmission_depth: float = number(
        0.0,
        0,
        10_000,
        label="Depth",
        unit="mm",
        tip="The thickness at which light has the tint. Deep makes it pale; ink 1 mm, bottle glass 30 mm.",
        usual=(0.1, 200),
        log=True,
    )
    emission_luminance: float = number(
        0.0,
        0,
        1_000_000,
        label="Glow",
        unit="cd/m²",
        tip="Light that the surface gives off. A phone's screen 500, a lit ring 1500; far less than one first sets.",
        usual=(0, 3000),
    )
    emission_color: Color = color((1.0, 1.0, 1.0), label="Glow colour", tip="Colour of the light given off.")
    nesting_priority: int = Field(
        5,
        ge=0,
        le=9,
        title="Priority",
        description="Where clear bodies overlap, the higher one fills the space: glass 5, liquid 3.",
    )
