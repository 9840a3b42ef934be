"""Older projects and swatches, brought up to the present schema before they are validated."""


def migrated(fields: dict) -> dict:
    """The fields of `project.json` in the present schema.

    Schema 1 kept a camera in each set. Since 2 a project has views of its own; the current set's camera becomes the
    final one, the others stay as views called after their sets. Schema 3 adds variants, room pictures and emission,
    schema 4 poses and zones, schema 5 patterns, schema 6 layers and overlays, schema 7 thin films and sheets, which
    older projects are without. In schema 8 liquids wet what they touch; before, all clear bodies did.
    """
    schema = fields.get("schema_version")
    if schema == 1 and isinstance(fields.get("sets"), list):
        fields = _with_views(fields)
        if fields.get("schema_version") == 1:
            return fields
    elif schema not in (2, 3, 4, 5, 6, 7):
        return fields
    materials = fields.get("materials")
    if isinstance(materials, list):
        fields = fields | {"materials": [_with_contact(material) for material in materials]}
    return fields | {"schema_version": 8}


def migrated_swatch(fields: dict) -> dict:
    """The fields of `swatch.json` in the present schema. In schema 6 liquids wet what they touch."""
    if fields.get("schema_version") in (1, 2, 3, 4, 5):
        return _with_contact(fields) | {"schema_version": 6}
    return fields


def _with_contact(material):
    """A material or swatch whose recipe says whether it wets: clear bodies that give way to solid ones do."""
    recipe = material.get("recipe") if isinstance(material, dict) else None
    if not isinstance(recipe, dict) or "contact" in recipe:
        return material
    clear, priority = recipe.get("transmission_weight"), recipe.get("nesting_priority")
    numbers = isinstance(clear, int | float) and isinstance(priority, int | float)
    is_liquid = numbers and clear > 0 and priority < 5 and not recipe.get("geometry_thin_walled")
    material = material | {"recipe": recipe | {"contact": "wet" if is_liquid else "dry"}}
    own = material.get("own")
    if isinstance(own, list) and set(_DECIDES) & {name for name in own if isinstance(name, str)}:
        material = material | {"own": [*own, "contact"]}  # a variant that decides it for itself
    return material


_DECIDES = ("transmission_weight", "nesting_priority", "geometry_thin_walled")


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
