"""The swatches that a new library starts with.

Pure metals: colour is reflectance at normal incidence under D65, edge tint that at 82 degrees over Schlick's value,
both through the CIE 1931 observer from tabulated n and k (Johnson and Christy 1972 for Ag, Au, Cu; Rakic 1995 for Al;
Palik 1985 for the others). Indices of liquids and glasses are at 589 nm and 20 C. All else is common practice.
"""

from mat_shelf.document.recipe import Recipe
from mat_shelf.document.swatch import Swatch
from mat_shelf.library.overlays import READY_OVERLAYS
from mat_shelf.library.patterned import patterned

_MEASURED = "Colours from published optical constants, under D65."


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
        contact="wet" if priority < 5 else "dry",
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


def _soft(key, name, family, inner, depth_mm, by_color, roughness, ior, note, **more) -> Swatch:
    recipe = Recipe(
        base_color=inner,
        subsurface_weight=1.0,
        subsurface_color=inner,
        subsurface_radius=depth_mm,
        subsurface_radius_scale=by_color,
        specular_roughness=roughness,
        specular_ior=ior,
        **more,
    )
    return Swatch(id=key, name=name, family=family, note=note, recipe=recipe)


def _cloudy(key, name, family, ior, tint, depth_mm, scatter, forward, note, roughness=0.0, priority=5) -> Swatch:
    recipe = Recipe(
        specular_ior=ior,
        specular_roughness=roughness,
        transmission_weight=1.0,
        transmission_color=tint,
        transmission_depth=depth_mm,
        transmission_scatter=scatter,
        transmission_scatter_anisotropy=forward,
        nesting_priority=priority,
        contact="wet" if priority < 5 else "dry",
    )
    return Swatch(id=key, name=name, family=family, note=note, recipe=recipe)


def _lacquered(key, name, color, gloss, note, **more) -> Swatch:
    recipe = Recipe(
        base_color=color,
        specular_roughness=0.4,
        coat_weight=1.0,
        coat_roughness=gloss,
        coat_ior=1.52,
        **more,
    )
    return Swatch(id=key, name=name, family="Lacquer", note=note, recipe=recipe)


def _cloth(key, name, color, fuzz, fuzz_color, spread, note, chalk=1.0) -> Swatch:
    recipe = Recipe(
        base_color=color,
        base_diffuse_roughness=chalk,
        specular_roughness=0.9,
        specular_weight=0.3,
        fuzz_weight=fuzz,
        fuzz_color=fuzz_color,
        fuzz_roughness=spread,
    )
    return Swatch(id=key, name=name, family="Leather and cloth", note=note, recipe=recipe)


def _brushed(key, name, like, anisotropy, roughness, way, note) -> Swatch:
    recipe = like.recipe.with_(
        specular_roughness=roughness, specular_roughness_anisotropy=anisotropy, brush_way=way, brush_axis="y"
    )
    return Swatch(id=key, name=name, family="Metal", note=note, recipe=recipe)


def _weathered(key, name, like, overlay, amount, note) -> Swatch:
    above = next(swatch for swatch in SHIPPED if swatch.id == like)
    ready = next(ready for ready in READY_OVERLAYS if ready.id == overlay)
    recipe = above.recipe.with_overlay(ready.with_(amount=amount))
    return Swatch(id=key, name=name, family=above.family, note=note, recipe=recipe)


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
        "Colours of a yellow brass.",
    ),
    _metal("nib-gold", "Nib gold", (1.0, 0.782, 0.343), (0.974, 0.999, 0.973), 0.15),
    _metal("sterling-silver", "Silver", (0.972, 0.960, 0.915), (0.985, 0.989, 1.0), 0.1),
    _metal("copper", "Copper", (0.955, 0.638, 0.538), (0.986, 0.952, 0.952), 0.2),
    _metal("bright-aluminium", "Bright aluminium", (0.913, 0.922, 0.924), (0.880, 0.908, 0.934), 0.18),
    _metal("blasted-aluminium", "Blasted aluminium", (0.913, 0.922, 0.924), (0.880, 0.908, 0.934), 0.52),
    _metal("chrome", "Chrome", (0.635, 0.662, 0.704), (0.716, 0.747, 0.828), 0.03),
    _metal("tungsten", "Tungsten", (0.515, 0.496, 0.467), (0.719, 0.730, 0.745), 0.3),
    _metal("nickel", "Nickel", (0.659, 0.609, 0.526), (0.823, 0.856, 0.896), 0.14),
    _metal("rhodium-plate", "Rhodium plate", (0.797, 0.765, 0.742), (0.808, 0.818, 0.837), 0.06),
    _metal("nitride-gold", "Titanium nitride", (0.614, 0.461, 0.233), (0.898, 0.985, 1.0), 0.22),
    _metal(
        "titanium",
        "Titanium",
        (0.54, 0.50, 0.45),
        (0.93, 0.94, 0.95),
        0.36,
        "Colour of polished titanium.",
    ),
    _metal("zinc-cast", "Zinc casting", (0.66, 0.68, 0.70), (0.9, 0.91, 0.92), 0.42, "Colour from memory."),
    _metal(
        "satin-steel",
        "Satin steel",
        (0.56, 0.55, 0.53),
        (0.92, 0.93, 0.94),
        0.34,
        "Colour of an iron alloy.",
    ),
    _clear(
        "bottle-glass",
        "Bottle glass",
        "Glass",
        1.52,
        (0.80, 0.93, 0.90),
        40.0,
        "Soda-lime glass, IOR 1.52; slightly blue-green in its thickness.",
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
        "The brown of pharmacy bottles.",
    ),
    _clear(
        "smoked-pane",
        "Smoked pane",
        "Glass",
        1.4,
        (0.12, 0.12, 0.125),
        4.0,
        "A dark panel that lights and screens show through.",
    ),
    _clear(
        "blue-black-ink",
        "Blue-black ink",
        "Liquid",
        1.333,
        (0.06, 0.13, 0.46),
        10.0,
        "Water-based ink, IOR 1.333.",
        priority=3,
    ),
    _clear(
        "water",
        "Water",
        "Liquid",
        1.333,
        (0.74, 0.955, 0.985),
        1000.0,
        "IOR 1.333; colour of pure water over a metre.",
        priority=3,
    ),
    _clear(
        "spirit",
        "Spirit",
        "Liquid",
        1.361,
        (0.98, 0.99, 0.99),
        1000.0,
        "Ethanol, IOR 1.361.",
        priority=3,
    ),
    _clear(
        "linseed-oil",
        "Linseed oil",
        "Liquid",
        1.48,
        (0.93, 0.74, 0.24),
        20.0,
        "IOR 1.48.",
        priority=3,
    ),
    _opaque(
        "moulded-black",
        "Moulded black",
        "Plastic",
        (0.012, 0.012, 0.013),
        0.26,
        1.55,
        "A dark phenolic moulding.",
    ),
    _opaque("shell-white", "Shell white", "Plastic", (0.78, 0.77, 0.74), 0.22, 1.46, "A glossy housing."),
    _opaque(
        "soft-touch-grey",
        "Soft-touch grey",
        "Plastic",
        (0.17, 0.175, 0.18),
        0.62,
        1.48,
        "A rubbery paint.",
        chalk=0.4,
    ),
    _opaque(
        "grip-rubber",
        "Grip rubber",
        "Plastic",
        (0.022, 0.022, 0.023),
        0.68,
        1.52,
        "A plastic with more roughness.",
        chalk=0.5,
    ),
    _lacquered("teal-lacquer", "Teal lacquer", (0.008, 0.125, 0.112), 0.05, "A clear coat over colour."),
    _lacquered("oxblood-lacquer", "Oxblood lacquer", (0.135, 0.010, 0.012), 0.05, "A clear coat over colour."),
    _lacquered("ivory-lacquer", "Ivory lacquer", (0.76, 0.68, 0.52), 0.1, "A clear coat over colour."),
    _lacquered(
        "candy-red",
        "Candy red",
        (0.86, 0.84, 0.80),
        0.04,
        "A red coat over bright metal.",
        base_metalness=1.0,
        coat_color=(0.62, 0.03, 0.02),
    ),
    _lacquered(
        "wet-slate",
        "Wet slate",
        (0.105, 0.108, 0.115),
        0.12,
        "Dark stone under a film of water, which deepens it.",
        base_diffuse_roughness=0.8,
        specular_weight=0.5,
    ),
    _soft(
        "sealing-wax",
        "Sealing wax",
        "Wax and soft",
        (0.50, 0.020, 0.018),
        0.9,
        (1.0, 0.35, 0.3),
        0.34,
        1.45,
        "Glows at thin edges.",
    ),
    _soft(
        "beeswax",
        "Beeswax",
        "Wax and soft",
        (0.80, 0.52, 0.15),
        2.0,
        (1.0, 0.6, 0.25),
        0.42,
        1.44,
        "Glows through its edges.",
    ),
    _soft(
        "paraffin",
        "Paraffin wax",
        "Wax and soft",
        (0.93, 0.91, 0.86),
        5.0,
        (1.0, 0.9, 0.75),
        0.36,
        1.43,
        "A white candle, IOR 1.43.",
    ),
    _soft(
        "hand-soap",
        "Hand soap",
        "Wax and soft",
        (0.80, 0.74, 0.58),
        1.2,
        (1.0, 0.8, 0.55),
        0.3,
        1.46,
        "A milled cake of soap.",
    ),
    _soft(
        "silicone-milky",
        "Milky silicone",
        "Wax and soft",
        (0.88, 0.88, 0.86),
        3.0,
        (1.0, 0.95, 0.9),
        0.5,
        1.41,
        "A soft grip or seal, IOR 1.41.",
    ),
    _soft(
        "fruit-jelly",
        "Fruit jelly",
        "Wax and soft",
        (0.70, 0.10, 0.05),
        9.0,
        (1.0, 0.25, 0.12),
        0.12,
        1.36,
        "Mostly scattering.",
    ),
    _soft(
        "thick-cream",
        "Thick cream",
        "Wax and soft",
        (0.92, 0.87, 0.74),
        0.7,
        (1.0, 0.75, 0.45),
        0.25,
        1.45,
        "Mostly scattering, with a share of diffuse base to whiten it.",
    ),
    _soft(
        "tumbled-marble",
        "White marble",
        "Stone",
        (0.86, 0.85, 0.82),
        2.0,
        (1.0, 0.9, 0.8),
        0.14,
        1.5,
        "Light enters a few millimetres deep.",
    ),
    _soft(
        "nephrite",
        "Nephrite",
        "Stone",
        (0.16, 0.36, 0.20),
        1.5,
        (0.6, 1.0, 0.7),
        0.12,
        1.61,
        "Jade, IOR 1.61.",
    ),
    _soft(
        "alabaster",
        "Alabaster",
        "Stone",
        (0.93, 0.88, 0.80),
        6.0,
        (1.0, 0.85, 0.7),
        0.3,
        1.52,
        "Gypsum, IOR 1.52; a lamp shows through.",
    ),
    _soft(
        "milky-housing",
        "Milky housing",
        "Plastic",
        (0.87, 0.87, 0.85),
        1.0,
        (1.0, 0.95, 0.9),
        0.3,
        1.49,
        "Coloured by scattering rather than by its surface.",
    ),
    _soft(
        "tinted-polypropylene",
        "Tinted polypropylene",
        "Plastic",
        (0.12, 0.42, 0.62),
        1.6,
        (0.5, 0.9, 1.0),
        0.38,
        1.49,
        "A small box through which shadows show.",
    ),
    _opaque(
        "saddle-leather",
        "Saddle leather",
        "Leather and cloth",
        (0.19, 0.068, 0.026),
        0.52,
        1.5,
        "Grain over broad undulation, darker in places.",
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
        "Rings and pores run through the part, ends included.",
        chalk=0.3,
    ),
    _cloth(
        "wool-felt",
        "Wool felt",
        (0.030, 0.062, 0.055),
        0.35,
        (0.16, 0.26, 0.24),
        0.7,
        "Matted fibres, with a bloom at grazing angles.",
    ),
    _cloth(
        "midnight-velvet",
        "Midnight velvet",
        (0.004, 0.006, 0.018),
        1.0,
        (0.10, 0.14, 0.34),
        0.28,
        "Dark in front, light at grazing angles.",
    ),
    _cloth(
        "burgundy-velvet",
        "Burgundy velvet",
        (0.020, 0.002, 0.004),
        1.0,
        (0.42, 0.06, 0.09),
        0.28,
        "Dark in front, light at grazing angles.",
    ),
    _cloth(
        "brushed-cotton",
        "Brushed cotton",
        (0.42, 0.39, 0.34),
        0.5,
        (0.75, 0.72, 0.66),
        0.6,
        "A soft unbleached cloth.",
    ),
    _opaque(
        "suede-tan",
        "Tan suede",
        "Leather and cloth",
        (0.26, 0.135, 0.062),
        0.95,
        1.45,
        "The flesh side of a hide, with a short nap.",
        chalk=1.0,
        weight=0.2,
    ),
    _opaque(
        "cork",
        "Cork",
        "Wood and paper",
        (0.40, 0.235, 0.125),
        0.75,
        1.45,
        "Granules and bark.",
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
        "A stoved enamel, dark and even.",
    ),
    _soft(
        "green-onyx",
        "Green onyx",
        "Stone",
        (0.42, 0.58, 0.38),
        3.2,
        (0.75, 1.0, 0.7),
        0.12,
        1.544,
        "Polished quartz, IOR 1.544.",
    ),
    _cloudy(
        "opal-glass",
        "Opal glass",
        "Glass",
        1.52,
        (0.38, 0.38, 0.38),
        1.0,
        (0.9645, 0.9650, 0.9648),
        0.2,
        "White all through: a lamp's shade.",
    ),
    _cloudy(
        "milk",
        "Milk",
        "Liquid",
        1.35,
        (0.37, 0.37, 0.37),
        0.65,
        (0.9938, 0.9935, 0.9925),
        0.7,
        "Scatters forward; IOR near that of water.",
        priority=3,
    ),
    _cloudy(
        "cloudy-juice",
        "Cloudy juice",
        "Liquid",
        1.35,
        (0.80, 0.42, 0.06),
        6.0,
        (0.21, 0.30, 0.34),
        0.6,
        "Pressed apple.",
        priority=3,
    ),
    _clear(
        "honey",
        "Honey",
        "Liquid",
        1.49,
        (0.86, 0.47, 0.06),
        10.0,
        "IOR 1.49.",
        priority=3,
    ),
    _clear(
        "glycerine",
        "Glycerine",
        "Liquid",
        1.473,
        (0.985, 0.99, 0.985),
        500.0,
        "Index 1.473 (CRC Handbook).",
        priority=3,
    ),
    _clear("cobalt-glass", "Cobalt glass", "Glass", 1.52, (0.02, 0.05, 0.62), 5.0, "Deep blue; common practice."),
    _clear("lead-crystal", "Lead crystal", "Glass", 1.6, (0.985, 0.99, 0.985), 60.0, "Index about 1.6."),
    _clear("clear-acrylic", "Clear acrylic", "Plastic", 1.491, (0.98, 0.99, 0.985), 60.0, "Acrylic, index 1.491."),
    Swatch(
        id="lit-amber",
        name="Lit amber",
        family="Light",
        note="A diffuser with lamps behind.",
        recipe=Recipe(
            base_color=(0.5, 0.4, 0.3),
            specular_roughness=0.35,
            emission_luminance=760.0,
            emission_color=(1.0, 0.42, 0.10),
        ),
    ),
)
_KNOWN = {swatch.id: swatch for swatch in SHIPPED}
SHIPPED += (
    Swatch(
        id="heat-tinted-steel",
        name="Heat-tinted steel",
        family="Metal",
        note="An oxide film on steel: 45 nm is straw, 70 nm blue.",
        recipe=_KNOWN["satin-steel"].recipe.with_(
            specular_roughness=0.2, thin_film_weight=1.0, thin_film_ior=2.3, thin_film_thickness=0.064
        ),
    ),
    Swatch(
        id="soap-bubble",
        name="Soap bubble",
        family="Liquid",
        note="A film of water, index 1.33, with air on both sides; thinner at its top, as it drains.",
        recipe=Recipe(
            specular_ior=1.0,
            specular_roughness=0.0,
            transmission_weight=1.0,
            geometry_thin_walled=True,
            thin_film_weight=1.0,
            thin_film_ior=1.33,
            thin_film_thickness=0.42,
        ),
    ),
    Swatch(
        id="mother-of-pearl",
        name="Mother of pearl",
        family="Stone",
        note="A thin film over a soft pale body.",
        recipe=Recipe(
            specular_roughness=0.16,
            specular_ior=1.53,
            subsurface_weight=0.8,
            subsurface_color=(0.86, 0.83, 0.80),
            subsurface_radius=0.6,
            base_color=(0.86, 0.83, 0.80),
            thin_film_weight=1.0,
            thin_film_ior=1.75,
            thin_film_thickness=0.36,
        ),
    ),
    Swatch(
        id="cut-crystal",
        name="Cut crystal",
        family="Glass",
        note="Lead crystal, IOR 1.56, Abbe number 45.",
        recipe=Recipe(
            specular_ior=1.56,
            specular_roughness=0.0,
            transmission_weight=1.0,
            transmission_dispersion_scale=1.0,
            transmission_dispersion_abbe_number=45.0,
        ),
    ),
    Swatch(
        id="clear-film",
        name="Clear film",
        family="Plastic",
        note="A sheet of polyester, IOR 1.57; for wrappings and windows of one face.",
        recipe=Recipe(specular_ior=1.57, specular_roughness=0.06, transmission_weight=1.0, geometry_thin_walled=True),
    ),
)
_KNOWN = {swatch.id: swatch for swatch in SHIPPED}
SHIPPED += (
    _brushed(
        "turned-brass",
        "Turned brass",
        _KNOWN["polished-brass"],
        0.6,
        0.2,
        "round",
        "Brushed around its axis: rings on the sides, circles on the ends.",
    ),
    _brushed(
        "brushed-steel",
        "Brushed steel",
        _KNOWN["satin-steel"],
        0.88,
        0.36,
        "along",
        "Brushed along its length.",
    ),
    _brushed(
        "spun-aluminium",
        "Spun aluminium",
        _KNOWN["bright-aluminium"],
        0.8,
        0.3,
        "round",
        "Brushed around its axis, as on a lathe.",
    ),
)
SHIPPED = tuple(swatch.with_(recipe=patterned(swatch.id, swatch.recipe)) for swatch in SHIPPED)
SHIPPED += (
    _variant(
        "wax-plum",
        "Sealing wax, plum",
        "sealing-wax",
        "A darker stick of the same wax.",
        base_color=(0.16, 0.018, 0.060),
        subsurface_color=(0.16, 0.018, 0.060),
    ),
    _weathered("weathered-copper", "Weathered copper", "copper", "verdigris", 0.6, "Verdigris where it is not wiped."),
    _weathered(
        "worn-enamel", "Worn enamel", "graphite-enamel", "worn-to-steel", 1.0, "Worn to the steel along its edges."
    ),
    _weathered("icy-glass", "Icy glass", "bottle-glass", "frost", 0.75, "Bottle glass, frosted over in patches."),
)
