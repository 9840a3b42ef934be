"""The swatches that a new shelf starts with.

Pure metals: colour is reflectance at normal incidence under D65, edge tint that at 82 degrees over Schlick's value,
both through the CIE 1931 observer from tabulated n and k (Johnson and Christy 1972 for Ag, Au, Cu; Rakic 1995 for Al;
Palik 1985 for the others). Indices of liquids and glasses are at 589 nm and 20 C. All else is common practice.
"""

from mat_shelf.document.recipe import Recipe
from mat_shelf.document.swatch import Swatch
from mat_shelf.shelf.patterned import patterned

_MEASURED = "Colour and edge tint from published n and k, CIE 1931 observer, D65."


def _metal(key, name, color, tint, roughness, note=_MEASURED) -> Swatch:
    recipe = Recipe(base_color=color, base_metalness=1.0, specular_color=tint, specular_roughness=roughness)
    return Swatch(id=key, name=name, family="Metal", note=note, recipe=recipe)


def _clear(key, name, family, ior, tint, depth_mm, note, roughness=0.0, priority=5) -> Swatch:
    recipe = Recipe(
        specular_ior=ior,
        specular_roughness=roughness,
        transmission_weight=1.0,
        transmission_color=tint,
        transmission_depth=depth_mm,
        nesting_priority=priority,
    )
    return Swatch(id=key, name=name, family=family, note=note, recipe=recipe)


def _opaque(key, name, family, color, roughness, ior, note, chalk=0.0, weight=1.0) -> Swatch:
    recipe = Recipe(
        base_color=color,
        base_diffuse_roughness=chalk,
        specular_roughness=roughness,
        specular_ior=ior,
        specular_weight=weight,
    )
    return Swatch(id=key, name=name, family=family, note=note, recipe=recipe)


def _variant(key, name, parent, note, **own) -> Swatch:
    above = next(swatch for swatch in SHIPPED if swatch.id == parent)
    recipe = above.recipe.with_(**own)
    return Swatch(id=key, name=name, family=above.family, note=note, recipe=recipe, parent=parent, own=tuple(own))


SHIPPED = (
    _metal(
        "polished-brass",
        "Polished brass",
        (0.88, 0.70, 0.36),
        (0.98, 0.95, 0.80),
        0.12,
        "Colour and edge tint of a yellow brass, from memory.",
    ),
    _metal("nib-gold", "Nib gold", (1.0, 0.782, 0.343), (0.974, 0.999, 0.973), 0.15),
    _metal("sterling-silver", "Silver", (0.972, 0.960, 0.915), (0.985, 0.989, 1.0), 0.1),
    _metal("copper", "Copper", (0.955, 0.638, 0.538), (0.986, 0.952, 0.952), 0.2),
    _metal("bright-aluminium", "Bright aluminium", (0.913, 0.922, 0.924), (0.880, 0.908, 0.934), 0.18),
    _metal("blasted-aluminium", "Blasted aluminium", (0.913, 0.922, 0.924), (0.880, 0.908, 0.934), 0.52),
    _metal("chrome", "Chrome", (0.635, 0.662, 0.704), (0.716, 0.747, 0.828), 0.03),
    _metal("tungsten", "Tungsten", (0.515, 0.496, 0.467), (0.719, 0.730, 0.745), 0.3),
    _metal(
        "satin-steel",
        "Satin steel",
        (0.56, 0.55, 0.53),
        (0.92, 0.93, 0.94),
        0.34,
        "Colour of an iron alloy, from memory.",
    ),
    _clear(
        "bottle-glass",
        "Bottle glass",
        "Glass",
        1.52,
        (0.80, 0.93, 0.90),
        40.0,
        "Soda-lime index 1.52; the slight blue-green of its thickness is common practice.",
    ),
    _clear("crown-glass", "Crown glass", "Glass", 1.5168, (0.985, 0.995, 0.99), 40.0, "SCHOTT N-BK7: nd 1.5168."),
    _clear(
        "frosted-glass",
        "Frosted glass",
        "Glass",
        1.52,
        (0.86, 0.95, 0.93),
        40.0,
        "Bottle glass with a dull surface.",
        roughness=0.42,
    ),
    _clear(
        "amber-glass",
        "Amber glass",
        "Glass",
        1.52,
        (0.72, 0.30, 0.05),
        6.0,
        "The brown of pharmacy bottles; common practice.",
    ),
    _clear(
        "smoked-pane",
        "Smoked pane",
        "Glass",
        1.4,
        (0.12, 0.12, 0.125),
        4.0,
        "IOR 1.4, full transmission, the least roughness: common practice.",
    ),
    _clear(
        "blue-black-ink",
        "Blue-black ink",
        "Liquid",
        1.333,
        (0.06, 0.13, 0.46),
        10.0,
        "Index of water, 1.333 (CRC Handbook); the tint is common practice.",
        priority=3,
    ),
    _clear(
        "water",
        "Water",
        "Liquid",
        1.333,
        (0.74, 0.955, 0.985),
        1000.0,
        "Index 1.333 (CRC Handbook); tint over a metre after Pope and Fry 1997, from memory.",
        priority=3,
    ),
    _clear(
        "spirit",
        "Spirit",
        "Liquid",
        1.361,
        (0.98, 0.99, 0.99),
        1000.0,
        "Ethanol, index 1.361 (CRC Handbook).",
        priority=3,
    ),
    _clear(
        "linseed-oil",
        "Linseed oil",
        "Liquid",
        1.48,
        (0.93, 0.74, 0.24),
        20.0,
        "Index 1.48, from memory of handbook tables; the tint is common practice.",
        priority=3,
    ),
    _opaque(
        "moulded-black",
        "Moulded black",
        "Plastic",
        (0.012, 0.012, 0.013),
        0.26,
        1.55,
        "A dark phenolic moulding; common practice.",
    ),
    _opaque("shell-white", "Shell white", "Plastic", (0.78, 0.77, 0.74), 0.22, 1.46, "A glossy housing."),
    _opaque(
        "soft-touch-grey",
        "Soft-touch grey",
        "Plastic",
        (0.17, 0.175, 0.18),
        0.62,
        1.48,
        "A rubbery paint; common practice.",
        chalk=0.4,
    ),
    _opaque(
        "grip-rubber",
        "Grip rubber",
        "Plastic",
        (0.022, 0.022, 0.023),
        0.68,
        1.52,
        "A plastic with more roughness; common practice.",
        chalk=0.5,
    ),
    _opaque("teal-lacquer", "Teal lacquer", "Lacquer", (0.006, 0.105, 0.095), 0.06, 1.52, "Deep gloss over colour."),
    _opaque(
        "oxblood-lacquer", "Oxblood lacquer", "Lacquer", (0.115, 0.008, 0.010), 0.06, 1.52, "Deep gloss over colour."
    ),
    _opaque("ivory-lacquer", "Ivory lacquer", "Lacquer", (0.74, 0.66, 0.49), 0.12, 1.52, "Deep gloss over colour."),
    _opaque(
        "sealing-wax",
        "Sealing wax",
        "Wax and soft",
        (0.36, 0.018, 0.016),
        0.38,
        1.45,
        "Opaque, dull shine; common practice.",
        chalk=0.3,
    ),
    _opaque(
        "beeswax", "Beeswax", "Wax and soft", (0.66, 0.43, 0.13), 0.46, 1.44, "Opaque; common practice.", chalk=0.3
    ),
    _opaque(
        "saddle-leather",
        "Saddle leather",
        "Leather and cloth",
        (0.19, 0.068, 0.026),
        0.52,
        1.5,
        "Grain over a broad wobble, darker in places; common practice.",
        chalk=0.4,
    ),
    _opaque("card", "Card", "Wood and paper", (0.72, 0.69, 0.62), 0.8, 1.5, "Uncoated card.", chalk=0.8, weight=0.4),
    _opaque(
        "oiled-oak",
        "Oiled oak",
        "Wood and paper",
        (0.33, 0.19, 0.085),
        0.48,
        1.5,
        "Rings and pores run through the part, ends included; common practice.",
        chalk=0.3,
    ),
    _opaque(
        "wool-felt",
        "Wool felt",
        "Leather and cloth",
        (0.030, 0.062, 0.055),
        0.9,
        1.5,
        "Matted fibres, matt and dark; common practice.",
        chalk=1.0,
        weight=0.3,
    ),
    _opaque(
        "cork",
        "Cork",
        "Wood and paper",
        (0.40, 0.235, 0.125),
        0.75,
        1.45,
        "Granules and bark; common practice.",
        chalk=0.7,
        weight=0.6,
    ),
    _opaque(
        "graphite-enamel",
        "Graphite enamel",
        "Lacquer",
        (0.028, 0.030, 0.033),
        0.2,
        1.54,
        "A stoved enamel, dark and even; common practice.",
    ),
    _clear(
        "green-onyx",
        "Green onyx",
        "Stone",
        1.54,
        (0.46, 0.60, 0.42),
        9.0,
        "Quartz, ordinary index 1.544 (CRC Handbook); polished, the tint is common practice.",
        roughness=0.12,
    ),
    Swatch(
        id="lit-amber",
        name="Lit amber",
        family="Light",
        note="A diffuser with lamps behind; common practice.",
        recipe=Recipe(
            base_color=(0.5, 0.4, 0.3),
            specular_roughness=0.35,
            emission_luminance=1400.0,
            emission_color=(1.0, 0.42, 0.10),
        ),
    ),
)
SHIPPED = tuple(swatch.with_(recipe=patterned(swatch.id, swatch.recipe)) for swatch in SHIPPED)
SHIPPED += (
    _variant(
        "wax-plum",
        "Sealing wax, plum",
        "sealing-wax",
        "A darker stick of the same wax.",
        base_color=(0.105, 0.014, 0.040),
    ),
)
