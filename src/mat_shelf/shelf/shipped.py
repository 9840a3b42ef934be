"""The swatches that a new shelf starts with."""

from mat_shelf.document.recipe import Recipe
from mat_shelf.document.swatch import Swatch

SHIPPED = (
    Swatch(
        id="polished-brass",
        name="Polished brass",
        family="Metal",
        note="Colour and edge tint of a yellow brass, from memory.",
        recipe=Recipe(
            base_color=(0.88, 0.70, 0.36),
            base_metalness=1.0,
            specular_color=(0.98, 0.95, 0.80),
            specular_roughness=0.12,
        ),
    ),
    Swatch(
        id="nib-gold",
        name="Nib gold",
        family="Metal",
        note="Reflectance of gold at normal incidence in linear Rec.709, from memory of Johnson and Christy 1972.",
        recipe=Recipe(
            base_color=(0.99, 0.69, 0.31),
            base_metalness=1.0,
            specular_color=(1.0, 0.98, 0.76),
            specular_roughness=0.15,
        ),
    ),
    Swatch(
        id="satin-steel",
        name="Satin steel",
        family="Metal",
        note="Colour of an iron alloy, from memory.",
        recipe=Recipe(
            base_color=(0.56, 0.55, 0.53),
            base_metalness=1.0,
            specular_color=(0.92, 0.93, 0.94),
            specular_roughness=0.34,
        ),
    ),
    Swatch(
        id="bottle-glass",
        name="Bottle glass",
        family="Glass",
        note="Soda-lime index 1.52; the slight blue-green of its thickness is common practice.",
        recipe=Recipe(
            specular_ior=1.52,
            specular_roughness=0.0,
            transmission_weight=1.0,
            transmission_color=(0.80, 0.93, 0.90),
            transmission_depth=40.0,
        ),
    ),
    Swatch(
        id="blue-black-ink",
        name="Blue-black ink",
        family="Liquid",
        note="Index of water at 589 nm and 20 C, 1.333 (CRC Handbook); the tint is common practice.",
        recipe=Recipe(
            specular_ior=1.333,
            specular_roughness=0.0,
            transmission_weight=1.0,
            transmission_color=(0.06, 0.13, 0.46),
            transmission_depth=10.0,
            nesting_priority=3,
        ),
    ),
    Swatch(
        id="moulded-black",
        name="Moulded black",
        family="Plastic",
        note="A dark phenolic moulding; common practice.",
        recipe=Recipe(base_color=(0.012, 0.012, 0.013), specular_roughness=0.26, specular_ior=1.55),
    ),
    Swatch(
        id="teal-lacquer",
        name="Teal lacquer",
        family="Lacquer",
        note="A deep clear gloss over colour; common practice.",
        recipe=Recipe(base_color=(0.006, 0.105, 0.095), specular_roughness=0.06, specular_ior=1.52),
    ),
    Swatch(
        id="sealing-wax",
        name="Sealing wax",
        family="Wax and soft",
        note="Opaque, dull shine; common practice.",
        recipe=Recipe(
            base_color=(0.36, 0.018, 0.016),
            base_diffuse_roughness=0.3,
            specular_roughness=0.38,
            specular_ior=1.45,
        ),
    ),
)
