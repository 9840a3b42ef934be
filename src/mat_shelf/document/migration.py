"""Older projects and swatches, brought up to the present schema before they are validated."""


def migrated(fields: dict) -> dict:
    """The fields of `project.json` in the present schema.

    Schema 1 kept a camera in each set. Since 2 a project has views of its own; the current set's camera becomes the
    final one, the others stay as views called after their sets. Schema 3 adds variants, room pictures and emission,
    schema 4 poses and zones, schema 5 patterns, schema 6 layers and overlays, schema 7 thin films and sheets, which
    older projects are without. In schema 8 liquids wet what they touch, where all clear bodies did, and the luminance
    of coloured light is its own, where it was that of white. Schema 9 adds priorities of parts and exact colours. Since
    10 there may be several references, since 11 lights have
    names, edges may be rounded, parts smoothed, and CAD faces known. In schema 12 sets have lights of several kinds,
    where they had softboxes. Schema 13 adds fills and beads, schema 14 a finish and shots, schema 15 patterns
    that repeat within the mesh's own coordinates, schema 16 shots that stop where they are clean, and curves,
    schema 17 colour tables, schema 18 drops that ran and liquids on each other, which older projects are without; and
    tone curves, where sets had exact colours or not. Schema 19 adds parts as lights of a set, schema 20
    parts that a view does not show, turns among the shots, a print that is shown, and
    retouching, and clips on screens. Schema 21 adds glare,
    schema 22 streams, and what hollowed solids are made of, schema 23 solids that float.
    """
    fields = _with_tone_curves(_with_lights(_in_schema_11(fields)))
    return fields | {"schema_version": 23} if fields.get("schema_version") in range(12, 23) else fields


def with_tone_curve(studio):
    """A set with a tone curve, where it had exact colours or not."""
    if not isinstance(studio, dict) or "tone_curve" in studio:
        return studio
    rest = {name: value for name, value in studio.items() if name != "exact_colors"}
    return rest | {"tone_curve": "exact" if studio.get("exact_colors") is True else "neutral"}


def _with_tone_curves(fields: dict) -> dict:
    """A project whose sets have tone curves."""
    version, sets = fields.get("schema_version"), fields.get("sets")
    if not isinstance(version, int) or not 12 <= version < 18 or not isinstance(sets, list):
        return fields
    return fields | {"sets": [with_tone_curve(studio) for studio in sets]}


def _with_lights(fields: dict) -> dict:
    """A project whose sets have lights where they had softboxes."""
    if fields.get("schema_version") != 11:
        return fields
    sets = fields.get("sets")
    if isinstance(sets, list):
        fields = fields | {"sets": [_set_with_lights(studio) for studio in sets]}
    return fields | {"schema_version": 12}


def _set_with_lights(studio):
    if not isinstance(studio, dict) or "softboxes" not in studio:
        return studio
    studio = {("lights" if name == "softboxes" else name): value for name, value in studio.items()}
    backdrop = studio.get("backdrop")
    gloss = backdrop.get("gloss", 0.0) if isinstance(backdrop, dict) else None
    if isinstance(gloss, int | float):
        studio["backdrop"] = backdrop | {"roughness": max(0.35 - 0.3 * gloss, 0.0)}
    return studio


def _in_schema_11(fields: dict) -> dict:
    schema = fields.get("schema_version")
    if schema == 1 and isinstance(fields.get("sets"), list):
        fields = _with_views(fields)
        if fields.get("schema_version") == 1:
            return fields
    elif schema == 10:
        return fields | {"schema_version": 11}
    elif schema in (8, 9):
        return _with_references(fields)
    elif schema not in (2, 3, 4, 5, 6, 7):
        return fields
    materials = fields.get("materials")
    if isinstance(materials, list):
        fields = fields | {"materials": [_in_schema_8(material) for material in materials]}
    return _with_references(fields)


def _with_references(fields: dict) -> dict:
    """A project whose one reference, if it has one, is the first of several."""
    fields = dict(fields)
    image = fields.pop("reference", None)
    if isinstance(image, dict):
        found = {"id": "reference", "name": image.get("name"), "image": image}
        fields |= {"references": [found], "current_reference": "reference"}
    return fields | {"schema_version": 11}


def migrated_swatch(fields: dict) -> dict:
    """The fields of `swatch.json` in the present schema.

    Schema 6 is what 8 is of projects; since 7 overlays and patterns are kept too, since 8 patterns may repeat within
    the mesh's own coordinates.
    """
    if fields.get("schema_version") in (1, 2, 3, 4, 5):
        return _in_schema_8(fields) | {"schema_version": 8}
    return fields | {"schema_version": 8} if fields.get("schema_version") in (6, 7) else fields


def _in_schema_8(material):
    """A material or swatch that says whether it wets, clear bodies that give way to solid ones do, and how it glows."""
    recipe = material.get("recipe") if isinstance(material, dict) else None
    if not isinstance(recipe, dict) or "contact" in recipe:
        return material
    clear, priority = recipe.get("transmission_weight"), recipe.get("nesting_priority")
    numbers = isinstance(clear, int | float) and isinstance(priority, int | float)
    is_liquid = numbers and clear > 0 and priority < 5 and not recipe.get("geometry_thin_walled")
    recipe = _with_luminance(recipe) | {"contact": "wet" if is_liquid else "dry"}
    material = material | {"recipe": recipe}
    own = material.get("own")
    names = {name for name in own if isinstance(name, str)} if isinstance(own, list) else set()
    # A variant that decides one of them by what it owns has it for itself.
    more = [name for name, by in _DECIDES.items() if by & names and name not in names]
    return material | {"own": [*own, *more]} if more else material


def _with_luminance(recipe: dict) -> dict:
    """A recipe that gives off as much light as before, now that its luminance is that of the coloured light."""
    color, bright = recipe.get("emission_color"), recipe.get("emission_luminance")
    overlays = recipe.get("overlays")
    if isinstance(overlays, list):
        recipe = recipe | {"overlays": [_overlay_with_luminance(overlay) for overlay in overlays]}
    feeds = recipe.get("feeds")
    is_fed = isinstance(feeds, list) and any(isinstance(f, dict) and f.get("input") == "emission_color" for f in feeds)
    is_color = isinstance(color, list) and len(color) == 3 and all(isinstance(c, int | float) for c in color)
    if is_fed or not is_color or not isinstance(bright, int | float):
        return recipe
    share = sum(weight * c for weight, c in zip(_LUMINANCE, color, strict=True))
    return recipe | {"emission_luminance": bright * share}


def _overlay_with_luminance(overlay):
    recipe = overlay.get("recipe") if isinstance(overlay, dict) else None
    return overlay | {"recipe": _with_luminance(recipe)} if isinstance(recipe, dict) else overlay


_LUMINANCE = (0.2126390, 0.7151687, 0.0721923)
"""CIE Y of linear Rec.709 (IEC 61966-2-1)."""
_DECIDES = {
    "contact": {"transmission_weight", "nesting_priority", "geometry_thin_walled"},
    "emission_luminance": {"emission_color", "feeds/emission_color"},
}


def _with_views(fields: dict) -> dict:
    """Fields of schema 1 with the cameras of its sets as views."""
    fields = dict(fields)
    sets, views = [], []
    for studio in fields["sets"]:
        if not isinstance(studio, dict):
            return fields
        studio = dict(studio)
        camera = studio.pop("camera", None)
        if isinstance(camera, dict):
            camera = camera | {"focus": camera.get("focus") or 0.0}
            is_final = studio.get("id") == fields.get("current_set")
            view = {
                "id": "final" if is_final else f"view-{len(views)}",
                "name": "Final" if is_final else str(studio.get("name")),
                "camera": camera,
            }
            views.insert(0 if is_final else len(views), view)
        sets.append(studio)
    fields["sets"] = sets
    if views:
        fields["views"], fields["current_view"] = views, views[0]["id"]
    fields["schema_version"] = 2
    return fields
